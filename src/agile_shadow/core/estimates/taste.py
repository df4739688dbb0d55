"""A short run of a preset on real footage: what it takes and gives, a frame at a time."""

from __future__ import annotations

import shutil
import tempfile
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import av

from ..errors import MediaError, ProxyError, from_os_error
from ..jobs import Report
from ..log import cache_folder
from ..media import FrameIndex, MediaInfo, probe, read_index
from ..media.opening import open_media
from ..presets import Proxies
from ..proxies import ProxyRequest, made_as
from ..proxies.encoders import group_length
from ..proxies.making import size_or_refusal
from ..proxies.transcode import Transcode
from .headroom import HeadroomRequest, measure_headroom
from .measurements import Measurements

KIND = "taste"
_PLACES = 3
_FRAMES = 14  # at each place, at least
_HEADROOM_BUDGET = 0.4  # seconds


@dataclass(frozen=True)
class Taste:
    """Of one original with one setting: ``picture_bytes`` and ``seconds`` of work for each frame, the proxy's headroom.

    ``frames``: how many were made for it; ``begin``: seconds before the first frame comes.
    """

    picture_bytes: float
    seconds: float
    headroom: float
    frames: int
    begin: float

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return asdict(self)


@dataclass(frozen=True)
class TasteRequest:
    """Make a few short stretches of ``original``; ``info`` where it was probed already."""

    original: Path
    settings: Proxies
    info: MediaInfo | None = None


def measure_taste(request: TasteRequest, report: Report) -> Taste:
    """Make the stretches for real, look at them, throw them away: a task for a worker. Raises ShadowError."""
    info = request.info or probe(request.original)
    folder = Path(tempfile.mkdtemp(prefix="taste-", dir=cache_folder()))
    try:
        return _measure(request, info, folder, report)
    except av.error.FFmpegError as error:
        raise ProxyError(
            f"no proxy could be made of it ({error.strerror})", request.original, "It may be damaged: check the file."
        ) from error
    except OSError as error:
        raise from_os_error(error, error.filename or folder, ProxyError) from error
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _measure(request: TasteRequest, info: MediaInfo, folder: Path, report: Report) -> Taste:
    parts = _parts(request, info)
    size = size_or_refusal(ProxyRequest(request.original, folder / "x.mov", request.settings), info)
    frames, picture_bytes, seconds, begin, headroom = 0, 0, 0.0, [], []
    for number, part in enumerate(parts):
        target = folder / f"{number}.mov"
        made = ProxyRequest(request.original, target, request.settings, info, {"name": "A001C001"}, part)
        clock = _Clock(report, number / len(parts))
        work = Transcode(made, info, size, target, clock)
        work.run()
        report((number + 1) / len(parts))
        frames += clock.frames
        picture_bytes += work.picture_bytes
        seconds += clock.last - clock.first if clock.frames > 1 else clock.last - clock.begun
        begin.append(clock.first - clock.begun)
        headroom.append(measure_headroom(HeadroomRequest(target, None, _HEADROOM_BUDGET / len(parts)), _quiet).ratio)
    counted = frames - len(parts) if frames > len(parts) else frames
    return Taste(picture_bytes / frames, seconds / counted, sum(headroom) / len(headroom), frames, min(begin))


class _Clock:
    """Notes when the first frame was done: what opening costs is counted apart. Lets a cancelled run end at once."""

    def __init__(self, report: Report, done: float) -> None:
        self._report, self._done = report, done
        self.begun = self.first = self.last = time.perf_counter()
        self.frames = 0

    def __call__(self, done: float) -> None:
        self.last = time.perf_counter()
        if self.frames == 0:
            self.first = self.last
        self.frames += 1
        self._report(self._done)


def _quiet(done: float) -> None:
    pass


def _parts(request: TasteRequest, info: MediaInfo) -> list[tuple[int, int]]:
    """Stretches of whole groups of pictures, each begun where the original can be entered."""
    with open_media(request.original, info.sequence_rate) as container:
        if not container.streams.video:
            raise MediaError("has no picture", request.original, "Leave it out.")
        index = read_index(request.original, container.streams.video[0])
    group = group_length(request.settings, info.frame_rate)
    length = max(group, -(-_FRAMES // group) * group)
    if len(index) <= length * _PLACES:
        return [(0, min(len(index), length * _PLACES))]
    return [(_entry(index, place * (len(index) - length) // (_PLACES - 1)), length) for place in range(_PLACES)]


def _entry(index: FrameIndex, frame: int) -> int:
    return index.key_before(frame)


def taste_key(file: str, settings: Proxies) -> str:
    """Under what a taste is kept; ``file``: the key of the original."""
    return f"{file}|{made_as(settings)}"


def taste_under(file: str, settings: Proxies, kept: Measurements) -> tuple[Taste, float] | None:
    """A taste taken earlier of the file of that key, and when; touches no drive of the file."""
    found = kept.kept(KIND, taste_key(file, settings))
    return (Taste(**found.value), found.taken) if found is not None else None


def keep_taste(file: str, settings: Proxies, taste: Taste, kept: Measurements) -> None:
    """Remember a taste of the file of that key."""
    kept.keep(KIND, taste_key(file, settings), taste.to_json())
