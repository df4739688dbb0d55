"""Shelves: named storage places; files are known as shelf + path below it."""

from .shelf import Shelf, free_room, place_of

__all__ = ["Shelf", "free_room", "place_of"]
