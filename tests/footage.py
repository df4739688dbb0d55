"""Help to look at footage in tests."""

from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

from typer.testing import CliRunner

from agile_shadow.cli import app
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.ingest import IngestReport, IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import FrameReader, to_bgra
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import ProjectSession
from agile_shadow.stand_ins import CLIPS, read_code

TWICE = Preset(
    name="Twice", originals=Originals(second_copy=True), proxies=Proxies(scale=Fraction(1, 2), codec="h264")
)
NUMBERS = {Path(plan.path).stem: plan.number for plan in CLIPS}


def preset(codec: str = "h264", scale: Fraction = Fraction(1, 2), do: str = "copy") -> Preset:
    """A preset for small footage."""
    return Preset(name="Test", originals=Originals(do=do), proxies=Proxies(scale=scale, codec=codec))


def ingest(
    card: Path, project: Path, chosen: Preset | None = None, then: Callable[[IngestRun], object] | None = None
) -> IngestReport:
    """Run a preset over a card into folders beside the project file. ``then`` looks at the run when it has ended."""
    session = ProjectSession.open(project)
    request = IngestRequest(card, project.parent / "Boathouse", project.parent / "Laptop", chosen or preset())
    run = IngestRun(request, session, JobStore())
    try:
        report = run.run()
        if then is not None:
            then(run)
        return report
    finally:
        session.close()


def here(*arguments: object) -> tuple[int, dict[str, Any], str]:
    """The command line without a process of its own: exit status, JSON answer, what was said."""
    done = CliRunner().invoke(app, [*map(str, arguments), "--json"])
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.exit_code, json.loads(done.stdout) if done.stdout else {}, done.stderr


def code_in(reader: FrameReader, number: int) -> tuple[int, int] | None:
    """(clip, frame) in the pixels of a frame, read upright at full size."""
    frame = reader.frame(number)
    width, height = (frame.height, frame.width) if frame.rotation % 180 else (frame.width, frame.height)
    return read_code(to_bgra(frame, width, height)[..., 1])


def codes(path: Path, every: int = 1) -> list[tuple[int, int] | None]:
    """The codes of every so manyth frame of a file."""
    with FrameReader(path) as reader:
        return [code_in(reader, number) for number in range(0, len(reader.index), every)]


def refusal(call: object) -> str:
    """The sentence with which something is refused."""
    try:
        call()  # type: ignore[operator]
    except ShadowError as error:
        return str(error)
    raise AssertionError("it was not refused")
