"""The command line: the same core without a window.

With ``--json`` one JSON object goes to stdout and everything else to stderr. Exit status 0 only if all went well.
"""

from __future__ import annotations

import json
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from .core.errors import Cancelled, ShadowError, sentence
from .core.export import ExportRequest, final_check, run_export
from .core.ingest import IngestReport, IngestRequest, IngestRun
from .core.jobs import JobStore
from .core.log import set_up_logging
from .core.media import probe as probe_file
from .core.presets import describes, find_preset, list_presets
from .core.project import Clip, Project, ProjectSession, load_project
from .core.stand_ins import draw_card

app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)
presets_app = typer.Typer(no_args_is_help=True, help="The presets there are.")
app.add_typer(presets_app, name="presets")

AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object on stdout.")]
ProjectFile = Annotated[Path, typer.Option("--project", help="Project file (.otio).")]


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)  # noqa: T201


def _answer(values: dict[str, Any], as_json: bool, lines: Callable[[], Iterator[str]]) -> None:
    if as_json:
        print(json.dumps(values, ensure_ascii=False))  # noqa: T201
    else:
        for line in lines():
            print(line)  # noqa: T201


@contextmanager
def _told() -> Iterator[None]:
    """Turns errors into one sentence on stderr and exit status 1."""
    try:
        yield
    except Cancelled:
        _say("Stopped.")
        raise typer.Exit(130) from None
    except (ShadowError, OSError) as error:
        _say(sentence(error))
        raise typer.Exit(1) from error


@app.command()
def probe(files: Annotated[list[Path], typer.Argument(metavar="FILE...")], as_json: AsJson = False) -> None:
    """Say what media files are."""
    found: list[dict[str, Any]] = []
    problems: list[dict[str, str]] = []
    for path in files:
        try:
            found.append({"path": str(path), **probe_file(path).to_json()})
        except ShadowError as error:
            _say(sentence(error))
            problems.append({"path": str(path), "reason": sentence(error)})

    def lines() -> Iterator[str]:
        for item in found:
            size = f"{item['width']} x {item['height']}, " if item["width"] else ""
            rate = f"{item['frame_rate']} fps, {item['frames']} frames, " if item["frame_rate"] else ""
            yield f"{item['path']}: {item['codec']}, {size}{rate}{item['audio_channels']} sound channels"

    _answer({"files": found, "failed": problems}, as_json, lines)
    if problems:
        raise typer.Exit(1)


@app.command()
def ingest(
    source: Annotated[Path, typer.Argument(metavar="SOURCE", help="Folder of the card or drive.")],
    preset: Annotated[str, typer.Option("--preset", help="Preset file or name.")],
    project: ProjectFile,
    originals: Annotated[Path, typer.Option("--originals", help="Folder of the originals shelf.")],
    proxies: Annotated[Path, typer.Option("--proxies", help="Folder of the proxies shelf.")],
    as_json: AsJson = False,
) -> None:
    """Run a preset over a source. An ingest that was broken off goes on where it was."""
    with _told():
        chosen = find_preset(preset)
        request = IngestRequest(source.absolute(), originals.absolute(), proxies.absolute(), chosen)
        request.refuse_if_unsafe(project.absolute().parent)
        if not source.is_dir():
            raise ShadowError("is not a folder that can be read", source, "Check that the card is connected.")
        session = ProjectSession.open(project)
        try:
            report = _watched(IngestRun(request, session, JobStore()))
        finally:
            session.close()
    _answer(report.to_json(), as_json, lambda: _report_lines(report))
    if not report.all_well:
        raise typer.Exit(1)


def _watched(run: IngestRun) -> IngestReport:
    """Run with a line of progress on stderr every few seconds; Ctrl+C stops cleanly and keeps the run resumable."""
    result: list[IngestReport | BaseException] = []

    def work() -> None:
        try:
            result.append(run.run())
        except BaseException as error:
            result.append(error)

    thread = threading.Thread(target=work, name="ingest")
    thread.start()
    while thread.is_alive():
        try:
            thread.join(2.0)
            progress = run.progress()
            if thread.is_alive() and progress.items:
                _say(f"{progress.fraction:4.0%}  {progress.proxies_done} of {progress.proxies_wanted} proxies")
        except KeyboardInterrupt:
            _say("Stopping; run the same command again to go on.")
            run.stop(for_good=False)
    if isinstance(result[0], BaseException):
        raise result[0]
    if run.was_stopped:
        raise Cancelled
    return result[0]


def _report_lines(report: IngestReport) -> Iterator[str]:
    yield report.headline()
    for problem in report.failed:
        yield f"  needs you: {problem.path}: {problem.reason}"
    for problem in report.passed_over:
        yield f"  passed over: {problem.path}: {problem.reason}"


@app.command()
def clips(project: ProjectFile, as_json: AsJson = False) -> None:
    """List the clips of a project with their originals and proxies."""
    with _told():
        document = load_project(project)
        listed = [_clip_values(document, clip) for clip in document.clips]

    def lines() -> Iterator[str]:
        for item in listed:
            made = ", ".join(f"{p['width']} x {p['height']} {p['state']}" for p in item["proxies"]) or "no proxy"
            yield f"{item['name']}: {item['original']['path']} ({made})"

    _answer({"clips": listed}, as_json, lines)


def _clip_values(project: Project, clip: Clip) -> dict[str, Any]:
    original = clip.original
    values = original.info.to_json()
    return {
        "name": clip.name,
        "original": {
            **values,
            "path": str(project.path(original.file)),
            "size": original.size,
            "checksum": original.checksum,
            "checksum_value": original.checksum_value,
        },
        "proxies": [
            {
                **proxy.info.to_json(),
                "path": str(project.path(proxy.file)),
                "state": proxy.state,
                "offset": proxy.offset,
            }
            for proxy in clip.proxies
        ],
    }


@app.command()
def export(
    project: ProjectFile,
    out: Annotated[Path, typer.Option("--out", help="The film: .mp4 for H.264, .mov for ProRes.")],
    as_json: AsJson = False,
) -> None:
    """Render the timeline from the originals."""
    with _told():
        document = load_project(project)
        checked = final_check(document)
        for line in checked.warnings:
            _say(line)
        checked.refuse_if_not_ready()
        result = run_export(ExportRequest(document, out.absolute()), lambda done: None)
    values = result.to_json()
    _answer(values, as_json, lambda: iter([f"{result.frames} frames, {float(result.seconds):.2f} s: {out}"]))


@presets_app.command("list")
def presets_list(as_json: AsJson = False) -> None:
    """List the presets by name with what they do."""
    listed = [
        {
            "name": p.name,
            "describes": describes(p),
            "proxies": p.to_json()["proxies"],
            "originals": p.to_json()["originals"],
        }
        for p in list_presets()
    ]
    _answer({"presets": listed}, as_json, lambda: (f"{item['name']}: {item['describes']}" for item in listed))


@app.command("demo-footage")
def demo_footage(
    folder: Annotated[Path, typer.Argument(metavar="DIR")],
    seconds: Annotated[float, typer.Option(help="At most so many seconds of each clip.")] = 60,
    shrink: Annotated[int, typer.Option(min=1, max=16, help="Divide all frame sizes by this.")] = 1,
    as_json: AsJson = False,
) -> None:
    """Draw the demo card into a folder."""
    said: set[str] = set()

    def report(name: str, done: float) -> None:
        if name not in said:
            said.add(name)
            _say(f"drawing {name}")

    with _told():
        draw_card(folder, report, shrink, Fraction(seconds).limit_denominator(1000))
    files = sorted(path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file())
    _answer({"folder": str(folder), "files": files}, as_json, lambda: iter(files))


def main() -> None:
    """Entry point."""
    set_up_logging()
    app()


if __name__ == "__main__":
    main()
