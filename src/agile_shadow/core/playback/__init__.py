"""Playback: which file to show for a frame, the frames, the sound, the clock, the meter."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
