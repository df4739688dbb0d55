"""What runs, in the words of the strip."""

from __future__ import annotations

from ..core.amounts import counted
from ..core.time import clock_text
from .measuring import Measuring
from .sketch_work import SketchWork
from .work import Work


def jobs_text(work: Work, sketches: SketchWork, measuring: Measuring) -> str:
    """The chip: what runs, how much of it, how long still."""
    parts = []
    progress = work.ingest_progress()
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
    parts.extend(work.bakes.texts())
    person = work.waits_for_a_person
    if person and progress is not None and not progress.waits:
        parts.append(f"waits for {person}")
    parts.extend(filter(None, [sketches.text]))
    if not parts and measuring.now:
        return "measuring"
    return "; ".join(parts) or "No jobs"
