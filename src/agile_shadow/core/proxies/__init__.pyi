from .made import MadeFile, as_it_is, made_below, remember_made, remembered_made, was_made
from .making import check_proxy, make_or_take_proxy, make_proxy, make_unnamed, name_unnamed, sound_channels
from .marks import MarkPainter
from .naming import ENDING, STILL_ENDING, proxy_file_name
from .request import ProxyRequest, ProxyResult, is_such_proxy, made_as
from .sizes import proxy_pixels, shape_error, wanted_scale

__all__ = [
    "ENDING",
    "STILL_ENDING",
    "MadeFile",
    "MarkPainter",
    "ProxyRequest",
    "ProxyResult",
    "as_it_is",
    "check_proxy",
    "is_such_proxy",
    "made_as",
    "made_below",
    "make_or_take_proxy",
    "make_proxy",
    "make_unnamed",
    "name_unnamed",
    "proxy_file_name",
    "proxy_pixels",
    "remember_made",
    "remembered_made",
    "shape_error",
    "sound_channels",
    "wanted_scale",
    "was_made",
]
