"""What belongs together: an original and its proxies.

Only the values are named here. What finds and proves pairs is imported from its own modules, by those who need it:
its numerical libraries take half a second to load.
"""

from .pair import FileRef, Original, Proof, Proxy, Stamp, pair_made_proxy

__all__ = ["FileRef", "Original", "Proof", "Proxy", "Stamp", "pair_made_proxy"]
