"""The report to keep or send: one HTML page with posters, and a table for spreadsheets."""

from __future__ import annotations

import base64
import csv
import io
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, fields
from fractions import Fraction
from html import escape
from pathlib import Path

from ..amounts import amount
from ..errors import ShadowError
from ..files import written_atomically
from ..jobs import Report
from ..pages import html_page, plain_cell
from ..project import Project
from ..project.report import STEP_WORDS, IngestReport, Problem, ReportRow
from ..texts import whole_text
from ..time import clock_text
from .inspecting import kept_poster

_MOST_POSTERS = 400  # in one page
def as_csv(report: IngestReport) -> str:
    """Each clip a row, its columns those of ReportRow; files that need a person and have no row come after them."""
    out = io.StringIO()
    names = [field.name for field in fields(ReportRow) if field.name != "poster"]
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(names)
    listed = set()
    for row in report.rows:
        writer.writerow([plain_cell(getattr(row, name)) for name in names])
        listed.add(row.path)
    for problem in report.failed:
        if problem.path not in listed:
            row = ReportRow(problem.path, Path(problem.path).stem, "", 0, "needs attention", problem.reason)
            writer.writerow([plain_cell(getattr(row, name)) for name in names])
    return out.getvalue()


def poster_place(project: Project, row: ReportRow) -> tuple[Path, Fraction | None] | None:
    """The file that a row's picture is made of, and the rate of a sequence: only one that is a clip's original or proxy
    in the project. What else a report names, as a report from elsewhere may, is opened by nobody."""
    for clip in project.clips:
        if clip.original.file.path != row.original:
            continue
        halves = [(one.file, one.info) for one in clip.proxies if one.file.path == row.proxy]
        halves = halves if row.poster == "proxy" else [(clip.original.file, clip.original.info)]
        path = project.path(halves[0][0]) if halves else None
        if path is not None and row.poster in ("original", "proxy"):
            return path, halves[0][1].sequence_rate
    return None


def as_html(report: IngestReport, title: str, picture: Callable[[ReportRow], bytes | None] = lambda row: None) -> str:
    """One page that needs nothing else; ``picture`` gives the JPEG of a row."""
    parts = [
        f"<p class='quiet'>{escape(title)}</p><h1>{escape(report.one_number())}</h1>",
        f"<p>{escape(report.headline())}.</p>", _sums(report), _needing(report), _posters(report, picture),
        _table(report), _passed(report),
    ]  # fmt: skip
    return html_page(title, parts)


def _sums(report: IngestReport) -> str:
    size = sum(row.size for row in report.rows)
    proxies = sum(row.proxy_size for row in report.rows)
    cells = [
        ("found", report.found), ("copied", report.copied), ("proved", report.proved), ("proxies", report.proxies),
        ("paired", report.paired), ("needing attention", len(report.failed)), ("GB of originals", f"{size / 1e9:.1f}"),
        ("GB of proxies", f"{proxies / 1e9:.1f}"),
    ]  # fmt: skip
    shown = "".join(f"<div><b>{escape(str(value))}</b>{escape(name)}</div>" for name, value in cells)
    took = report.took
    when = f"{took.began} to {took.ended}, {clock_text(took.seconds)}. " if took.ended else ""
    manifests = f" Manifests: {', '.join(report.manifests)}." if report.manifests else ""
    told = f"{when}From {report.source} with the preset {report.preset}; checksums: {report.checksum}.{manifests}"
    return f"<div class='sums'>{shown}</div><p class='quiet'>{escape(told)}</p>"


def _needing(report: IngestReport) -> str:
    if not report.failed:
        return ""
    return "<h2>Needs attention</h2>" + "".join(_problem(problem) for problem in report.failed)


def _problem(problem: Problem) -> str:
    step = STEP_WORDS.get(problem.step, "")
    then = f" <b>Next: {escape(step)}.</b>" if step else ""
    return f"<div class='you'><code>{escape(problem.path)}</code><br>{escape(problem.reason)}{then}</div>"


def _posters(report: IngestReport, picture: Callable[[ReportRow], bytes | None]) -> str:
    shown = [row for row in report.rows if row.poster and row.kind != "sound"]
    if not shown:
        return ""
    figures = []
    for row in shown[:_MOST_POSTERS]:
        data = picture(row)
        image = f"<img alt='' src='data:image/jpeg;base64,{base64.b64encode(data).decode()}'>" if data else "no picture"
        figures.append(
            f"<figure><div class='box'>{image}</div><figcaption>{escape(row.name)} "
            f"<span class='quiet'>{escape(row.timecode)}</span></figcaption></figure>"
        )
    more = len(shown) - _MOST_POSTERS
    note = f"<p class='quiet'>{more} more clips have no poster here; all are in the table.</p>" if more > 0 else ""
    return f"<h2>Posters</h2><div class='posters'>{''.join(figures)}</div>{note}"


def _table(report: IngestReport) -> str:
    if not report.rows:
        return ""
    head = ("Clip", "State", "Original", "Picture or sound", "Frames", "Timecode", "Size", "Proxy", "Checksum")
    rows = "".join(_row(row) for row in report.rows)
    return f"<h2>Clips</h2><table><tr>{''.join(f'<th>{name}</th>' for name in head)}</tr>{rows}</table>"


def _row(row: ReportRow) -> str:
    state = f"{row.state}: {row.note}" if row.note else row.state
    proxy = f"<code>{escape(row.proxy)}</code><br>{amount(row.proxy_size)}" if row.proxy else ""
    original = escape(row.original or row.path)
    return (
        f"<tr><td>{escape(row.name)}</td><td>{escape(state)}</td><td><code>{original}</code></td>"
        f"<td>{escape(row.picture)}</td><td class='n'>{row.frames or ''}</td>"
        f"<td><code>{escape(row.timecode)}</code></td>"
        f"<td class='n'>{amount(row.size)}</td><td>{proxy}</td><td><code>{escape(row.checksum)}</code></td></tr>"
    )


def _passed(report: IngestReport) -> str:
    if not report.passed_over:
        return ""
    items = "".join(f"<li><code>{escape(one.path)}</code>: {escape(one.reason)}</li>" for one in report.passed_over)
    return f"<h2>Skipped</h2><ul class='quiet'>{items}</ul>"


def refuse_ending(out: Path) -> None:
    """Raises ShadowError for a file whose ending does not say what it is to be."""
    if out.suffix.lower() not in (".csv", ".html", ".htm"):
        raise ShadowError("is neither .html nor .csv", out, "Give the file one of these extensions.")


def write_report(report: IngestReport, out: Path, title: str, project: Project | None = None) -> Path:
    """Write the report as what the ending of ``out`` says: ``.csv``, else HTML with pictures of the project's clips.

    Raises ShadowError, OSError.
    """
    refuse_ending(out)
    is_table = out.suffix.lower() == ".csv"
    text = as_csv(report) if is_table else as_html(report, title, lambda row: _poster(project, row))
    with written_atomically(out) as partial:
        partial.write_text(whole_text(text), encoding="utf-8", newline="")
    return out


def _poster(project: Project | None, row: ReportRow) -> bytes | None:
    with suppress(ShadowError, OSError):
        place = poster_place(project, row) if project is not None else None
        return kept_poster(*place) if place is not None else None
    return None


@dataclass(frozen=True)
class PageRequest:
    """A report, the file to write it to, its title, and the project of its clips."""

    report: IngestReport
    out: Path
    title: str
    project: Project | None = None


def write_page(request: PageRequest, report: Report) -> Path:
    """The same as a task for a worker: posters are made of files."""
    return write_report(request.report, request.out, request.title, request.project)
