"""What a preset would make of a source, clip by clip: what is not known is measured in short runs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import ShadowError, sentence
from ..estimates import (
    ClipForecast,
    Estimate,
    HeadroomRequest,
    Kind,
    Measurements,
    Sample,
    TasteRequest,
    estimate,
    forecast_clip,
    headroom_under,
    keep_headroom,
    keep_taste,
    kinds_of,
    measure_headroom,
    measure_taste,
    needs_proxy,
    taste_under,
)
from ..media import is_known_media_name, probe
from ..media.sequence import status
from ..presets import Preset
from .settling import settled
from .source import read_source, taken


@dataclass(frozen=True)
class Forecast:
    """Of a source: its kinds, and each clip that gets a proxy."""

    kinds: tuple[tuple[Kind, Estimate], ...]
    clips: tuple[tuple[Sample, ClipForecast], ...]

    @property
    def total_bytes(self) -> float | None:
        """Bytes of all proxies; None while one of them is not known."""
        return _total([clip.bytes.value if clip.bytes is not None else None for _sample, clip in self.clips])

    @property
    def total_seconds(self) -> float | None:
        """Seconds of work for all; None while one of them is not known."""
        return _total([clip.seconds.value if clip.seconds is not None else None for _sample, clip in self.clips])

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return {
            "kinds": [{**_kind_values(kind), **one.to_json()} for kind, one in self.kinds],
            "clips": [_clip_values(sample, clip) for sample, clip in self.clips],
            "total": {"clips": len(self.clips), "bytes": self.total_bytes, "seconds": self.total_seconds},
        }


def _total(values: list[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) if len(known) == len(values) else None


def _kind_values(kind: Kind) -> dict[str, Any]:
    info = kind.info
    return {
        "width": info.display_width, "height": info.display_height, "codec": info.codec, "bit_depth": info.bit_depth,
        "frame_rate": f"{info.frame_rate.numerator}/{info.frame_rate.denominator}", "clips": kind.clips,
        "seconds": kind.seconds,
    }  # fmt: skip


def _clip_values(sample: Sample, clip: ClipForecast) -> dict[str, Any]:
    return {
        "path": str(sample.path), "frames": clip.frames,
        "proxy_width": clip.pixels[0] if clip.pixels else None, "proxy_height": clip.pixels[1] if clip.pixels else None,
        "proxy_bytes": clip.bytes.to_json() if clip.bytes else None,
        "seconds": clip.seconds.to_json() if clip.seconds else None,
    }  # fmt: skip


def samples_of(source: Path, preset: Preset) -> tuple[list[Sample], list[tuple[Path, str]]]:
    """The video originals on a source (a folder, or one file) that a preset takes, and what cannot be used and why."""
    paths: list[tuple[Path, Any]] = []
    if source.is_file():
        if is_known_media_name(source.name) != "video":
            return [], []
        paths.append((source.absolute(), None))
    else:
        for file in taken(settled(source, read_source(source)), preset.takes).files:
            if file.kind in ("video", "sequence"):
                rate = preset.takes.sequence_rate if file.kind == "sequence" else None
                paths.append((source.absolute() / file.path, rate))
    samples, problems = [], []
    for path, rate in paths:
        try:
            info = probe(path, rate)
            if info.kind == "video" and info.duration > preset.takes.longer_than:
                samples.append(Sample(path, info, *status(path)))
        except (ShadowError, OSError) as error:
            problems.append((path, sentence(error)))
    return samples, problems


def forecast(
    samples: list[Sample],
    preset: Preset,
    kept: Measurements,
    per_kind: int,
    told: Callable[[str], None] = lambda text: None,
) -> Forecast:
    """What the preset makes of the samples; of each kind at most ``per_kind`` are measured where that is not known."""
    kinds = kinds_of(samples)
    for kind in kinds:
        for sample in _spread(kind.samples, per_kind):
            measure_sample(sample, preset, kept, told)
    clips = [
        (sample, forecast_clip(sample, kind, preset, kept))
        for kind in kinds
        for sample in kind.samples
        if _gets_one(sample, preset, kept)
    ]
    return Forecast(tuple((kind, estimate(kind, preset, kept)) for kind in kinds), tuple(clips))


def _spread(samples: tuple[Sample, ...], most: int) -> list[Sample]:
    if len(samples) <= most:
        return list(samples)
    return [samples[number * len(samples) // most] for number in range(most)]


def measure_sample(sample: Sample, preset: Preset, kept: Measurements, told: Callable[[str], None]) -> None:
    """Measure and keep an original's headroom, and a taste of the preset, where they are not known."""

    def quiet(done: float) -> None:
        pass

    if headroom_under(sample.key, kept) is None:
        told(f"measuring the headroom of {sample.path.name}")
        keep_headroom(sample.path, measure_headroom(HeadroomRequest(sample.path, sample.info), quiet), kept)
    settings = preset.proxies
    if settings is None or taste_under(sample.key, settings, kept) is not None or not _gets_one(sample, preset, kept):
        return
    told(f"trying the preset on {sample.path.name}")
    try:
        taste = measure_taste(TasteRequest(sample.path, settings, sample.info), quiet)
    except ShadowError as error:
        told(sentence(error))
        return
    keep_taste(sample.key, settings, taste, kept)


def _gets_one(sample: Sample, preset: Preset, kept: Measurements) -> bool:
    known = headroom_under(sample.key, kept)
    return preset.proxies is not None and needs_proxy(
        sample.info, preset.proxies, known.ratio if known is not None else None
    )
