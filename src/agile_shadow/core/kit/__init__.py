"""Travel kits: all that is needed to go on cutting elsewhere, in one folder; and the way home."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
