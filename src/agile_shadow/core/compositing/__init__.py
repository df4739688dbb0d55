"""Pictures and sound of a timeline, for the player and the film: which file shows, what is drawn and heard of it."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
