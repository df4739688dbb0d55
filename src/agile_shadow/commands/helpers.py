"""Commands for several machines: invite helpers, join as one, see them, pause them, send them away."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError
from ..core.helpers.confined import import_engine
from ..core.helpers.helper import Helping
from ..core.helpers.joined import keep_joined, kept_joined, write_unit
from ..core.helpers.line import JoinLine
from ..core.helpers.link import Link
from ..core.helpers.presence import Helper
from ..core.helpers.scheduler import NICENESS, running, start_scheduler
from ..core.helpers.suite import Suite
from .shared import AsJson, answer, say, told

app = typer.Typer(no_args_is_help=True, help="Several machines: helpers that make proxies on the shelves they see.")
Who = Annotated[str, typer.Argument(metavar="HELPER", help="Name or number of a helper, as helpers list shows it.")]
_PATIENCE = 4.0  # seconds in which helpers that are there are heard


@app.command()
def invite(
    name: Annotated[str, typer.Argument(metavar="[NAME]", help="What to call the helper.")] = "",
    address: Annotated[
        list[str] | None, typer.Option("--address", help="Address of this machine as the helper reaches it.")
    ] = None,
    port: Annotated[int | None, typer.Option("--port", min=1024, max=65535, help="Port to listen at.")] = None,
    as_json: AsJson = False,
) -> None:
    """Print the line with which another machine joins, and listen for it."""
    with told():
        import_engine()
        line = Suite.of_this_user().invite(name, tuple(address or ()), port)
        start_scheduler()
    say("On the other machine: agile-shadow helpers join and this line. Whoever has it can join; keep it to yourself.")
    answer({"line": str(line), "id": line.identity, "port": line.port}, as_json, lambda: iter([str(line)]))


@app.command()
def join(
    line: Annotated[str, typer.Argument(metavar="[LINE]", help="As invite printed it; none: as the last time.")] = "",
    shelf: Annotated[
        list[str] | None, typer.Option("--shelf", metavar="NAME=FOLDER", help="Where a shelf lies on this machine.")
    ] = None,
    at_a_time: Annotated[int, typer.Option(min=0, max=64, help="Jobs side by side; 0: half the cores.")] = 0,
    unit: Annotated[bool, typer.Option("--unit", help="Write a systemd user unit instead of working now.")] = False,
) -> None:
    """Work for the machine that invited this one, until Ctrl+C, and give way to whoever works here."""
    with told():
        import_engine()
        place = keep_joined(JoinLine.read(line), _folders(shelf or []), at_a_time) if line else kept_joined()
        if unit:
            path = write_unit()
            say(f"Written: {path}. Start it now and at every login with: systemctl --user enable --now {path.name}")
            return
        helping = Helping(place, say)
    signal.signal(signal.SIGTERM, lambda _number, _frame: helping.stop())
    os.nice(NICENESS)
    say("Looking for the machine that asks; end with Ctrl+C.")
    with told(), suppress(KeyboardInterrupt):
        helping.run()


def _folders(texts: list[str]) -> dict[str, Path]:
    found = {}
    for text in texts:
        name, sign, folder = text.partition("=")
        if not (name and sign and folder):
            raise ShadowError("is not a shelf and its folder", text, "Write it as NAME=FOLDER.")
        found[name] = Path(folder).absolute()
    return found


@app.command("list")
def list_helpers(as_json: AsJson = False) -> None:
    """List the helpers that were invited, and what they do."""
    with told():
        helpers = _heard()
    answer({"helpers": [_values(one) for one in helpers]}, as_json, lambda: _lines(helpers))


def _heard() -> tuple[Helper, ...]:
    """All helpers, once those that are there were heard."""
    suite = Suite.of_this_user()
    if not suite.exists:
        return ()
    import_engine()
    link = Link(suite)
    link.start()
    end = time.monotonic() + _PATIENCE
    try:
        while time.monotonic() < end and any(one.state == "away" for one in link.helpers()):
            time.sleep(0.1)
        return link.helpers()
    finally:
        link.close(5.0)


def _values(one: Helper) -> dict[str, Any]:
    return {
        "id": one.id, "name": one.name, "state": one.state, "cores": one.cores, "at_a_time": one.slots,
        "shelves": one.shelves, "doing": [{"name": name, "part": part} for name, part in one.doing],
        "heard": one.heard, "version": one.version,
    }  # fmt: skip


def _lines(helpers: tuple[Helper, ...]) -> Iterator[str]:
    if not helpers:
        yield "No helpers: agile-shadow helpers invite prints a line for one."
    for one in helpers:
        doing = ", ".join(f"{name} {part:.0%}" for name, part in one.doing) or "nothing"
        sees = counted(len(one.shelves), "shelf", "shelves")
        yield f"{one.id}  {one.name}  {one.state}  {counted(one.cores, 'core')}  {sees}  {doing}"


@app.command()
def pause(who: Who, as_json: AsJson = False) -> None:
    """Give a helper no new jobs."""
    _change(who, as_json, "paused", lambda suite, one: suite.pause(one, True))


@app.command()
def resume(who: Who, as_json: AsJson = False) -> None:
    """Give a paused helper jobs again."""
    _change(who, as_json, "ready", lambda suite, one: suite.pause(one, False))


@app.command("send-away")
def send_away(who: Who, as_json: AsJson = False) -> None:
    """Send a helper away for good: its line and its certificate count no more."""
    _change(who, as_json, "sent away", lambda suite, one: suite.send_away(one))


def _change(who: str, as_json: bool, word: str, do: Any) -> None:
    with told():
        suite = Suite.of_this_user()
        fitting = [one for one in suite.members() if who in (one.id, one.name)]
        if len(fitting) != 1:
            what = "is the name of several helpers" if fitting else "is not one of the helpers"
            raise ShadowError(what, who, "Name one by its number; helpers list shows them.")
        do(suite, fitting[0].id)
    answer({"id": fitting[0].id, "state": word}, as_json, lambda: iter([f"{fitting[0].name}: {word}"]))


@app.command()
def stop(as_json: AsJson = False) -> None:
    """Listen for helpers no more, until the next ingest or invitation."""
    process = running()
    if process:
        with suppress(ProcessLookupError):
            os.kill(process, signal.SIGTERM)
    answer({"stopped": bool(process)}, as_json, lambda: iter(["stopped" if process else "nothing listens"]))
