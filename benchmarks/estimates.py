"""Estimates against reality on the demo card."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from agile_shadow.core.estimates import Measurements
from agile_shadow.core.ingest import forecast, samples_of
from agile_shadow.core.media import MediaInfo
from agile_shadow.core.presets import Preset, find_preset
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from footage import demo_card

Told = tuple[str, float, float, str]
PRESETS = ("Everyday, quarter size", "Small files, quarter size", "Originals stay in place, half size")


def measure_estimates(folder: Path, presets: int = len(PRESETS)) -> Iterator[Told]:
    """Deviations in per cent: bytes of the worst clip, seconds of all, and of the worst clip of a second or more."""
    for name in PRESETS[:presets]:
        preset = find_preset(name)
        samples, _problems = samples_of(demo_card(), preset)
        found = forecast(samples, preset, Measurements(folder / f"{name}.sqlite"), 8)
        bytes_off, exact, predicted, real = [], True, [], []
        for sample, clip in found.clips:
            assert clip.bytes is not None and clip.seconds is not None
            seconds, info, size = _make(folder, preset, sample.path)
            exact = exact and (info.width, info.height, info.frames) == (*(clip.pixels or (0, 0)), clip.frames)
            bytes_off.append(abs(clip.bytes.value / size - 1))
            predicted.append(clip.seconds.value)
            real.append(seconds)
        print(f"  {name}: predicted {sum(predicted):.1f} s, real {sum(real):.1f} s; ", end="")
        print(", ".join(f"{p:.2f}/{r:.2f}" for p, r in zip(predicted, real, strict=True)))
        yield f"{name}: bytes of the worst clip, predicted against real", 100 * max(bytes_off), 15, " %"
        yield f"{name}: time of all, predicted against real", 100 * abs(sum(predicted) / sum(real) - 1), 25, " %"
        worst = max(abs(p / r - 1) for p, r in zip(predicted, real, strict=True) if r >= 1)
        yield f"{name}: time of the worst clip of a second or more", 100 * worst, 25, " %"
        yield f"{name}: clips whose pixels or frames were not as predicted", float(not exact), 0, ""


def _make(folder: Path, preset: Preset, original: Path) -> tuple[float, MediaInfo, int]:
    assert preset.proxies is not None
    target = folder / f"{preset.name} {original.stem}.mov"
    begun = time.perf_counter()
    made = make_proxy(ProxyRequest(original, target, preset.proxies), lambda done: None)
    took = time.perf_counter() - begun
    size = target.stat().st_size
    target.unlink()
    return took, made.info, size
