"""Shelves: named storage places; files are known as shelf + path below it."""

from .finding import MARK, KnownFile, ShelfState, find_again, look_at, mark_shelf, with_volume
from .library import (
    forget_user_shelf,
    keep_user_shelf,
    shelf_for,
    shelf_from_json,
    shelf_to_json,
    user_shelves,
)
from .shelf import ROLES, Shelf, free_room, place_of
from .volumes import Volume, mounted_volumes, volume_of

__all__ = [
    "MARK",
    "ROLES",
    "KnownFile",
    "Shelf",
    "ShelfState",
    "Volume",
    "find_again",
    "forget_user_shelf",
    "free_room",
    "keep_user_shelf",
    "look_at",
    "mark_shelf",
    "mounted_volumes",
    "place_of",
    "shelf_for",
    "shelf_from_json",
    "shelf_to_json",
    "user_shelves",
    "volume_of",
    "with_volume",
]
