"""Commands for the desktop: open the window, and make the program known to the desktop."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import typer

from ..core.installing import Installed, install, uninstall
from .shared import AsJson, answer, told


def window(
    file: Annotated[Path | None, typer.Argument(metavar="[FILE]", help="Project, kit or preset.")] = None,
    demo: Annotated[bool, typer.Option("--demo", help="Open the demo project.")] = False,
) -> None:
    """Open the window."""
    more = [*(["--demo"] if demo else []), *([str(file.absolute())] if file is not None else [])]
    os.execv(sys.executable, [sys.executable, "-m", "agile_shadow.desktop", *more])


def install_for_user(as_json: AsJson = False) -> None:
    """Put the command on the PATH and the program into the desktop's menu, with its icon and file types."""
    with told():
        done = install()
    answer(_values(done), as_json, lambda: _lines(done, "written"))


def uninstall_for_user(as_json: AsJson = False) -> None:
    """Remove what install wrote; projects, presets and footage stay."""
    with told():
        done = uninstall()
    answer(_values(done), as_json, lambda: _lines(done, "removed"))


def _values(done: Installed) -> dict[str, object]:
    return {"files": [str(path) for path in done.files], "notes": list(done.notes)}


def _lines(done: Installed, word: str) -> Iterator[str]:
    for path in done.files:
        yield f"{word}: {path}"
    yield from done.notes
