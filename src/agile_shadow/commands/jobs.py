"""Commands for the queue on disk."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError
from ..core.jobs import Awake, JobStore, Piece
from ..core.time import clock_text
from .shared import AsJson, ProjectFile, answer, say, told

if TYPE_CHECKING:
    from ..core.desk import Desk

app = typer.Typer(no_args_is_help=True, help="The queue: every copy, proxy and film, what it is at and how it ended.")

_WISHES = {"hold": "pause", "go on": "resume"}
Ids = Annotated[list[int] | None, typer.Argument(metavar="ID...", help="Numbers of jobs, as jobs list shows them.")]
Every = Annotated[bool, typer.Option("--all", help="Every job this applies to.")]


@app.command("list")
def list_jobs(
    project: Annotated[Path | None, typer.Option("--project", help="Only of this project.")] = None,
    active: Annotated[bool, typer.Option("--active", help="Only what is still to be done.")] = False,
    as_json: AsJson = False,
) -> None:
    """List the jobs of the last ingests, proxies and films."""
    with told():
        pieces = JobStore().pieces(project=project.absolute() if project is not None else None)
    pieces = [piece for piece in pieces if piece.active or not active]
    answer({"jobs": [piece.to_json() for piece in pieces]}, as_json, lambda: _lines(pieces))


def _lines(pieces: list[Piece]) -> Iterator[str]:
    for piece in pieces:
        left = piece.remaining()
        more = f", about {clock_text(left)}" if left is not None else ""
        note = f" ({piece.note})" if piece.note else ""
        yield f"{piece.id:6d}  {piece.kind:11s}  {piece.state_words()}, {piece.part:.0%}{more}  {piece.path}{note}"


@app.command()
def retry(ids: Ids = None, every: Every = False, as_json: AsJson = False) -> None:
    """Retry failed or cancelled jobs: at once where their ingest runs, else it is opened again."""
    _ask("retry", ids, every, lambda piece: piece.state in ("failed", "cancelled"), as_json)


@app.command()
def cancel(ids: Ids = None, every: Every = False, as_json: AsJson = False) -> None:
    """Cancel jobs; verified copies are kept."""
    _ask("cancel", ids, every, lambda piece: piece.active, as_json)


@app.command()
@app.command("hold", hidden=True)
def pause(ids: Ids = None, every: Every = False, as_json: AsJson = False) -> None:
    """Pause jobs."""
    _ask("hold", ids, every, lambda piece: piece.active and not piece.held, as_json)


@app.command()
@app.command("go-on", hidden=True)
def resume(ids: Ids = None, every: Every = False, as_json: AsJson = False) -> None:
    """Resume paused jobs."""
    _ask("go on", ids, every, lambda piece: piece.active and piece.held, as_json)


@app.command()
def first(ids: Ids, as_json: AsJson = False) -> None:
    """Run jobs before all others."""
    _ask("first", ids, False, lambda piece: piece.active, as_json)


def _ask(wish: str, ids: list[int] | None, every: bool, fits: object, as_json: bool) -> None:
    asked: list[int] = []
    with told():
        store = JobStore()
        known = {piece.id: piece for piece in store.pieces()}
        chosen = [piece for piece in known.values() if fits(piece)] if every else []  # type: ignore[operator]
        for number in ids or []:
            piece = known.get(number)
            if piece is None:
                raise ShadowError(f"there is no job {number}", None, "See: jobs list.")
            if not fits(piece):  # type: ignore[operator]
                raise ShadowError(f"job {number} is {piece.state_words()}: that cannot be asked of it now", None, "")
            chosen.append(piece)
        for piece in chosen:
            store.ask(piece.id, wish)
            asked.append(piece.id)
            if wish == "retry":
                store.reopen(piece.run)
    text = f"Requested for {counted(len(asked), 'job')}: {_WISHES.get(wish, wish)}"
    answer({"asked": asked, "wish": wish}, as_json, lambda: iter([text]))


@app.command()
def run(project: ProjectFile, as_json: AsJson = False) -> None:
    """Continue a project's open ingests, proxies and films without a window, to their end."""
    from ..core.desk import Desk  # half of the program: the list of jobs needs none of it
    from ..core.project import ProjectLock, ProjectSession
    from ..core.project.lock import WITHOUT_WINDOW

    project = project.absolute()
    headlines: list[str] = []
    with told():
        lock = ProjectLock(project)
        if not lock.take(WITHOUT_WINDOW, patience=20.0):
            raise ShadowError("is open in another program", project, "Let that program finish it.")
        session = ProjectSession.open(project)
        desk = Desk(session, JobStore())
        stopping = threading.Event()
        signal.signal(signal.SIGTERM, lambda _number, _frame: stopping.set())
        desk.ended.connect(lambda end: headlines.append(end.headline))
        awake = Awake()
        try:
            _until_ended(desk, stopping, awake)
        finally:
            desk.close()
            session.close()
            awake.keep(False)
            lock.release()
    answer({"ended": headlines}, as_json, lambda: iter(headlines))


def _until_ended(desk: Desk, stopping: threading.Event, awake: Awake) -> None:
    while not stopping.is_set():
        for text in desk.go_on():
            say(text)
        if not desk.runs:
            return
        awake.keep(any(run.request.preset.when.keep_awake for run in desk.ingests) or bool(desk.films or desk.makes))
        stopping.wait(0.5)
