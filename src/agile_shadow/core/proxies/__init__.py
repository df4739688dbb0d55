"""Making a proxy: frame for frame its original, only lighter."""

from .making import ProxyRequest, ProxyResult, check_proxy, is_such_proxy, make_or_take_proxy, make_proxy
from .naming import proxy_file_name

__all__ = [
    "ProxyRequest",
    "ProxyResult",
    "check_proxy",
    "is_such_proxy",
    "make_or_take_proxy",
    "make_proxy",
    "proxy_file_name",
]
