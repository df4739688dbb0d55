"""Playback: which file to show for a frame, the frames, the sound, the clock, the meter."""

from .choice import Choice, Presence, choose
from .meter import MeterReading
from .player import Picture, Player
from .program import ClipProgram, Point, Program, TimelineProgram
from .sound_output import SoundOutput

__all__ = [
    "Choice",
    "ClipProgram",
    "MeterReading",
    "Picture",
    "Player",
    "Point",
    "Presence",
    "Program",
    "SoundOutput",
    "TimelineProgram",
    "choose",
]
