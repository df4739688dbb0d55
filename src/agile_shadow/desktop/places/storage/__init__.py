"""Storage: what takes room, what may go, which card may be wiped, whether what is kept is whole."""

from .place import StoragePlace
from .shelves import look_at_shelves, mended

__all__ = ["StoragePlace", "look_at_shelves", "mended"]
