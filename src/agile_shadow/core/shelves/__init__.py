"""Shelves: named storage places; files are known as shelf + path below it."""

from .attending import Attending
from .finding import (
    MARK,
    KnownFile,
    ShelfState,
    find_again,
    is_shelf,
    look_at,
    mark_shelf,
    with_volume,
)
from .library import (
    forget_user_shelf,
    keep_user_shelf,
    shelf_for,
    shelf_from_json,
    shelf_to_json,
    user_shelves,
)
from .memory import would_share_a_drive
from .opening import open_again, open_root, put_mark_and_remember
from .shelf import ROLES, SECOND, Shelf, free_room, place_of
from .volumes import Volume, mounted_volumes, volume_of

__all__ = [
    "MARK",
    "ROLES",
    "SECOND",
    "Attending",
    "KnownFile",
    "Shelf",
    "ShelfState",
    "Volume",
    "find_again",
    "forget_user_shelf",
    "free_room",
    "is_shelf",
    "keep_user_shelf",
    "look_at",
    "mark_shelf",
    "mounted_volumes",
    "open_again",
    "open_root",
    "place_of",
    "put_mark_and_remember",
    "shelf_for",
    "shelf_from_json",
    "shelf_to_json",
    "user_shelves",
    "volume_of",
    "with_volume",
    "would_share_a_drive",
]
