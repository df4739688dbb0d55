"""Stand-ins for the outside world: drawn footage on a simulated card."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
