"""Making a proxy: frame for frame its original, only lighter."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
