"""The film: settings, the final check, rendering from the originals, the proof and its certificate."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
