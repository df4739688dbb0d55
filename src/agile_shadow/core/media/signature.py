"""What a clip looks like, frame for frame, in a few hundred bytes each: taken while all its frames pass through memory.

Of every frame the mean brightness of WIDE x HIGH cells and the points that tell it from the one before, of a few frames
a small picture and its colours, of every sound channel how loud it is all along. From it a file that is to show the
same is told right or wrong at every one of its frames without decoding the original again.
"""

from __future__ import annotations

import io
import logging
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from .cached import Cached
from .coded import Coded, coded, matrix_of
from .envelopes import Envelopes
from .fingerprint import HEARD, HIGH, SAMPLES, WIDE, Envelope, Fingerprint, Grids, cells_of
from .index import FrameIndex
from .info import MediaInfo
from .likeness import upright_luma
from .telling import FINE_HIGH, FINE_WIDE, Fine, Points, fine_of, packed_points, points_of, unpacked_points

log = logging.getLogger(__name__)

WORKING = 320  # pixels of a small picture's longer side, at the most
FOLDER = "signatures"  # of the cache
_STEPS = 4  # steps of a level of brightness that are kept
_PIECE = 500  # frames that are packed together
_PICTURES, _FEWEST, _COLOURED = 12, 4, 3  # one a second, within bounds
_CELL = FINE_HIGH // HIGH  # points of a cell on each side
_LARGE = 1280  # pixels: of pictures as wide two rows of each point are read


@dataclass(frozen=True)
class SmallPicture:
    """A frame by its number, upright: ``luma`` uint8 (height, width); of some, ``coded``: colours and their matrix."""

    number: int
    luma: NDArray[np.uint8]
    coded: tuple[Coded, int] | None = None


@dataclass(frozen=True)
class Signature:
    """Of ``frames`` frames, packed; ``pictures`` of a few, ascending; ``told`` the points that tell each frame from the
    one before, empty in signatures of earlier versions; ``heard`` how loud it is, None where its sound was not decoded
    along with it, too."""

    frames: int
    pieces: tuple[bytes, ...]
    pictures: tuple[SmallPicture, ...]
    told: tuple[bytes, ...] = ()
    heard: Envelopes | None = None

    @property
    def size(self) -> int:
        """Bytes of the frames' part."""
        return sum(len(piece) for piece in (*self.pieces, *self.told))

    def points(self) -> Points | None:
        """uint16 (frames, POINTS, 2), as :mod:`.telling` has them; None where they are not known."""
        return np.concatenate([unpacked_points(piece) for piece in self.told]) if self.told else None

    def grids(self) -> Grids:
        """float32 (frames, HIGH, WIDE): mean brightness of the cells, upright, 0 to 255 or the limited range of it."""
        if not self.pieces:
            return np.zeros((0, HIGH, WIDE), np.float32)
        return np.concatenate([_unpacked(piece) for piece in self.pieces]) * np.float32(1 / _STEPS)

    def fingerprint(self, heard: Envelope | None = None) -> Fingerprint:
        """That of the same file; ``heard``: its loudness over time, None: as it is kept, where it is."""
        if heard is None and self.heard is not None:
            heard = self.heard.loudness(HEARD)
        numbers = np.unique(np.linspace(0, max(0, self.frames - 1), min(self.frames, SAMPLES)).round().astype(np.int64))
        silence = np.zeros(0, np.float32)
        return Fingerprint(self.frames, numbers, self.grids()[numbers], silence if heard is None else heard)

    def to_bytes(self) -> bytes:
        """For keeping."""
        values = {
            "frames": np.int64(self.frames), **_joined("pieces", self.pieces), **_joined("told", self.told),
            "numbers": np.array([one.number for one in self.pictures], np.int64),
        }  # fmt: skip
        if self.heard is not None:
            values["heard"] = np.frombuffer(self.heard.to_bytes(), np.uint8)
            values["widths"] = np.array(self.heard.widths, np.int64)
        for at, one in enumerate(self.pictures):
            values[f"luma{at}"] = one.luma
            if one.coded is not None:
                values[f"planes{at}"] = one.coded[0].planes.astype(np.float16)
                values[f"kind{at}"] = np.array([one.coded[0].is_rgb, one.coded[1]], np.int64)
        out = io.BytesIO()
        np.savez_compressed(out, **values)  # type: ignore[arg-type]
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Signature:
        """The inverse of :meth:`to_bytes`. Raises ValueError, KeyError, OSError, zlib.error, zipfile.BadZipFile."""
        with np.load(io.BytesIO(data)) as kept:
            pictures = tuple(_picture(kept, at, int(number)) for at, number in enumerate(kept["numbers"]))
            heard = Envelopes.from_bytes(kept["heard"].tobytes(), kept["widths"].tolist()) if "heard" in kept else None
            found = cls(int(kept["frames"]), _parted("pieces", kept), pictures, _parted("told", kept), heard)
        counts = {sum(len(_unpacked(piece)) for piece in found.pieces)}  # a piece at a time: hours are large
        if found.told:
            counts.add(sum(len(unpacked_points(piece)) for piece in found.told))
        if counts != {found.frames}:
            raise ValueError("a signature that is not whole")
        return found


def _joined(name: str, pieces: tuple[bytes, ...]) -> dict[str, NDArray[np.generic]]:
    lengths = np.array([len(piece) for piece in pieces], np.int64)
    return {name: np.frombuffer(b"".join(pieces), np.uint8), _lengths(name): lengths}


def _parted(name: str, kept: np.lib.npyio.NpzFile) -> tuple[bytes, ...]:
    """The inverse of :func:`_joined`; empty where there is none."""
    if name not in kept:
        return ()
    whole, lengths = kept[name].tobytes(), kept[_lengths(name)]
    return tuple(whole[end - size : end] for end, size in zip(np.cumsum(lengths), lengths, strict=True))


def _lengths(name: str) -> str:
    return "lengths" if name == "pieces" else f"lengths of {name}"


def _picture(kept: np.lib.npyio.NpzFile, at: int, number: int) -> SmallPicture:
    if f"kind{at}" not in kept:
        return SmallPicture(number, kept[f"luma{at}"])
    is_rgb, matrix = kept[f"kind{at}"]
    planes = Coded(kept[f"planes{at}"].astype(np.float32), bool(is_rgb))
    return SmallPicture(number, kept[f"luma{at}"], (planes, int(matrix)))


def _packed(grids: list[NDArray[np.uint16]]) -> bytes:
    """Each frame as its difference from the one before, low bytes apart from high ones."""
    values = np.ascontiguousarray(np.stack(grids))
    values[1:] = values[1:] - values[:-1]  # what is below 0 goes round, and comes back round
    return zlib.compress(values.view(np.uint8).reshape(-1, 2).T.tobytes(), 2)


def _unpacked(piece: bytes) -> NDArray[np.uint16]:
    """The inverse of :func:`_packed`: uint16 (frames, HIGH, WIDE)."""
    halves = np.frombuffer(zlib.decompress(piece), np.uint8).reshape(2, -1)
    values: NDArray[np.uint16] = np.ascontiguousarray(halves.T).view(np.uint16).reshape(-1, HIGH, WIDE)
    return np.cumsum(values, axis=0, dtype=np.uint16)


def working_size(width: int, height: int) -> tuple[int, int]:
    """(width, height) in pixels of a small picture of one of that size."""
    if max(width, height) <= WORKING:
        return width, height
    part = WORKING / max(width, height)
    return max(16, round(width * part)), max(16, round(height * part))


class SignatureTaker:
    """Takes it from the decoded frames of an original, in their order. For one thread."""

    def __init__(self, info: MediaInfo, index: FrameIndex) -> None:
        self._info, self._index = info, index
        self._size = working_size(info.display_width, info.display_height)
        count = len(index)
        seconds = int(count / info.frame_rate) if info.frame_rate else 0
        self._wanted = set(_spread(count, max(_FEWEST, min(_PICTURES, seconds))))
        self._coloured = set(sorted(self._wanted)[1 :: max(1, len(self._wanted) // _COLOURED)])
        self._pictures: list[SmallPicture] = []
        self._waiting: list[NDArray[np.uint16]] = []
        self._pieces: list[bytes] = []
        self._before: Fine | None = None
        self._points: list[Points] = []
        self._told: list[bytes] = []
        self._count = 0
        self._whole = True
        self._reformatters = VideoReformatter(), VideoReformatter(), VideoReformatter()
        self._cells: _Cells | None = None

    def add(self, frame: VideoFrame) -> None:
        """The next frame. One that is not the next by its time ends the taking: there will be no signature."""
        try:
            self._add(frame)
        except Exception:  # whatever it was: the proxy is what matters, and the signature is only not taken
            log.warning("no signature is taken of %s", self._info.container, exc_info=True)
            self._whole = False

    def _add(self, frame: VideoFrame) -> None:
        number = self._count
        self._whole = self._whole and number < len(self._index) and frame.pts == self._index.times[number]
        if not self._whole:
            return
        if self._cells is None:
            self._cells = _Cells(frame)
        grid, fine = self._cells.of(frame)
        self._waiting.append(np.round(grid * _STEPS).astype(np.uint16))
        self._points.append(points_of(self._before, fine))
        self._before = fine
        if number in self._wanted:
            luma = np.ascontiguousarray(upright_luma(frame, *self._size, self._reformatters[0]))
            colours = None
            if number in self._coloured:
                colours = coded(frame, self._reformatters[1]), matrix_of(frame, self._info.height)
            self._pictures.append(SmallPicture(number, luma, colours))
        self._count += 1
        if len(self._waiting) >= _PIECE:
            self._pack()

    def _pack(self) -> None:
        self._pieces.append(_packed(self._waiting))
        self._told.append(packed_points(self._points))
        self._waiting.clear()
        self._points.clear()

    def taken(self) -> Signature | None:
        """The signature; None where frames were missing."""
        if not self._whole or self._count != len(self._index):
            return None
        if self._waiting:
            self._pack()
        return Signature(self._count, tuple(self._pieces), tuple(self._pictures), tuple(self._told))


def _spread(count: int, wanted: int) -> list[int]:
    return [int((at + 0.5) * count / wanted) for at in range(wanted)] if count > wanted else list(range(count))


class _Cells:
    """Mean brightness of the cells, and of the points they are made of, of frames that are like the first one."""

    def __init__(self, first: VideoFrame) -> None:
        self._reformatter = VideoReformatter()
        self._kind = first.format.name, first.width, first.height
        self._turn = -first.rotation % 360
        high, wide = (FINE_WIDE, FINE_HIGH) if self._turn % 180 else (FINE_HIGH, FINE_WIDE)
        bits = _luma_bits(first)
        self._type = np.uint8 if bits == 8 else np.uint16
        self._sum = np.uint16 if bits < 16 else np.uint32
        self._rows = _two_of_each(first.height, high)
        self._columns = np.round(np.arange(wide) * first.width / wide).astype(np.int64)
        self._direct = bits > 0 and first.width >= max(_LARGE, wide) and first.height >= 2 * high
        counts = 2.0 ** (bits - 7) * np.diff([*self._columns, first.width])
        self._part = np.broadcast_to(1 / np.maximum(counts, 1), (high, wide)).astype(np.float32)
        self._cell_part = (1 / np.maximum(_by_cells(np.broadcast_to(counts, (high, wide))), 1)).astype(np.float32)

    def of(self, frame: VideoFrame) -> tuple[Grids, Fine]:
        """float32 (HIGH, WIDE), and uint8 (FINE_HIGH, FINE_WIDE), upright."""
        if not self._direct or (frame.format.name, frame.width, frame.height) != self._kind:
            fine = fine_of(frame, self._reformatter)
            return cells_of(fine), fine
        plane = frame.planes[0]
        rows = np.frombuffer(memoryview(plane), self._type).reshape(plane.height, -1)
        both = np.add(*(rows[which, : frame.width] for which in self._rows), dtype=self._sum)
        points = np.add.reduceat(both, self._columns, axis=1, dtype=np.uint32)
        grid = _by_cells(points) * self._cell_part
        fine = np.minimum(points * self._part + np.float32(0.5), 255).astype(np.uint8)
        if not self._turn:
            return grid, fine
        turns = -(self._turn // 90)
        return np.rot90(grid, k=turns), np.ascontiguousarray(np.rot90(fine, k=turns))


def _two_of_each(height: int, bands: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Two rows of a picture out of each of so many bands of it, of both fields."""
    first, second = (np.floor((np.arange(bands) + part) * height / bands).astype(np.int64) for part in (0.25, 0.75))
    return first, second - (second - first + 1) % 2


def _by_cells(points: NDArray[Any]) -> NDArray[np.float32]:
    """Sums of the points of each cell."""
    high, wide = points.shape[0] // _CELL, points.shape[1] // _CELL
    columns = np.add.reduce(points.reshape(high, _CELL, wide * _CELL), axis=1)
    return np.asarray(np.add.reduce(columns.reshape(high, wide, _CELL), axis=2), np.float32)


def _luma_bits(frame: VideoFrame) -> int:
    """Bits of the brightness where it is a plane of its own with its lowest bit at the bottom; 0 where it is not."""
    name = frame.format.name
    if not name.startswith(("yuv4", "yuvj4", "yuva4", "gray")) or name.endswith("be"):
        return 0
    if name.startswith("yuv") and len(frame.planes) < 3:
        return 0  # yuyv422 and its like
    bits = frame.format.components[0].bits
    return bits if 8 <= bits <= 16 else 0


# Kept on this machine

_CACHED = Cached("signature", FOLDER)


def signature_place(path: Path, size: int, modified: int) -> Path:
    """Where the signature of an original is kept that has so many bytes and was changed then (nanoseconds)."""
    return _CACHED.place(path, size, modified)


def kept_signature(path: Path) -> Signature | None:
    """The signature of an original as it is now; None where there is none that can be read."""
    return _CACHED.read(path, Signature.from_bytes)


def signature_as(path: Path, size: int, modified: int) -> Signature | None:
    """The signature of an original as it was then; its drive may be away."""
    return _CACHED.read_as(path, size, modified, Signature.from_bytes)


def has_signature(path: Path) -> bool:
    """Whether one is kept of the original as it is now."""
    return _CACHED.has(path)


def keep_signature(path: Path, signature: Signature, size: int, modified: int) -> None:
    """Keep it under what the original was when it was opened. What cannot be kept is only taken again: no error."""
    _CACHED.keep(path, signature.to_bytes(), size, modified)
