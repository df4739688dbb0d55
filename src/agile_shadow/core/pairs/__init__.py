"""What belongs together: an original and its proxies."""

from .pair import FileRef, Original, Proxy, pair_made_proxy

__all__ = ["FileRef", "Original", "Proxy", "pair_made_proxy"]
