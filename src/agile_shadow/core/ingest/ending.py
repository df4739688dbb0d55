"""The end of a run: a last look at what was proved, its manifests, and the report."""

from __future__ import annotations

import logging
from dataclasses import replace
from pathlib import Path

from ..errors import Cancelled, sentence
from ..project.report import IngestReport, Problem
from .counting import counted, took
from .setting import Setting
from .source import SourceListing

log = logging.getLogger(__name__)


def reported(s: Setting, listing: SourceListing, began: float) -> IngestReport:
    """What a run did; of one that was not stopped after a last look and with its manifests. ``began``: seconds since
    1970."""
    manifests: tuple[str, ...] = ()
    problems: list[Problem] = []
    if not s.stopped.is_set():
        _look_once_more(s)
        manifests, problems = _manifests(s)
    seconds = len(s.seconds) + s.proofs.more
    report = counted(
        listing, s.board.items(), s.taken, s.seconds, s.preset, s.project,
        manifests=manifests,
        second_copies=seconds, one_drive=seconds > 0 and s.shelves.roots.both_on_one_drive, small_copies=s.small_copies,
        source=str(s.request.source),
        took=took(began, s.bytes),
    )  # fmt: skip
    return replace(report, failed=(*report.failed, *problems))


def _look_once_more(s: Setting) -> None:
    """What is not as it was when it was read back is not counted, but told."""
    for path, reason in s.proofs.look_once_more().items():
        s.board.note(path, phase="failed", note=reason, copied=False, proved=False, done=0.0)
        s.seconds.pop(path, None)


def _manifests(s: Setting) -> tuple[tuple[str, ...], list[Problem]]:
    """Write them; one that cannot be written is a line of the report."""
    written: list[str] = []
    problems: list[Problem] = []
    from .manifest import write_manifest_of  # its library is only needed where there is something to write

    if not s.preset.originals.manifest or s.preset.originals.do != "copy":
        return (), problems
    second = s.shelves.roots.second
    for root in [s.request.originals, *([second] if second else [])]:
        try:
            wrote = write_manifest_of(
                s.shelves.anchor(root), s.proofs.every(), s.beside, s.checksum, lambda: _refuse_if_stopped(s)
            )
        except Cancelled:
            break  # the run goes on at the next start, and its manifests with it
        except Exception as error:  # whatever it was: the copies are what they are, and the report says so
            log.warning("manifest of %s", root, exc_info=True)
            problems.append(_problem(root, f"no manifest was written: {sentence(error)}"))
        else:
            written += wrote.folders
            problems += [_problem(root, text) for text in wrote.told]
    return tuple(written), problems


def _problem(root: Path, text: str) -> Problem:
    return Problem(str(root), text)


def _refuse_if_stopped(s: Setting) -> None:
    if s.stopped.is_set():
        raise Cancelled
