"""Storage: what takes room, what may go, which card may be wiped, whether what was kept is whole."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
