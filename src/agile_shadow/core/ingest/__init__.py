"""Ingest: reading a source, verified copying, the run of a preset over a source, its report."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
