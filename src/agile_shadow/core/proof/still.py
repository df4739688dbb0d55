"""The proof of a still's pair: both pictures at the proxy's size, their brightness and their transparency."""

from __future__ import annotations

import av
import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation
from numpy.typing import NDArray

from ..errors import MediaError
from ..media.likeness import ssim
from ..media.opening import ODD_FILE, open_media
from ..pairs.half import Half
from ..pairs.pair import Proof, Stamp

_ALIKE = 0.9  # SSIM of brightness from which they are the same picture
_SHAPE_ROOM = 0.03
_CLEAR_ROOM = 4.0  # mean difference of transparency, 0 to 255
_LEAST = 16  # pixels on a side that can be compared


def prove_still(original: Half, proxy: Half, stamp: Stamp) -> Proof:
    """Lay both over each other. Raises MediaError for one that cannot be read."""
    wide, high = proxy.info.width, proxy.info.height
    shape = abs(wide * original.info.display_height / max(1, high * original.info.display_width) - 1)
    if proxy.info.kind != "still" or shape > _SHAPE_ROOM:
        return Proof("refused", stamp, ("it is no still of the original's shape",))
    if min(wide, high) < _LEAST:
        return Proof("cannot tell", stamp, notes=("it is too small to be compared",))
    first, second = (still_pixels(half, wide, high) for half in (original, proxy))
    found = ssim(_luma(first), _luma(second))
    clear = float(np.abs(first[..., 3].astype(np.int16) - second[..., 3].astype(np.int16)).mean())
    reasons = [] if found >= _ALIKE else ["it shows another picture"]
    reasons += ["its transparency is another"] if clear > _CLEAR_ROOM else []
    return Proof("proven" if not reasons else "refused", stamp, tuple(reasons), (), found, ((0, found),))


def still_pixels(half: Half, width: int, height: int) -> NDArray[np.uint8]:
    """RGBA (height, width, 4), upright."""
    with open_media(half.path) as container:
        try:
            frame = next(container.decode(container.streams.video[0]), None)
        except (av.error.FFmpegError, IndexError, *ODD_FILE) as error:
            raise MediaError("cannot be decoded", half.path, "Check the file.") from error
    if frame is None:
        raise MediaError("has no frame that can be decoded", half.path, "Check the file.")
    return _upright(frame, width, height)


def _upright(frame: VideoFrame, width: int, height: int) -> NDArray[np.uint8]:
    turn = -frame.rotation % 360
    wide, high = (height, width) if turn % 180 else (width, height)
    small = frame.reformat(width=wide, height=high, format="rgba", interpolation=Interpolation.AREA).to_ndarray()
    return np.rot90(small, k=-(turn // 90)).astype(np.uint8) if turn else small.astype(np.uint8)


def _luma(pixels: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Brightness over black, 0 to 255: what is clear has none."""
    weights = np.array([0.2126, 0.7152, 0.0722])
    return np.asarray((pixels[..., :3] @ weights) * (pixels[..., 3] / 255))
