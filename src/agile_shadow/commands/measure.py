"""``agile-shadow headroom``, ``estimate`` and ``trial``: what footage and presets do on this machine."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError
from ..core.estimates import (
    HeadroomRequest,
    Measurements,
    TrialResult,
    headroom_of,
    keep_headroom,
    measure_headroom,
    run_trial,
    trial_requests,
)
from ..core.ingest import Forecast, forecast, samples_of
from ..core.media import probe
from ..core.presets import find_preset
from .shared import AsJson, answer, for_each, gigabytes, say, told

PresetName = Annotated[str, typer.Option("--preset", help="Preset file or name.")]


def headroom(
    files: Annotated[list[Path], typer.Argument(metavar="FILE...")],
    again: Annotated[bool, typer.Option("--again", help="Measure anew what was measured before.")] = False,
    as_json: AsJson = False,
) -> None:
    """Measure how many times faster than their frame rate files decode here."""
    kept = Measurements()

    def measure(path: Path) -> dict[str, Any]:
        info = probe(path)
        if again:
            request = HeadroomRequest(path.absolute(), info)
            keep_headroom(path.absolute(), measure_headroom(request, lambda done: None), kept)
        found = headroom_of(path.absolute(), kept, info)
        return {"path": str(path), "headroom": found.ratio, "frames": found.frames, "seconds": found.seconds}

    good, bad = for_each(files, measure)
    answer(
        {"files": good, "failed": bad}, as_json, lambda: (f"{item['path']}: {item['headroom']:.2f}x" for item in good)
    )
    if bad:
        raise typer.Exit(1)


def estimate(
    source: Annotated[Path, typer.Argument(metavar="SOURCE", help="Folder or file with footage.")],
    preset: PresetName,
    measure: Annotated[bool, typer.Option(help="Measure what is not known yet, in short runs.")] = True,
    per_kind: Annotated[int, typer.Option(min=1, help="Clips of each kind to measure at the most.")] = 8,
    as_json: AsJson = False,
) -> None:
    """Say what a preset would make of a source: sizes, bytes, time, headroom. Nothing is written to the source."""
    with told():
        chosen = find_preset(preset)
        samples, problems = samples_of(source, chosen)
        if not samples:
            raise ShadowError("there is no video on it that this preset takes", source, "Choose another source.")
        found = forecast(samples, chosen, Measurements(), per_kind if measure else 0, say)
    values = {**found.to_json(), "failed": [{"path": str(path), "reason": reason} for path, reason in problems]}
    answer(values, as_json, lambda: _forecast_lines(found))


def _forecast_lines(found: Forecast) -> Iterator[str]:
    for kind, one in found.kinds:
        info = kind.info
        made = f"{one.pixels[0]} x {one.pixels[1]}" if one.pixels else "no proxy"
        shape = "exact shape" if one.shape_error == 0 else f"shape off by {one.shape_error:.2%}"
        data = f"{gigabytes(one.hour_after.value)} an hour ({one.hour_after.basis})" if one.hour_after else ""
        work = f"{one.work.value:.2f} h of work an hour" if one.work else "not measured yet"
        what = f"{info.display_width} x {info.display_height} {info.codec}"
        yield f"{kind.clips} of {what}: {made}, {shape}, {data}, {work}"
        for note in one.notes:
            yield f"    {note}"
    size, seconds = found.total_bytes, found.total_seconds
    yield (
        f"In all {counted(len(found.clips), 'clip')}, "
        f"{gigabytes(size) if size is not None else 'size not measured yet'}, "
        f"{f'{seconds:.0f} s of work' if seconds is not None else 'time not measured yet'}"
    )


def trial(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    preset: Annotated[list[str], typer.Option("--preset", help="Preset file or name; up to four times.")],
    seconds: Annotated[float, typer.Option(min=0.1, max=60, help="Length of the trial.")] = 3.0,
    at: Annotated[int | None, typer.Option(help="Frame at its middle; default: the middle of the clip.")] = None,
    keep: Annotated[Path | None, typer.Option(help="Folder in which the trial files are kept.")] = None,
    as_json: AsJson = False,
) -> None:
    """Make a few seconds for real with up to four presets: bytes, headroom and likeness of each."""
    folder = keep or Path(tempfile.mkdtemp(prefix="trial-"))
    try:
        with told():
            folder.mkdir(parents=True, exist_ok=True)
            requests = trial_requests(file.absolute(), [find_preset(name) for name in preset], folder, seconds, at)
            results = []
            for request in requests:
                say(f"making {request.preset.name}")
                results.append(run_trial(request, lambda done: None))
    finally:
        if keep is None:
            shutil.rmtree(folder, ignore_errors=True)
    values = [{**result.to_json(), "path": str(result.path) if keep is not None else None} for result in results]
    answer({"file": str(file), "trials": values}, as_json, lambda: map(_trial_line, results))


def _trial_line(result: TrialResult) -> str:
    data = f"{gigabytes(result.bytes)}, {gigabytes(result.bytes_per_hour)} an hour"
    size = f"{result.info.width} x {result.info.height}"
    return f"{result.preset}: {size}, {data}, headroom {result.headroom:.1f}x, likeness {result.likeness:.3f}"
