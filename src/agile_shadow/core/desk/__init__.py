"""The desk of an open project: every run of it, and what is queued for it on disk."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
