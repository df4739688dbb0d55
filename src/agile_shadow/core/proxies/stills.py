"""The proxy of a large still: a PNG, upright, with its transparency."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
from av.video.reformatter import Interpolation

from ..errors import MediaError, ProxyError, ShadowError
from ..late import pil_image
from ..media import MediaInfo, probe
from ..media.opening import ODD_FILE, open_media
from .made import as_it_is, remembered_made

_COMPRESSION = 3  # of PNG, 0 to 9: more takes longer and wins little


def write_still(original: Path, size: tuple[int, int], out: Path) -> None:
    """Draw a still at (width, height) pixels into a new file. Raises MediaError, OSError.

    The file at ``out`` need not end in .png. Transparency stays a channel of its own.
    """
    with open_media(original) as container:
        if not container.streams.video:
            raise MediaError("has no picture", original, "Choose a picture.")
        try:
            frame = next(container.decode(container.streams.video[0]), None)
        except (av.error.FFmpegError, *ODD_FILE) as error:
            raise MediaError("cannot be decoded", original, "Check the file.") from error
    if frame is None:
        raise MediaError("has no frame that can be decoded", original, "Check the file.")
    clear = frame.format.has_palette or any(one.is_alpha for one in frame.format.components)
    turn = -frame.rotation % 360
    wide, high = size[::-1] if turn % 180 else size
    kind = "rgba" if clear else "rgb24"
    small = frame.reformat(width=wide, height=high, format=kind, interpolation=Interpolation.AREA)
    pixels = np.rot90(small.to_ndarray(), k=-(turn // 90)) if turn else small.to_ndarray()
    with out.open("wb") as file:
        pil_image.fromarray(np.ascontiguousarray(pixels)).save(file, "PNG", compress_level=_COMPRESSION)


def check_still(proxy: Path, size: tuple[int, int]) -> MediaInfo:
    """What a still's proxy is. Raises ProxyError when it is not one still of that size."""
    info = probe(proxy)
    if info.kind != "still" or (info.width, info.height) != size:
        raise ProxyError("is no still of the wanted size", proxy, "Make it again.")
    return info


def still_made_here(path: Path, size: tuple[int, int]) -> MediaInfo | None:
    """What lies at a path, if this machine remembers to have made it and it has that size."""
    try:
        memory = remembered_made(path)
        if memory is None or not memory.is_at(as_it_is(path)):
            return None
        return check_still(path, size)
    except (ShadowError, OSError):
        return None
