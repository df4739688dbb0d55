"""The report: what an ingest did, counted, and each clip a row."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from functools import cache
from typing import Any

from pydantic import TypeAdapter

from ..amounts import counted, needing
from ..strict import Count, Line, Number, PathText, Words


@dataclass(frozen=True)
class Problem:
    """A file (path below the source; of a shelf its whole path) and one sentence about it.

    ``step``: the one thing to do next: ``retry``, ``show`` (look at the file), ``read`` (read the source again), or "".
    """

    path: PathText
    reason: Words
    step: Line = ""


NEEDS = "needs attention"
NEEDED = (NEEDS, "needs you")  # the state of a row that waits for a person; the second in reports of before

STEP_WORDS = {
    "retry": "Retry",
    "show": "Open its folder",
    "read": "Read the source again",
}


@dataclass(frozen=True)
class ReportRow:
    """One clip. ``size`` in bytes, ``frames`` and ``rate`` (frames per second, as a fraction), 0 and "" where unknown.

    ``state`` in words; ``original``, ``second`` and ``proxy`` are paths below their shelves; ``poster``: whether
    a picture of it can be made from its ``original`` or its ``proxy``; "" where there is none.
    """

    path: PathText
    name: Line
    kind: Line
    size: Count
    state: Line
    note: Words = ""
    checksum: Line = ""
    original: PathText = ""
    second: PathText = ""
    proxy: PathText = ""
    proxy_size: Count = 0
    frames: Count = 0
    rate: Line = ""
    timecode: Line = ""
    camera: Line = ""
    reel: Line = ""
    recorded: Line = ""
    picture: Line = ""
    poster: PathText = ""


@dataclass(frozen=True)
class Took:
    """When a run began and ended (local time), how many seconds it took and how many bytes it copied."""

    began: Line = ""
    ended: Line = ""
    seconds: Number = 0.0
    bytes: Count = 0


@dataclass(frozen=True)
class IngestReport:
    """Counts of playable files. ``copied``: all their copies lie in their places, also those that did before;
    ``proved``: and every one of them was read in this run and equals its source. Nothing is counted from memory.

    ``failed`` is what needs a person; ``passed_over`` is not. ``here_already``: what the project held by its content;
    ``no_proxy_needed``: video whose preset makes proxies only where needed. ``second_copies``: files of the second
    shelf, originals and proxies; ``one_drive``: on the drive of the first copies. ``manifests``: folders of the
    manifests written. ``wanted``: how many should have a proxy. ``small_copies``: cameras' own that were paired.
    ``took`` differs from run to run; all else does not.
    """

    found: Count = 0
    copied: Count = 0
    proved: Count = 0
    proxies: Count = 0
    paired: Count = 0
    passed_over: tuple[Problem, ...] = ()
    failed: tuple[Problem, ...] = ()
    here_already: Count = 0
    no_proxy_needed: Count = 0
    second_copies: Count = 0
    one_drive: bool = False
    manifests: tuple[PathText, ...] = ()
    wanted: Count = 0
    small_copies: Count = 0
    source: PathText = ""
    preset: Line = ""
    checksum: Line = ""
    rows: tuple[ReportRow, ...] = ()
    took: Took = field(default=Took(), compare=False)

    @property
    def all_well(self) -> bool:
        """True when nothing needs a person."""
        return not self.failed

    @property
    def as_many_as_shot(self) -> bool:
        """Whether everything that was found is in its place, proven, with the proxies that were wanted."""
        whole = self.paired == self.wanted and self.copied in (0, self.found) and self.proved in (0, self.found)
        return self.all_well and whole and self.found > 0

    def one_number(self) -> str:
        """The one line to trust in the morning."""
        if not self.found:
            return "Nothing on this source matches the preset"
        if self.as_many_as_shot:
            return f"Complete: {self.found} of {counted(self.found, 'clip')}"
        listed = {row.path for row in self.rows}
        shot = self.found + sum(1 for one in self.failed if one.path not in listed and not one.path.startswith("/"))
        whole = sum(1 for row in self.rows if row.state not in NEEDED)
        return f"{whole} of {counted(shot, 'clip')} complete; {needing(len(self.failed))}"

    def headline(self) -> str:
        """The report in one line."""
        paired = f"{counted(self.paired, 'proxy', 'proxies')} paired"
        text = f"{self.found} found, {self.copied} copied, {self.proved} verified, {paired}"
        if self.no_proxy_needed:
            needs = "needs" if self.no_proxy_needed == 1 else "need"
            text += f", {self.no_proxy_needed} {needs} no proxy on this machine"
        if self.small_copies:
            text += f", {self.small_copies} camera proxies paired"
        if self.second_copies:
            text += f", {counted(self.second_copies, 'second copy', 'second copies')}"
            text += " on the same drive" if self.one_drive else ""
        return f"{text}; {needing(len(self.failed))}" if self.failed else f"{text}; nothing needs attention"

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        values = asdict(self)
        for name in ("passed_over", "failed", "rows", "manifests"):
            values[name] = list(values[name])
        return values

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> IngestReport:
        """The inverse of :meth:`to_json`; what is not known is left out, so that reports of other versions open.

        Raises ValueError for what is no report.
        """
        if not isinstance(values, dict):
            raise ValueError("a report is none")
        return _adapter().validate_python({**values, "took": values.get("took") or {}})


def ready_to_read() -> None:
    """Have ready what reads reports: the first one is read when a run ends, while somebody looks on."""
    _adapter()


@cache
def _adapter() -> TypeAdapter[IngestReport]:
    return TypeAdapter(IngestReport)
