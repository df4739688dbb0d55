"""A trial: a few seconds of a clip made for real with some presets, to be looked at side by side."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import PresetError, ProxyError
from ..jobs import Report
from ..media import FrameReader, MediaInfo, open_reader, probe
from ..media.likeness import likeness
from ..presets import Preset, Proxies
from ..proxies import ProxyRequest, make_proxy
from .headroom import HeadroomRequest, measure_headroom

MOST = 4  # presets side by side
_COMPARED = 3  # frames
_HEADROOM_BUDGET = 0.6  # seconds


@dataclass(frozen=True)
class TrialRequest:
    """Make frames ``first`` to ``first + count - 1`` of ``original`` with one preset, into ``folder`` as ``name``."""

    original: Path
    preset: Preset
    folder: Path
    name: str
    first: int
    count: int
    info: MediaInfo | None = None


@dataclass(frozen=True)
class TrialResult:
    """One preset's stretch: the file, its bytes, for an hour as well, headroom, likeness (SSIM at the original's size).

    ``seconds`` of work; ``first``: frame of the original at its beginning.
    """

    preset: str
    path: Path
    info: MediaInfo
    bytes: int
    bytes_per_hour: float
    seconds: float
    headroom: float
    likeness: float
    first: int

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        return {
            "preset": self.preset, "path": str(self.path), "width": self.info.width, "height": self.info.height,
            "frames": self.info.frames, "bytes": self.bytes, "bytes_per_hour": self.bytes_per_hour,
            "seconds": self.seconds, "headroom": self.headroom, "likeness": self.likeness, "first_frame": self.first,
        }  # fmt: skip


def stretch(info: MediaInfo, seconds: float, at: int | None = None) -> tuple[int, int]:
    """(first frame, number) of so many seconds of a clip round frame ``at``, or round its middle."""
    count = max(1, min(info.frames, round(seconds * float(info.frame_rate))))
    middle = info.frames // 2 if at is None else at
    return max(0, min(info.frames - count, middle - count // 2)), count


def trial_requests(
    original: Path, presets: Sequence[Preset], folder: Path, seconds: float, at: int | None = None,
    info: MediaInfo | None = None,
) -> list[TrialRequest]:  # fmt: skip
    """One request for each preset. Raises PresetError for too many, or one that makes no proxies; MediaError."""
    info = info or probe(original)
    if info.kind != "video":
        raise ProxyError("is not video, so there is nothing to try", original, "Choose a video file.")
    if not 1 <= len(presets) <= MOST:
        raise PresetError(f"a trial takes one to {MOST} presets", None, "Choose fewer.")
    for preset in presets:
        if preset.proxies is None:
            raise PresetError(f'"{preset.name}" makes no proxies', None, "Choose another preset for the trial.")
    first, count = stretch(info, seconds, at)
    return [
        TrialRequest(original, preset, folder, f"{number + 1}.mov", first, count, info)
        for number, preset in enumerate(presets)
    ]


def run_trial(request: TrialRequest, report: Report) -> TrialResult:
    """Make one stretch and compare it: a task for a worker. Raises ShadowError."""
    settings = request.preset.proxies
    assert settings is not None
    info = request.info or probe(request.original)
    target = request.folder / request.name
    target.unlink(missing_ok=True)
    begun = time.perf_counter()
    made = make_proxy(
        ProxyRequest(
            request.original, target, settings, info, {"name": request.original.stem}, (request.first, request.count)
        ),
        lambda done: report(done * 0.8),
    )
    seconds = time.perf_counter() - begun
    headroom = measure_headroom(HeadroomRequest(target, made.info, _HEADROOM_BUDGET), lambda done: None)
    like = _likeness(request, info, settings, target)
    report(1.0)
    size = target.stat().st_size
    hour = size / max(1, made.info.frames) * float(info.frame_rate) * 3600
    return TrialResult(request.preset.name, target, made.info, size, hour, seconds, headroom.ratio, like, request.first)


def _likeness(request: TrialRequest, info: MediaInfo, settings: Proxies, made: Path) -> float:
    original = open_reader(request.original, info.interlaced, info.sequence_rate)
    try:
        with FrameReader(made) as proxy:
            count = len(proxy.index)
            places = sorted({count * n // _COMPARED for n in range(_COMPARED)})
            values = [
                likeness(
                    original.frame(request.first + place), proxy.frame(place), info.display_width, info.display_height
                )
                for place in places
            ]
    finally:
        original.close()
    return sum(values) / len(values)
