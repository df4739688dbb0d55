"""The switch: which file of a clip shows for a moment, and what is known of files being there."""

from .choice import Choice, Presence, choose

__all__ = ["Choice", "Presence", "choose"]
