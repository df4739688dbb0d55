"""A proxy read whole and held against its original's signature, so that the original is not decoded again."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from ..media.coded import Coded, coded, matrix_of
from ..media.fingerprint import Grids, cells_of
from ..media.likeness import ssim, upright_luma
from ..media.signature import Signature, kept_signature
from ..media.telling import Fine, Points, fine_of, moved
from ..pairs.half import Half
from .colour import ColourPair
from .every import Stray, places_of, strays
from .places import REACH, Curve, Seen, tone_curve
from .reading import Readings, opened, read_places
from .standing import standing

_LAGGING = 0.2  # how far a picture that is packed as a difference is believed
_WAY, _WAY_PACKED, _TOO_FAR = 0.6, 0.7, 1.4  # parts of the way from the right frame to the neighbour
_FURTHER, _FURTHER_FOREIGN = 3.5, 7.0  # times the error of the frames beside; where letters and looks lie over them
_FOREIGN_WAY = 0.8  # that part where letters and looks lie over the picture
_CLEARLY_MORE = 2.0  # times that error: what another picture makes that is like a neighbour
_MORE, _LEFT = 1.3, 3.0  # times that error: what a neighbour makes at least, and leaves at the most
_OF_ANOTHER, _LEFT_BY_ANOTHER = 0.6, 2.0  # of the error, and times the usual: what the frame shown instead leaves
_APART, _STRAY_WAY = 4.0, 0.05  # times the spread of the ways of the frames beside, and what that is at least
_ABOVE = 0.2  # of the way, what a wrong frame of a file from elsewhere goes further than those beside it
_HARDLY = 0.3  # of the way, the most that a right frame goes where nothing lags
_SHORT, _MOST_USUAL = 0.15, 0.4  # of the way that a neighbour is expected to make; and a way beside that says nothing
_BEYOND_MOVEMENT = 1.5  # times the error that the frame beside would have
_TELLING = 128  # pixels that change most
_TOLD, _BEFORE_ALL = 0.55, 0.2  # of the way by these, and how far before all frames beside it
_TOLD_FOREIGN, _BEFORE_ALL_FOREIGN = 0.78, 0.3  # the same for files from elsewhere, whose frames may lag behind
_LEAST_ERROR = 2.0  # squared levels by which another picture differs
_BESIDE = 4  # frames to both sides of a stray one between which all are looked at
_LEAST_BESIDE = 4
_LEAST_SIDE = 8  # pixels of a picture whose likeness can be told


@dataclass(frozen=True)
class Signed:
    """``grids`` of all frames of the proxy, ``weights`` how far each is believed; ``pictures`` uint8 (height, width) by
    the original's frame, ``colours`` of some of these and the matrix they are to be shown by; ``moves`` float32
    (frames,), how much of its original's step to each frame the proxy makes, NaN where that says nothing."""

    signature: Signature
    offset: int
    original: Grids
    grids: Grids
    weights: tuple[float, ...]
    pictures: dict[int, NDArray[np.uint8]]
    colours: dict[int, tuple[Coded, int]]
    moves: NDArray[np.float32]

    def readings(self) -> Readings:
        """As if both files had been read at their places."""
        pairs = tuple(
            ColourPair(*one.coded, *self.colours[one.number])
            for one in self.signature.pictures if one.coded is not None and one.number in self.colours
        )  # fmt: skip
        return Readings(self._places(None), self._likeness(), pairs, lambda low, high: self._places((low, high)))

    def _places(self, within: tuple[int, int] | None) -> list[Seen]:
        return places_of(self.original, self.grids, self.offset, within, self.weights)

    def _likeness(self) -> list[tuple[int, float]]:
        known = [one for one in self.signature.pictures if one.number in self.pictures]
        if not known or min(known[0].luma.shape) < _LEAST_SIDE:
            return []
        there = np.ones(2 * REACH + 1, np.bool_)
        curve = tone_curve([
            Seen(one.number, np.broadcast_to(one.luma.astype(np.float32), (2 * REACH + 1, *one.luma.shape)), there,
                 self.pictures[one.number].astype(np.float32))
            for one in known
        ])  # fmt: skip
        return [(one.number, ssim(curve(one.luma.astype(np.float32)), self.pictures[one.number])) for one in known]

    def strays(self, made: bool) -> list[Stray]:
        """Frames that are not shown where they should be."""
        return strays(self.original, self.grids, self.offset, self.intra, made)

    def standing(self, made: bool) -> list[int]:
        """Frames of the original to which the proxy makes no step, the clearest first."""
        return standing(self.moves, self.offset, made)

    @property
    def intra(self) -> bool:
        """Whether each of the proxy's frames is packed by itself."""
        return min(self.weights, default=1.0) >= 1


def read_signed(
    original: Half, proxy: Half, offset: int, report: Callable[[float], None] = lambda done: None
) -> Signed | None:
    """Read all frames of the proxy; None where the original has no signature, or the two do not go frame by frame.

    Raises MediaError.
    """
    signature = kept_signature(original.path)
    if signature is None or signature.frames != original.info.frames:
        return None
    if original.info.variable_rate and original.info.frames != proxy.info.frames:
        return None
    wanted = {one.number: one for one in signature.pictures}
    tools = VideoReformatter(), VideoReformatter(), VideoReformatter()
    grids, pictures, colours = [], {}, {}
    moves = _Moves(signature.points(), offset)
    with opened(proxy) as reader:
        keys = set(reader.index.keys.tolist())
        for number in range(len(reader.index)):
            frame = reader.frame(number)
            fine = fine_of(frame, tools[0])
            grids.append(cells_of(fine))
            moves.add(fine)
            one = wanted.get(number + offset)
            if one is not None:
                size = one.luma.shape[::-1]
                pictures[one.number] = np.ascontiguousarray(upright_luma(frame, size[0], size[1], tools[1]))
                if one.coded is not None:
                    colours[one.number] = coded(frame, tools[2]), matrix_of(frame, proxy.info.height)
            if number % 16 == 0:
                report(number / len(reader.index))
    weights = tuple(1.0 if number in keys else _LAGGING for number in range(len(grids)))
    told = np.array(moves.found, np.float32)
    return Signed(signature, offset, signature.grids(), np.stack(grids), weights, pictures, colours, told)


class _Moves:
    """``found``: what the proxy makes of its original's steps, frame by frame."""

    def __init__(self, points: Points | None, offset: int) -> None:
        self._points, self._offset = points, offset
        self._before: Fine | None = None
        self.found: list[float] = []

    def add(self, now: Fine) -> None:
        """The proxy's next frame."""
        number, before = len(self.found) + self._offset, self._before
        known = self._points is not None and before is not None and 0 < number < len(self._points)
        self.found.append(moved(self._points[number], before, now) if known else float("nan"))  # type: ignore[index, arg-type]
        self._before = now


def confirmed(
    original: Half, proxy: Half, offset: int, stray: Stray, intra: bool, made: bool = False, steady: bool = False
) -> Stray | None:
    """What looking at the original itself shows of a stray frame: decodes those around. None: nothing wrong.

    Raises MediaError.

    ``intra``: whether each of the proxy's frames is packed by itself; ``made``: whether it was made here, so that
    nothing lies over its picture that the original has not; ``steady``: it is from elsewhere, and
    none of its frames seems to lag behind.
    """
    seen = _around(original, proxy, offset, stray.frame)
    row = next((row for row, one in enumerate(seen) if one.frame == stray.frame), None)
    if row is None or len(seen) < _LEAST_BESIDE:
        return None
    curve = tone_curve(seen)
    true = [curve(one.around[REACH]) for one in seen]
    rest = np.stack([one.proxy - picture for one, picture in zip(seen, true, strict=True)])
    rest -= np.median(rest, axis=0)
    noise = np.median(np.abs(np.delete(rest, row, axis=0)), axis=0)
    weights = _LEAST_ERROR / (_LEAST_ERROR + np.square(noise))  # digits that run and edges that stray count for little
    errors = (np.square(rest) * weights).mean(axis=(1, 2))
    here, usual = float(errors[row]), float(np.median(np.delete(errors, row)))
    steps = [(curve(picture) - true[row]) * np.sqrt(weights) for picture in seen[row].around]
    mine = rest[row] * np.sqrt(weights)
    far = stray.shift is not None and abs(stray.shift) > REACH
    if far:
        other = _picture_of(original, proxy, offset, stray)
        left = here if other is None else float(np.square(mine - (curve(other) - true[row]) * np.sqrt(weights)).mean())
        clear = here > _CLEARLY_MORE * usual and left < _OF_ANOTHER * here
        if clear and left < max(_LEAST_ERROR, _LEFT_BY_ANOTHER * usual):
            return stray
    if stray.shift is not None and not far:
        if abs(stray.shift) == 1 and _points_tell(seen, row, stray.shift, curve, rest, made):
            return stray
        step = steps[REACH + stray.shift]
        way = _way(mine, step)
        beside = [
            _way(off * np.sqrt(weights), (curve(one.around[REACH + stray.shift]) - picture) * np.sqrt(weights))
            for at, (off, one, picture) in enumerate(zip(rest, seen, true, strict=True)) if at != row
        ]  # fmt: skip
        left = float(np.square(mine - step).mean())
        least = _WAY if intra else _WAY_PACKED if made else _FOREIGN_WAY
        fits = way < _TOO_FAR and left < max(_LEAST_ERROR, _LEFT * usual)
        clear = here > _MORE * usual if made else here > _MORE * usual and way > max(beside) + _ABOVE
        clear = clear or (made and _is_apart(way, beside))
        if fits and ((way > least and clear) or (steady and abs(stray.shift) == 1 and _is_alone(way, beside))):
            return stray
        if made and here > _CLEARLY_MORE * usual and left < _OF_ANOTHER * here:
            return Stray(stray.frame, None)  # like that one more than like itself, and which it is is not told
    moves = max(float(np.square(steps[REACH + one]).mean()) for one in (-1, 1))
    further = _FURTHER if made else _FURTHER_FOREIGN
    return Stray(stray.frame, None) if here > max(_LEAST_ERROR, further * usual, _BEYOND_MOVEMENT * moves) else None


def _around(original: Half, proxy: Half, offset: int, frame: int, last: int | None = None) -> list[Seen]:
    """Both around a frame, or around it and those up to ``last``."""
    within = max(-1, frame - _BESIDE), min(original.info.frames, (frame if last is None else last) + _BESIDE)
    return list(read_places(original, proxy, offset, within=within).seen)


def _picture_of(original: Half, proxy: Half, offset: int, stray: Stray) -> NDArray[np.float32] | None:
    """The original's frame that is shown instead, as it is compared with the proxy's: float32 (height, width)."""
    assert stray.shift is not None
    frame = stray.frame + stray.shift
    return next((one.around[REACH] for one in _around(original, proxy, offset + stray.shift, frame)
                 if one.frame == frame), None)  # fmt: skip


def _way(off: NDArray[np.float32], step: NDArray[np.float32]) -> float:
    """How much of a step what is off is, 1 for all of it."""
    return float((off * step).sum() / max(1e-6, float(np.square(step).sum())))


def shown_beside(original: Half, proxy: Half, offset: int, frame: int, made: bool) -> Stray | None:
    """Where the proxy makes no step to a frame of the original: which of the two shows the other, by the pixels of the
    original that change most. None where neither does, clearly.

    Raises MediaError.
    """
    seen = _around(original, proxy, offset, frame - 1, frame)
    if len(seen) < _LEAST_BESIDE:
        return None
    curve = tone_curve(seen)
    rest = np.stack([one.proxy - curve(one.around[REACH]) for one in seen])
    rest -= np.median(rest, axis=0)
    for row, one in enumerate(seen):
        shift = {frame: -1, frame - 1: 1}.get(one.frame)
        if shift is not None and _points_tell(seen, row, shift, curve, rest, made):
            return Stray(one.frame, shift)
    return None


def _points_tell(
    seen: list[Seen], row: int, shift: int, curve: Curve, rest: NDArray[np.float32], made: bool
) -> bool:
    """By the pixels that change most between the right frame and the neighbour: grain and what the packing leaves out
    count for little there. ``rest``: what is off of each, float32 (frames, height, width)."""
    ways = [_way_by_points(off, one, shift, curve) for off, one in zip(rest, seen, strict=True)]
    beside = [way for at, way in enumerate(ways) if at != row and way is not None]
    here = ways[row]
    if here is None or len(beside) < _LEAST_BESIDE:
        return False
    least, before = (_TOLD, _BEFORE_ALL) if made else (_TOLD_FOREIGN, _BEFORE_ALL_FOREIGN)
    return least < here < _TOO_FAR and here - max(beside) > before


def _way_by_points(off: NDArray[np.float32], one: Seen, shift: int, curve: Curve) -> float | None:
    """None where the original has no such neighbour."""
    if not one.there[REACH + shift]:
        return None
    step = (curve(one.around[REACH + shift]) - curve(one.around[REACH])).ravel()
    most = np.argpartition(np.abs(step), -min(_TELLING, len(step)))[-_TELLING:]
    return _way(off.ravel()[most], step[most])


def _is_alone(way: float, beside: list[float]) -> bool:
    """The same for files from elsewhere of which no frame seems to lag: all beside must be nearly where they belong."""
    return way > _WAY_PACKED and len(beside) >= 2 * (_BESIDE - 1) and max(beside) < _HARDLY


def _is_apart(way: float, beside: list[float]) -> bool:
    """Whether a frame goes as far on the way as a neighbour would, and others do not. Grain is in both the frame and
    the step, so that a right one goes some of it too, and a neighbour as much less than all of it. Not for files that
    were packed hard elsewhere: their frames lag behind."""
    usual = float(np.median(beside))
    spread = max(_STRAY_WAY, 1.4826 * float(np.median(np.abs(np.array(beside) - usual))))
    return usual < _MOST_USUAL and way > 1 - max(0.0, usual) - _SHORT and way - usual > _APART * spread
