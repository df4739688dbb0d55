"""Commands that bring footage in: ingest, watch, report, verify."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.amounts import counted
from ..core.desk import Desk
from ..core.errors import Cancelled, PresetError, ShadowError
from ..core.helpers.spreading import Spreading
from ..core.ingest import (
    ONE_DRIVE,
    IngestReport,
    IngestRequest,
    IngestRun,
    refuse_ending,
    request_for,
    stop_watching,
    verify_folder,
    watch_folder,
    watched_folders,
    write_report,
)
from ..core.ingest.request import NamedFolders
from ..core.jobs import JobStore, Machine
from ..core.presets import Preset, find_preset
from ..core.project import ProjectLock, ProjectSession, begin_project, load_project
from ..core.project.lock import COMMAND, Holder
from .shared import AsJson, ProjectFile, answer, say, told

PresetName = Annotated[
    str | None, typer.Option("--preset", help="Preset file or name; default: the project's standing preset.")
]
Originals = Annotated[Path | None, typer.Option("--originals", help="Folder of the originals shelf.")]
Proxies = Annotated[Path | None, typer.Option("--proxies", help="Folder of the proxies shelf.")]
Second = Annotated[Path | None, typer.Option("--second", help="Folder of the shelf for second copies.")]
_POLL = 0.5  # seconds between two looks at a job that another program works off


def ingest(
    sources: Annotated[list[Path], typer.Argument(metavar="SOURCE...", help="Folders of cards or drives.")],
    project: ProjectFile,
    preset: PresetName = None,
    originals: Originals = None,
    proxies: Proxies = None,
    second: Second = None,
    now: Annotated[bool, typer.Option("--now", help="Make proxies now; do not wait for night or mains power.")] = False,
    wait: Annotated[bool, typer.Option("--wait", help="Wait for a removed card, and for free space.")] = False,
    out: Annotated[list[Path] | None, typer.Option("--report", help="Write the report: .html or .csv.")] = None,
    as_json: AsJson = False,
) -> None:
    """Run a preset over one or more sources. An ingest that was broken off goes on where it was.

    Folders that are not named are those of the shelves that the preset means. Where the project is open in a window,
    the ingest is done there.
    """
    with told():
        for source in sources:
            if not source.is_dir() and not _begun_before(project, source):
                raise ShadowError("is not a folder that can be read", source, "Check that the card is connected.")
        _refuse_unless_fitting(sources, out or [])
        requests = [_request(source, project, preset, originals, proxies, second) for source in sources]
        for request in requests:
            request.refuse_if_unsafe(project.absolute().parent)
            if request.roots(project.absolute().parent).both_on_one_drive:
                say(ONE_DRIVE)
        reports = _ingest_all(project.absolute(), requests, now, wait)
    values = reports[0].to_json() if len(reports) == 1 else {"reports": [report.to_json() for report in reports]}
    with told(**values):
        named = out or []
        pages = [(reports[0], path) for path in named] if len(reports) == 1 else list(zip(reports, named, strict=False))
        for report, path in pages:
            title = f"{project.stem}: ingest of {Path(report.source).name}"
            write_report(report, path.absolute(), title, load_project(project))
    answer(values, as_json, lambda: (line for report in reports for line in _report_lines(report)))
    if not all(report.all_well for report in reports):
        raise typer.Exit(1)


def _refuse_unless_fitting(sources: list[Path], out: list[Path]) -> None:
    """Raises ShadowError where it is not clear which report is to go where, or it cannot be written as named."""
    if len(sources) > 1 and out and len(out) != len(sources):
        raise ShadowError(
            f"{counted(len(sources), 'source gives', 'sources give')} {counted(len(sources), 'report')}, and "
            f"{counted(len(out), 'file is', 'files are')} named for them", None,
            "Name one --report for each source, in their order.",
        )  # fmt: skip
    for path in out:
        refuse_ending(path)


def _begun_before(project: Path, source: Path) -> bool:
    """Whether an open ingest of that source is known: its card may be away."""
    wanted = str(source.absolute())
    return any(job.request.get("source") == wanted for job in JobStore().open_jobs(project.absolute()))


def _request(
    source: Path, project: Path, preset: str | None, originals: Path | None, proxies: Path | None, second: Path | None
) -> IngestRequest:
    known = load_project(project) if project.exists() else begin_project(project.stem)
    chosen: Preset | None = find_preset(preset) if preset is not None else known.preset
    if chosen is None:
        raise PresetError("no preset was named and the project has no standing one", None, "Name one: --preset.")
    named = NamedFolders(*(path.absolute() if path is not None else None for path in (originals, proxies, second)))
    return request_for(source.absolute(), chosen, known, named)


def _ingest_all(project: Path, requests: list[IngestRequest], now: bool, wait: bool) -> list[IngestReport]:
    lock = ProjectLock(project)
    while (holder := _take(lock)) is not None:
        reports = [_handed_over(lock, project, request, holder) for request in requests]
        if all(reports):
            return [report for report in reports if report is not None]
        say("The other program has ended without doing it.")
    session = ProjectSession.open(project)
    machine = Machine()
    helpers = Spreading(machine, lambda: session.project.shelves)
    try:
        runs = [
            IngestRun(request, session, JobStore(), now=now, patient=wait, machine=machine) for request in requests
        ]
        return _watched(runs)
    finally:
        machine.end()
        helpers.close(5.0)
        session.close()
        lock.release()


def _take(lock: ProjectLock) -> Holder | None:
    """Take a project's lock; waits for other commands, returns the window (or what goes on without one) that has it."""
    said = False
    while not lock.take(COMMAND):
        holder = lock.holder()
        if holder is not None and holder.role != COMMAND:
            return holder
        if holder is not None and not said:
            say(f"Another command (process {holder.process}) works on this project; waiting for its end.")
            said = True
        time.sleep(_POLL / 5)
    return None


def _handed_over(lock: ProjectLock, project: Path, request: IngestRequest, holder: Holder) -> IngestReport | None:
    """Have the program that has the project open do it, and wait for the result; None when no program has it now."""
    store = JobStore()
    job = store.begin("ingest", project, request.to_json())
    say(f"The project is open in another program ({holder.role}, process {holder.process}): it does the ingest.")
    while True:
        state, result = store.job(job)
        if state == "done" and result is not None:
            return IngestReport.from_json(result)
        if state == "cancelled":
            raise Cancelled
        if state == "failed" or not state:
            raise ShadowError("the ingest could not be begun", request.source, "The other program says why.")
        if state == "open" and lock.holder() is None:
            return None
        time.sleep(_POLL)


def _watched(runs: list[IngestRun]) -> list[IngestReport]:
    """Run all with a line of progress on stderr every few seconds; Ctrl+C stops cleanly and keeps them resumable."""
    results: dict[int, IngestReport | BaseException] = {}

    def work(number: int) -> None:
        try:
            results[number] = runs[number].run()
        except BaseException as error:
            results[number] = error

    for number, run in enumerate(runs):
        _follow(run, threading.Thread(target=work, args=(number,), name="ingest"))
        result = results[number]
        if isinstance(result, BaseException):
            raise result
        if run.was_stopped:
            raise Cancelled
    return [report for report in results.values() if isinstance(report, IngestReport)]


def _follow(run: IngestRun, thread: threading.Thread) -> None:
    thread.start()
    while thread.is_alive():
        try:
            thread.join(2.0)
            progress = run.progress()
            if thread.is_alive() and progress.files:
                person = run.waits_for_a_person
                waits = progress.waits or (f"for {person}" if person else "")
                text = f", waiting {waits}" if waits else ""
                made = f", {progress.of_work()}" if progress.proxies_wanted else ""
                say(f"{progress.fraction:4.0%}  {progress.of_files()}{made}{text}")
        except KeyboardInterrupt:
            say("Stopping; run the same command again to continue.")
            run.stop(for_good=False)


def _report_lines(report: IngestReport) -> Iterator[str]:
    yield report.one_number()
    yield report.headline()
    for problem in report.failed:
        yield f"  needs attention: {problem.path}: {problem.reason}"
    for problem in report.passed_over:
        yield f"  skipped: {problem.path}: {problem.reason}"


def watch(
    project: ProjectFile,
    folder: Annotated[Path | None, typer.Argument(metavar="DIR", help="Folder to watch.")] = None,
    preset: PresetName = None,
    originals: Originals = None,
    proxies: Proxies = None,
    second: Second = None,
    quiet: Annotated[float, typer.Option(help="Seconds a file must stay as it is.")] = 5.0,
    once: Annotated[bool, typer.Option("--once", help="Exit once everything there has been ingested.")] = False,
    forget: Annotated[bool, typer.Option("--forget", help="Stop watching DIR.")] = False,
    as_json: AsJson = False,
) -> None:
    """Watch folders of a project: DIR from now on too, each with its preset. Ends with Ctrl+C."""
    project = project.absolute()
    reports: list[IngestReport] = []
    ended: list[str] = []
    with told():
        if forget and folder is not None:
            stop_watching(project, folder.absolute())
        elif folder is not None:
            watch_folder(project, _request(folder, project, preset, originals, proxies, second))
        if not forget:
            ended += _watch(project, quiet, once, reports.append)
    listed = [str(request.source) for request in watched_folders(project)]
    values: dict[str, Any] = {"watched": listed, "reports": [report.to_json() for report in reports]}
    if ended:
        values["error"] = ended[0]
    answer(values, as_json, lambda: iter([f"watched: {path}" for path in listed]))
    if ended or not all(report.all_well for report in reports):
        raise typer.Exit(130 if ended else 1)


def _watch(project: Path, quiet: float, once: bool, ended: Callable[[IngestReport], None]) -> list[str]:
    """Watch until it is done; why it ended otherwise, if so."""
    lock = ProjectLock(project)
    if _take(lock) is not None:
        raise ShadowError("is open in a window, which watches its folders", project, "Leave it to the window.")
    session = ProjectSession.open(project)
    desk = Desk(session, JobStore(), patient=not once, quiet=quiet)

    def told_of(end: Any) -> None:
        if end.report is not None:
            say(end.report.headline())
            ended(end.report)
        elif end.problem:
            say(end.problem)

    desk.ended.connect(told_of)
    try:
        desk.minding.begin(say)
        _until_done(desk, quiet, once)
    except KeyboardInterrupt:
        text = "Ended by a signal; unfinished work continues the next time."
        say(text)
        return [text]
    finally:
        desk.close()
        session.close()
        lock.release()
    return []


def _until_done(desk: Desk, quiet: float, once: bool) -> None:
    """Wait: for ever, or until nothing grows and nothing runs for longer than a file has to stay as it is."""
    idle_since = time.monotonic()
    while not once or time.monotonic() - idle_since < 2 * quiet + 2.5:
        if desk.runs or any(watch.growing for watch in desk.minding.watches):
            idle_since = time.monotonic()
        time.sleep(0.1)


def report(
    project: ProjectFile,
    number: Annotated[int, typer.Option("--number", help="Which: 1 is the latest.")] = 1,
    out: Annotated[list[Path] | None, typer.Option("--out", help="File to write: .html or .csv.")] = None,
    as_json: AsJson = False,
) -> None:
    """Print a report of the project, or write it as a page (.html) or a table (.csv)."""
    with told():
        document = load_project(project)
        kept = document.reports
        if not 1 <= number <= len(kept):
            raise ShadowError(f"has {counted(len(kept), 'report')}, not {number}", project, "Ingest something first.")
        found = IngestReport.from_json(dict(kept[-number]))
        for path in out or []:
            write_report(found, path.absolute(), f"{project.stem}: ingest of {Path(found.source).name}", document)
    answer(found.to_json(), as_json, lambda: _report_lines(found))


def verify(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Folder that holds a folder ascmhl.")],
    as_json: AsJson = False,
) -> None:
    """Read every file that the ASC MHL manifests of a folder speak of, and compare its checksum."""
    with told():
        found = verify_folder(folder.absolute())
    values = {**vars(found), "all_well": found.all_well}

    def lines() -> Iterator[str]:
        yield f"{counted(found.equal, 'file')} have the bytes of their manifest"
        for words, paths in (
            ("other bytes", found.differ), ("missing", found.missing), ("cannot be read", found.unreadable),
            ("checksum of an unknown kind", found.unknown), ("in no manifest", found.unlisted),
        ):  # fmt: skip
            for path in paths:
                yield f"  {words}: {path}"

    answer(values, as_json, lines)
    if not found.all_well:
        raise typer.Exit(1)
