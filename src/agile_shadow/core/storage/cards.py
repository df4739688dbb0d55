"""The cards that were ingested into a project: their files, and the copies of each that were read back."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from ..errors import ShadowError
from ..jobs import CopyRecord
from ..project import Project
from ..project.report import IngestReport, ReportRow
from ..readings import Reading
from ..shelves import SECOND, Shelf, place_of

_ROLES = ("originals", SECOND)


@dataclass(frozen=True)
class CardCopy:
    """A copy on a shelf. ``read``: when it was last read back and equal, in seconds since 1970, 0 where this machine
    does not know; ``checksum`` and ``value``: by which, "" where it was compared by size only."""

    shelf: str
    path: Path
    checksum: str
    value: str
    read: float = 0.0


@dataclass(frozen=True)
class CardFile:
    """A file of the card: ``path`` below it, ``size`` in bytes (0 where only its copies are known)."""

    path: str
    size: int
    copies: tuple[CardCopy, ...]


@dataclass(frozen=True)
class Card:
    """A source as it was ingested, once or several times. ``began``, ``ended``: of its first and last ingest, local
    time in words. ``passed_over``: (path, reason) of what was not copied; ``failed`` likewise. ``copied``: whether its
    originals were copied at all."""

    source: Path
    began: str
    ended: str
    ingests: int
    files: tuple[CardFile, ...]
    passed_over: tuple[tuple[str, str], ...]
    failed: tuple[tuple[str, str], ...]
    copied: bool

    @property
    def name(self) -> str:
        """The folder's."""
        return self.source.name or str(self.source)

    @property
    def id(self) -> str:
        """Its folder and when it was first ingested: another card may lie in that folder later."""
        return f"{self.source} {self.began}"

    @property
    def size(self) -> int:
        """Bytes of all its files that are known."""
        return sum(file.size for file in self.files)

    @property
    def shelves(self) -> tuple[str, ...]:
        """Identities of the shelves that hold any of its files."""
        return tuple(dict.fromkeys(copy.shelf for file in self.files for copy in file.copies))


@dataclass
class _Group:
    reports: list[IngestReport]

    def takes(self, report: IngestReport) -> bool:
        """Whether it is the same card: the same folder, with a file that is the same."""
        known = {(row.path, row.size, row.checksum) for one in self.reports for row in one.rows}
        return self.reports[0].source == report.source and any(
            (row.path, row.size, row.checksum) in known for row in report.rows
        )


def cards_of(project: Project, copies: Iterable[CopyRecord], readings: dict[str, Reading]) -> list[Card]:
    """All cards, the one ingested last first. ``copies``, ``readings``: what this machine remembers of its shelves."""
    groups: list[_Group] = []
    for values in project.reports:
        with suppress(ValueError):
            report = IngestReport.from_json(values)
            if not report.source:
                continue
            own = next((group for group in reversed(groups) if group.takes(report)), None)
            if own is None:
                groups.append(_Group([report]))
            else:
                own.reports.append(report)
    by_source: dict[str, list[CopyRecord]] = defaultdict(list)
    for record in copies:
        by_source[record.source].append(record)
    last = {group.reports[-1].source: group for group in groups}
    cards = [_card(project, group, by_source, readings, last[group.reports[-1].source] is group) for group in groups]
    return sorted(cards, key=lambda card: card.ended, reverse=True)


def _card(
    project: Project, group: _Group, by_source: dict[str, list[CopyRecord]], readings: dict[str, Reading], newest: bool
) -> Card:
    source = Path(group.reports[0].source)
    rows = {row.path: row for report in group.reports for row in report.rows}
    last = group.reports[-1]
    spans = [span for report in group.reports if (span := _span(report)) is not None]
    shelves = tuple(shelf for shelf in project.shelves if shelf.role in _ROLES and shelf.root != source)
    clips = {clip.source: clip for clip in project.clips}
    found: dict[str, CardFile] = {}
    for path, row in rows.items():
        clip = clips.get(str(source / path))
        shelf = project.shelf(clip.original.file.shelf) if clip is not None else None
        known = list(_by_row(row, shelf if shelf in shelves else None, shelves, last.checksum))
        found[path] = CardFile(path, row.size, tuple(known))
    for text, records in by_source.items():
        place = Path(text)
        if not place.is_relative_to(source):
            continue
        below = place.relative_to(source).as_posix()
        now = found.get(below)
        sure = [one for one in records if _is_of(one, rows.get(below), readings.get(one.target), spans, newest)]
        same = {one.value for one in sure if one.value}  # copies made later of the same bytes
        fitting = [one for one in records if one in sure or one.value in same]
        more = [copy for one in fitting if (copy := _by_record(one, shelves)) is not None]
        if more:
            kept = now.copies if now is not None else ()
            paths = {copy.path for copy in more}
            every = (*more, *(one for one in kept if one.path not in paths))
            found[below] = CardFile(below, fitting[0].size, every)
    files = _without_whole_clips(found, rows)
    dated = tuple(replace(file, copies=tuple(_dated(one, readings) for one in file.copies)) for file in files)
    copied = any(file.copies for file in dated)
    first = group.reports[0].took
    return Card(
        source, first.began, last.took.ended or first.ended, len(group.reports), dated,
        tuple((one.path, one.reason) for one in last.passed_over),
        tuple((one.path, one.reason) for one in last.failed), copied,
    )  # fmt: skip


def _is_of(
    record: CopyRecord, row: ReportRow | None, reading: Reading | None, spans: list[tuple[float, float]], newest: bool
) -> bool:
    """Whether a copy that is remembered by its source's name is of this card: another one may have lain there since."""
    if row is not None and row.checksum and record.value and record.size == row.size:
        return record.value == row.checksum
    if reading is not None and spans:
        return any(began <= reading.first <= ended for began, ended in spans)
    return newest


def _span(report: IngestReport) -> tuple[float, float] | None:
    """When an ingest began and ended, in seconds since 1970; the report has whole seconds."""
    try:
        began, ended = (time.mktime(time.strptime(text, "%Y-%m-%d %H:%M:%S"))
                        for text in (report.took.began, report.took.ended))  # fmt: skip
    except (ValueError, OverflowError):
        return None
    return began - 1, ended + 2


def _by_record(record: CopyRecord, shelves: Sequence[Shelf]) -> CardCopy | None:
    place = place_of(Path(record.target), tuple(shelves))
    return CardCopy(place[0].id, Path(record.target), record.checksum, record.value) if place is not None else None


def _by_row(row: ReportRow, own: Shelf | None, shelves: Sequence[Shelf], checksum: str) -> Iterable[CardCopy]:
    """As the report has them: where this machine has no memory of the copying."""
    if row.original and own is not None:
        with suppress(ShadowError):
            yield CardCopy(own.id, own.locate(row.original), checksum, row.checksum)
    second = [shelf for shelf in shelves if shelf.role == SECOND]
    if row.second and len(second) == 1:
        with suppress(ShadowError):
            yield CardCopy(second[0].id, second[0].locate(row.second), checksum, row.checksum)


def _without_whole_clips(found: dict[str, CardFile], rows: dict[str, ReportRow]) -> list[CardFile]:
    """Sequences and recordings in several files stand there by their files, where these are known."""
    several = {path for path in rows if " + " in path or "%0" in path}
    if len(found) > len(rows):
        found = {path: file for path, file in found.items() if path not in several}
    return [found[path] for path in sorted(found)]


def _dated(copy: CardCopy, readings: dict[str, Reading]) -> CardCopy:
    known = readings.get(str(copy.path))
    if known is None or (copy.value and known.checksum == copy.checksum and known.value != copy.value):
        return copy
    return replace(copy, read=known.read)
