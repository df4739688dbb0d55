"""What runs, in the words of the strip."""

from __future__ import annotations

from ..core.amounts import counted
from ..core.ingest import Progress
from ..core.time import clock_text
from .job_lines import JobLine, PieceLines
from .measuring import Measuring
from .sketch_work import SketchWork
from .work import Work


def jobs_text(work: Work, sketches: SketchWork, measuring: Measuring) -> str:
    """The chip: what runs, how much of it, how long still."""
    parts = []
    progress = ingest_progress(work)
    if progress is not None:
        left = f", about {clock_text(progress.remaining)}" if progress.remaining is not None else ""
        waits = f", waiting {progress.waits}" if progress.waits else ""
        parts.append(f"{progress.of_work()}{left}{waits}")
    for run in (*work.desk.makes, *work.desk.films):
        done, total, part = run.progress()
        waits = f", waiting {run.waits}" if run.waits else ""
        made = f"{done} of {counted(total, 'proxy', 'proxies')}"
        parts.append((made if run.kind == "make" else f"film {part:.0%}") + waits)
    for run in work.desk.keeps:
        waits = f", waiting {run.waits}" if run.waits else ""
        parts.append(f"{run.title[:1].lower()}{run.title[1:]} {run.progress()[2]:.0%}{waits}")
    if work.drawing is not None:
        parts.append(f"drawing {work.drawing.done} of {counted(work.drawing.total, 'clip')}")
    parts.extend(work.pairs.texts())
    for run in work.desk.bakes[:1]:
        parts.append(f"baking {run.progress()[2]:.0%}" + (f", waiting {run.waits}" if run.waits else ""))
    person = waits_for_a_person(work)
    if person and progress is not None and not progress.waits:
        parts.append(f"waits for {person}")
    parts.extend(filter(None, [sketches.text]))
    if not parts and measuring.now:
        return "measuring"
    return "; ".join(parts) or "No jobs"


def ingest_progress(work: Work) -> Progress | None:
    """The running ingests together at this moment."""
    runs = [run.progress() for run in work.desk.ingests]
    if len(runs) < 2:
        return runs[0] if runs else None
    files = sum(one.files for one in runs) or 1
    left = [one.remaining for one in runs]
    return Progress(
        sum(one.files for one in runs), sum(one.copied for one in runs), sum(one.proxies_done for one in runs),
        sum(one.proxies_wanted for one in runs), sum(one.failed for one in runs),
        sum(one.fraction * one.files for one in runs) / files,
        max((one for one in left if one is not None), default=None), "; ".join({o.waits for o in runs if o.waits}),
        sum(one.proved for one in runs),
    )  # fmt: skip


def waits_for_a_person(work: Work) -> str:
    """What only a person can bring to a running ingest; empty when nothing."""
    return "; ".join(run.waits_for_a_person for run in work.desk.runs if run.waits_for_a_person)


def job_lines(work: Work, made: PieceLines) -> list[JobLine]:
    """Rows for the drawer: what runs first, what waits, then what ended in this session; ``made``: those of before."""
    lines: list[JobLine] = []
    if work.drawing is not None:
        lines.append(work.drawing.line())
    lines.extend(work.pairs.lines())
    active = work.desk.runs
    ended = [run for run in work.ended if run.job not in {one.job for one in active}]
    for run in (*active, *ended):
        lines.extend(made.of(run.board.pieces()))
    return lines
