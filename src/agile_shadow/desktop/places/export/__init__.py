"""Export: the final check, films and their queue, the cut handed over and taken home."""

from .place import ExportPlace

__all__ = ["ExportPlace"]
