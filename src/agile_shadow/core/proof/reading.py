"""Reading what a proof looks at: frames of both files at places that are cheap to decode."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from ..media import MediaInfo
from ..media.coded import Coded, coded, matrix_of
from ..media.likeness import ssim, upright_luma
from ..media.signature import working_size
from ..pairs.half import Half, Reader
from .colour import ColourPair
from .places import REACH, Curve, Luma, Seen, tone_curve

_LIGHT = 400e6  # pixels of an original that are decoded as a whole
_WHOLE = 48  # places of an original that is light
_SPARSE = 12  # places of another
_FEW = 5  # key frames of a proxy that are enough places
_FINE = 24  # places that are read again to find where a shift begins
_COLOURED = 3  # places whose colours are compared
_LAGGING = 0.2  # how far a picture that is packed as a difference is believed


@dataclass(frozen=True)
class Readings:
    """``seen`` at the places; ``curve``: (frame of the original, SSIM at the proxy's own size, the levels adjusted);
    ``colours`` of a few; ``between`` reads more places, between two frames of the original."""

    seen: list[Seen]
    curve: list[tuple[int, float]]
    colours: tuple[ColourPair, ...] = ()
    between: Callable[[int, int], list[Seen]] = lambda low, high: []


def read_places(
    original: Half, proxy: Half, offset: int, wanted: int | None = None,
    report: Callable[[float], None] = lambda done: None, within: tuple[int, int] | None = None,
) -> Readings:  # fmt: skip
    """Read a pair at its places. ``offset``: frames of the original before the proxy's first; ``within``: only frames
    of the original between these two. Raises MediaError."""
    with opened(original) as first, opened(proxy) as second:
        frames = _places(first, second, original.info, offset, wanted)
        if within is not None:
            frames = _spread(list(range(within[0] + 1, within[1])), wanted or _SPARSE)
        own = proxy.info.display_width, proxy.info.display_height
        size = working_size(*own)
        keys = set(second.index.keys.tolist())
        whole = _Whole(own, _spread(frames, _SPARSE), (original.info.height, proxy.info.height))
        window, shrink, seen = _Window(first, size, whole), VideoReformatter(), []
        for number, frame in enumerate(frames):
            report(number / len(frames))
            shown = second.frame(_counterpart(first, second, frame, offset))
            weight = 1.0 if second.index.intra or frame - offset in keys else _LAGGING
            seen.append(Seen(frame, *window.around(frame), _luma(shown, size, shrink), weight))
            whole.keep_proxy(frame, shown)

        def between(low: int, high: int) -> list[Seen]:
            return read_places(original, proxy, offset, _FINE, within=(low, high)).seen

        return Readings(seen, whole.likeness(tone_curve(seen)) if seen else [], whole.colours(), between)


class _Whole:
    """Both pictures of some places at the proxy's own size, for their likeness."""

    def __init__(self, size: tuple[int, int], frames: list[int], lines: tuple[int, int]) -> None:
        self._size = size
        self._lines = lines
        self._coloured = frozenset(_spread(frames, _COLOURED))
        self._colours: dict[int, tuple[Coded, int]] = {}
        self._proxy_colours: dict[int, tuple[Coded, int]] = {}
        self._frames = frozenset(frames)
        self._shrink = VideoReformatter(), VideoReformatter()
        self._originals: dict[int, NDArray[np.uint8]] = {}
        self._proxies: dict[int, NDArray[np.uint8]] = {}

    def keep_original(self, number: int, frame: VideoFrame) -> None:
        if number in self._frames:
            self._originals[number] = np.ascontiguousarray(upright_luma(frame, *self._size, self._shrink[0]))
        if number in self._coloured:
            self._colours[number] = coded(frame), matrix_of(frame, self._lines[0])

    def keep_proxy(self, number: int, frame: VideoFrame) -> None:
        if number in self._frames:
            self._proxies[number] = np.ascontiguousarray(upright_luma(frame, *self._size, self._shrink[1]))
        if number in self._coloured:
            self._proxy_colours[number] = coded(frame), matrix_of(frame, self._lines[1])

    def colours(self) -> tuple[ColourPair, ...]:
        """Of the places whose colours are compared."""
        numbers = sorted(self._colours.keys() & self._proxy_colours.keys())
        return tuple(ColourPair(*self._colours[one], *self._proxy_colours[one]) for one in numbers)

    def likeness(self, curve: Curve) -> list[tuple[int, float]]:
        """SSIM of each place, the original's levels brought to the proxy's."""
        if min(self._size) < 8:
            return []
        return [
            (number, ssim(curve(self._originals[number].astype(np.float32)), proxy))
            for number, proxy in self._proxies.items() if number in self._originals
        ]  # fmt: skip


class opened:
    """A reader as a context."""

    def __init__(self, half: Half) -> None:
        self._half = half

    def __enter__(self) -> Reader:
        self._reader = self._half.open()
        return self._reader

    def __exit__(self, *_error: object) -> None:
        self._reader.close()


def _luma(frame: VideoFrame, size: tuple[int, int], reformatter: VideoReformatter | None = None) -> Luma:
    return upright_luma(frame, *size, reformatter).astype(np.float32)


def _counterpart(first: Reader, second: Reader, frame: int, offset: int) -> int:
    """Number of the proxy's frame that should show the original's ``frame``."""
    if first.index.constant_rate() is None and len(first.index) != len(second.index):
        start = first.index.seconds(max(0, offset))
        return second.index.frame_at(first.index.seconds(frame) - start)
    return min(max(0, frame - offset), len(second.index) - 1)


class _Window:
    """The original's frames around a place, kept as long as the next place needs them."""

    def __init__(self, reader: Reader, size: tuple[int, int], whole: _Whole) -> None:
        self._reader = reader
        self._whole = whole
        self._size = size
        self._kept: dict[int, Luma] = {}
        self._shrink = VideoReformatter()

    def around(self, frame: int) -> tuple[Luma, NDArray[np.bool_]]:
        numbers = range(frame - REACH, frame + REACH + 1)
        count = len(self._reader.index)
        self._kept = {number: luma for number, luma in self._kept.items() if number >= numbers[0]}
        for number in numbers:
            if 0 <= number < count and number not in self._kept:
                picture = self._reader.frame(number)
                self._kept[number] = _luma(picture, self._size, self._shrink)
                self._whole.keep_original(number, picture)
        there = np.array([0 <= number < count for number in numbers])
        return np.stack([self._kept[min(max(number, 0), count - 1)] for number in numbers]), there


def _places(first: Reader, second: Reader, info: MediaInfo, offset: int, wanted: int | None) -> list[int]:
    """Frames of the original, spread over what both have: where the proxy is not packed by differences, whose pictures
    lag behind when packed hard, and where the original is cheap to decode."""
    low, high = max(0, offset), min(len(first.index), offset + len(second.index))
    if high <= low:
        return []
    keys = [int(key) + offset for key in second.index.keys if low <= int(key) + offset < high]
    if second.index.intra or len(keys) < _FEW:
        return _either(list(range(low, high)), keys, first, info, wanted)
    return _either(keys, [], first, info, wanted)


def _either(frames: list[int], keys: list[int], first: Reader, info: MediaInfo, wanted: int | None) -> list[int]:
    """So many of these frames as are wanted, and the keys."""
    light = info.width * info.height * (frames[-1] - frames[0] + 1) <= _LIGHT
    many = wanted or (_WHOLE if light else _SPARSE)
    if light or first.index.intra or len(frames) <= many:
        found = _spread(frames, many)
    else:
        stretches = np.array_split(np.array(frames), many)
        found = [int(min(stretch, key=lambda frame: _effort(first, int(frame)))) for stretch in stretches]
    return sorted({*found, *(keys if light else ())})


def _effort(reader: Reader, frame: int) -> int:
    """Frames to decode for what is looked at around one."""
    return frame + REACH - reader.index.key_before(max(0, frame - REACH))


def _spread(numbers: list[int], wanted: int) -> list[int]:
    if len(numbers) <= wanted:
        return numbers
    at = np.linspace(0, len(numbers) - 1, wanted).round().astype(int)
    return [numbers[i] for i in dict.fromkeys(at.tolist())]
