"""Playback: which file to show for a frame, the frames, the sound, the clock, the meter."""

from ..compositing import Choice, Presence, choose
from .meter import MeterReading
from .player import Picture, Player
from .program import ClipProgram, Program, TimelineProgram
from .reason import Reason, why_late
from .sound_output import SoundOutput

__all__ = [
    "Choice",
    "ClipProgram",
    "MeterReading",
    "Picture",
    "Player",
    "Presence",
    "Program",
    "Reason",
    "SoundOutput",
    "TimelineProgram",
    "choose",
    "why_late",
]
