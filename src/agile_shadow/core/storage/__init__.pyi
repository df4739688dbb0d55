from .answers import (
    KeptAnswer,
    age_words,
    all_cards,
    answer_words,
    ask_request,
    card_like,
    keep_answer,
    kept_answers,
)
from .asking import AskedFile, AskRequest, CardAnswer, ask_card
from .cards import Card, CardCopy, CardFile
from .claims import ROOM_KINDS, Claim, RoomKind, claims_of, look_at_claims
from .pace import pace_of_making
from .room import Area, Room, RoomRequest, count_room, measure_room
from .tidying import REASONS, BroughtBack, Item, Plan, Tidied, after, before, find_items, plan, tidy, undo

__all__ = [
    "REASONS",
    "ROOM_KINDS",
    "Area",
    "AskRequest",
    "AskedFile",
    "BroughtBack",
    "Card",
    "CardAnswer",
    "CardCopy",
    "CardFile",
    "Claim",
    "Item",
    "KeptAnswer",
    "Plan",
    "Room",
    "RoomKind",
    "RoomRequest",
    "Tidied",
    "after",
    "age_words",
    "all_cards",
    "answer_words",
    "ask_card",
    "ask_request",
    "before",
    "card_like",
    "claims_of",
    "count_room",
    "find_items",
    "keep_answer",
    "kept_answers",
    "look_at_claims",
    "measure_room",
    "pace_of_making",
    "plan",
    "tidy",
    "undo",
]
