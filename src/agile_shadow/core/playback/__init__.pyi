from .baking import Baked, BakeRequest, BakeState, bake, bake_states, new_bake_name, remove_bake_file, stretch_digest
from .clock import Clock
from .meter import MeterReading
from .picture import Picture
from .player import Player, View
from .program import ClipProgram, Program, TimelineProgram
from .reason import Reason, why_late
from .sound_output import SoundOutput

__all__ = [
    "BakeRequest",
    "BakeState",
    "Baked",
    "ClipProgram",
    "Clock",
    "MeterReading",
    "Picture",
    "Player",
    "Program",
    "Reason",
    "SoundOutput",
    "TimelineProgram",
    "View",
    "bake",
    "bake_states",
    "new_bake_name",
    "remove_bake_file",
    "stretch_digest",
    "why_late",
]
