"""Whether a clip needs a proxy on this machine."""

from __future__ import annotations

from ..media import MediaInfo
from ..presets import Proxies


def needs_headroom(settings: Proxies) -> bool:
    """Whether that can only be told from measured headroom."""
    return settings.make == "where-needed" and settings.headroom_below is not None


def gets_proxy(info: MediaInfo, settings: Proxies) -> bool:
    """Whether an original is of a kind that a preset makes proxies of: video, and stills that are large enough."""
    return info.kind == "video" or is_large_still(info, settings)


def is_large_still(info: MediaInfo, settings: Proxies) -> bool:
    """Whether it is a still of more megapixels than the preset lets pass."""
    pixels = info.width * info.height
    return info.kind == "still" and settings.stills_over is not None and pixels > settings.stills_over * 1_000_000


def needs_proxy(info: MediaInfo, settings: Proxies, headroom: float | None) -> bool:
    """Whether the preset makes a proxy of an original of such a kind. Headroom that is not known counts as too little.
    """
    if settings.make == "always" or is_large_still(info, settings):
        return True
    if settings.larger_than is not None and min(info.display_width, info.display_height) > settings.larger_than:
        return True
    if settings.headroom_below is None:
        return False
    return headroom is None or headroom < settings.headroom_below
