"""The timeline's place."""

from .place import TimelinePlace

__all__ = ["TimelinePlace"]
