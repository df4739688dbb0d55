"""What all commands share: answers as text or JSON, errors as one sentence, work with progress."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.errors import Cancelled, ShadowError, sentence

AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object on stdout.")]
ProjectFile = Annotated[Path, typer.Option("--project", help="Project file (.otio).")]


def say(text: str) -> None:
    """A line for a person, on stderr."""
    print(text, file=sys.stderr, flush=True)  # noqa: T201


def answer(values: dict[str, Any], as_json: bool, lines: Callable[[], Iterator[str]]) -> None:
    """The result on stdout: one JSON object, or lines."""
    if as_json:
        print(json.dumps(values, ensure_ascii=False))  # noqa: T201
    else:
        for line in lines():
            print(line)  # noqa: T201


@contextmanager
def told() -> Iterator[None]:
    """Turns errors into one sentence on stderr and exit status 1."""
    try:
        yield
    except Cancelled:
        say("Stopped.")
        raise typer.Exit(130) from None
    except (ShadowError, OSError) as error:
        say(sentence(error))
        raise typer.Exit(1) from error


def for_each(
    paths: list[Path], work: Callable[[Path], dict[str, Any]]
) -> tuple[list[dict[str, Any]], list[dict[str, str]]]:
    """The answers for files that can be used, and path and reason of those that cannot; each reason is said as well."""
    found: list[dict[str, Any]] = []
    problems: list[dict[str, str]] = []
    for path in paths:
        try:
            found.append(work(path))
        except (ShadowError, OSError) as error:
            say(sentence(error))
            problems.append({"path": str(path), "reason": sentence(error)})
    return found, problems


def gigabytes(size: float) -> str:
    """Bytes in GB with one decimal, small amounts in MB."""
    return f"{size / 1e9:.1f} GB" if size >= 50e6 else f"{size / 1e6:.1f} MB"
