"""What all commands share: answers as text or JSON, errors as one sentence, work with progress."""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ..core.amounts import amount, counted
from ..core.errors import Cancelled, ProjectError, ShadowError, sentence
from ..core.state import what_was_set_aside
from ..core.texts import whole_text
from ..core.time import frame_of

if TYPE_CHECKING:
    from ..core.jobs import Report
    from ..core.project import Project
    from ..core.timeline import Timeline

log = logging.getLogger(__name__)

_asked = {"json": False}  # of the command that runs


def _note_json(value: bool) -> bool:
    _asked["json"] = value
    return value


AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object on stdout.", callback=_note_json)]
ProjectFile = Annotated[Path, typer.Option("--project", help="Project file (.otio).")]
LineName = Annotated[str, typer.Option("--timeline", help="Name of the timeline; default: the one that is open.")]


def say(text: str) -> None:
    """A line for a person, on stderr."""
    print(whole_text(text), file=sys.stderr, flush=True)  # noqa: T201


def saying() -> Report:
    """A report that says how far it is, by tenths, on stderr."""
    last = -1

    def report(done: float) -> None:
        nonlocal last
        if int(done * 10) != last:
            last = int(done * 10)
            say(f"{done:.0%}")

    return report


def answer(values: dict[str, Any], as_json: bool, lines: Callable[[], Iterator[str]]) -> None:
    """The result on stdout: one JSON object, or lines. What was set aside of this machine's state is said first."""
    for text in what_was_set_aside():
        say(text)
    if as_json:
        print(whole_text(json.dumps(values, ensure_ascii=False)), flush=True)  # noqa: T201
    else:
        for line in lines():
            print(whole_text(line))  # noqa: T201


def refuse(text: str, as_json: bool) -> None:
    """Why there is no result: a sentence on stderr, and with ``as_json`` one object on stdout all the same."""
    say(text)
    answer({"error": text}, as_json, lambda: iter(()))


def wants_json() -> bool:
    """Whether the command that runs was asked for JSON."""
    return _asked["json"]


@contextmanager
def told(**more: Any) -> Iterator[None]:
    """Turns whatever is raised into one sentence on stderr and exit status 1; with ``--json`` also into one object,
    ``error`` beside what ``more`` says."""
    try:
        yield
    except (typer.Exit, typer.Abort, typer.BadParameter):
        raise
    except (Cancelled, KeyboardInterrupt):
        _told("Stopped.", more)
        raise typer.Exit(130) from None
    except Exception as error:
        if not isinstance(error, ShadowError | OSError):
            log.exception("not foreseen")
        _told(sentence(error), more)
        raise typer.Exit(1) from error


def _told(text: str, more: dict[str, Any]) -> None:
    say(text)
    answer({**more, "error": text}, wants_json(), lambda: iter(()))


def for_each(
    paths: list[Path], work: Callable[[Path], dict[str, Any]]
) -> tuple[list[dict[str, Any]], list[dict[str, str]]]:
    """The answers for files that can be used, and path and reason of those that cannot; each reason is said as well."""
    found: list[dict[str, Any]] = []
    problems: list[dict[str, str]] = []
    for path in paths:
        try:
            found.append(work(path))
        except Exception as error:  # whatever a file does to its reader, the next one is looked at
            if not isinstance(error, ShadowError | OSError):
                log.exception("%s", path)
            say(sentence(error))
            problems.append({"path": str(path), "reason": sentence(error)})
    return found, problems


def gigabytes(size: float) -> str:
    """Bytes in GB with one decimal, small amounts in MB."""
    return amount(size)


def line_named(document: Project, name: str, path: Path) -> Timeline:
    """The timeline of that name, or the open one. Raises ProjectError with the names there are."""
    found = [line for line in document.timelines if line.name == name] if name else [document.timeline]
    if not found:
        known = ", ".join(line.name for line in document.timelines)
        raise ProjectError(f'has no timeline "{name}"', path, f"It has: {known}.")
    return found[0]


def frame_on(line: Timeline, at: str) -> int:
    """A frame of a timeline by its number, from 0, or by its timecode. Raises ShadowError."""
    try:
        number = int(at) if at.isdigit() else frame_of(at, line.rate or Fraction(25)) - line.start
    except ValueError as error:
        raise ShadowError(str(error), None, "Write a timecode such as 00:00:01:12, or a frame number.") from error
    if not 0 <= number < line.length:
        raise ShadowError(f"{at} is not on the timeline", None,
                          f"It has {counted(line.length, 'frame')}, from {line.timecode(0)}.")  # fmt: skip
    return number
