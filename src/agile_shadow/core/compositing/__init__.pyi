from .compositor import Composite, Compositor, Shown, picture_of
from .layers import Layer, Step, picture_steps, sound_steps
from .mixer import AtSpeed, Looping, Mixer
from .window import Window, window_of

__all__ = [
    "AtSpeed",
    "Composite",
    "Compositor",
    "Layer",
    "Looping",
    "Mixer",
    "Shown",
    "Step",
    "Window",
    "picture_of",
    "picture_steps",
    "sound_steps",
    "window_of",
]
