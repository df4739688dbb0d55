"""A file that a person joins to a clip: only where it begins in it is looked for."""

from __future__ import annotations

from pathlib import Path

from ..errors import MediaError, ShadowError
from ..jobs import Executor
from ..matching.evidence import Sign
from ..media import MediaInfo
from ..media.fingerprint import need_picture
from ..media.sequence import status
from ..pairs.half import Half
from ..project import Clip, Project
from .probing import ProbeRequest, probe_or_reason
from .search import Offer, Role
from .tasks import LooksRequest, Opposite, PrintRequest, looks_of, print_of


def offer_by_hand(project: Project, clip: Clip, path: Path, pool: Executor) -> Offer:
    """The offer of that file for that clip. Raises ShadowError, MediaError for what cannot be a half of a pair."""
    place = project.path(clip.original.file)
    if place is None:
        raise ShadowError("its shelf is not known", clip.original.file.path, "Find the original first.")
    if place.absolute() == path.absolute():
        raise MediaError("is the original itself", path, "Choose its proxy.")
    info = pool.submit(probe_or_reason, ProbeRequest(path)).result()
    if not isinstance(info, MediaInfo):
        raise MediaError(str(info), path, "Choose another file.")
    need_picture(info, path)
    known = clip.original.info
    heavier = info.display_width * info.display_height > known.display_width * known.display_height
    original, proxy = Half(place, known), Half(path, info)
    if heavier:
        original, proxy = proxy, original
    size, modified = status(path)
    finding = Sign("by hand", 100.0, "paired by hand")
    role: Role = "original" if heavier else "proxy"
    return Offer(path, info, size, modified, clip.id, role, _offset(original, proxy, pool), "certain", (finding,))


def _offset(original: Half, proxy: Half, pool: Executor) -> int:
    """By the picture, else the timecode, else none."""
    prints = [pool.submit(print_of, PrintRequest(half)).result() for half in (original, proxy)]
    if prints[0] is not None and prints[1] is not None:
        opposite = Opposite(0, original, prints[0], 0 if original.info.frames == proxy.info.frames else None)
        looks = pool.submit(looks_of, LooksRequest(proxy, prints[1], (opposite,))).result().get(0)
        if looks is not None and looks.exact is not None:
            return int(looks.exact)
    return 0
