"""Whether a clip needs a proxy on this machine."""

from __future__ import annotations

from ..media import MediaInfo
from ..presets import Proxies


def needs_headroom(settings: Proxies) -> bool:
    """Whether that can only be told from measured headroom."""
    return settings.make == "where-needed" and settings.headroom_below is not None


def needs_proxy(info: MediaInfo, settings: Proxies, headroom: float | None) -> bool:
    """Whether the preset makes a proxy of a video original. Headroom that is not known counts as too little."""
    if settings.make == "always":
        return True
    if settings.larger_than is not None and min(info.display_width, info.display_height) > settings.larger_than:
        return True
    if settings.headroom_below is None:
        return False
    return headroom is None or headroom < settings.headroom_below
