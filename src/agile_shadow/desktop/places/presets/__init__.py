"""Presets: the instruction as a sentence, what it will do to footage, trials."""

from .place import PresetsPlace

__all__ = ["PresetsPlace"]
