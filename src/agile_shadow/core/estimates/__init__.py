"""What a preset does to footage on this machine: headroom, sizes, data, time; measured and kept."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
