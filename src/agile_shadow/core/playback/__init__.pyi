from .baking import (
    Baked,
    BakeRequest,
    BakeState,
    bake,
    bake_states,
    bakes_on_disk,
    planned_bake,
    remove_bake_file,
    stretch_digest,
)
from .clock import Clock
from .lateness import Lateness, LateStretch, next_to_bake, worth_baking
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
    "LateStretch",
    "Lateness",
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
    "bakes_on_disk",
    "next_to_bake",
    "planned_bake",
    "remove_bake_file",
    "stretch_digest",
    "why_late",
    "worth_baking",
]
