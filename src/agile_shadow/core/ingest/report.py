"""The report: what an ingest did, counted, and each clip a row."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, fields
from typing import Any


@dataclass(frozen=True)
class Problem:
    """A file (path below the source) and one sentence about it.

    ``step``: the one thing to do next: ``retry``, ``show`` (look at the file), ``read`` (read the source again), or "".
    """

    path: str
    reason: str
    step: str = ""


STEP_WORDS = {
    "retry": "Try again",
    "show": "Show the file",
    "read": "Read the source again",
}


@dataclass(frozen=True)
class ReportRow:
    """One clip. ``size`` in bytes, ``frames`` and ``rate`` (frames a second, as a fraction), 0 and "" where unknown.

    ``state`` in words; ``original``, ``second`` and ``proxy`` are paths below their shelves; ``poster``: where a
    picture of it can be made from.
    """

    path: str
    name: str
    kind: str
    size: int
    state: str
    note: str = ""
    checksum: str = ""
    original: str = ""
    second: str = ""
    proxy: str = ""
    proxy_size: int = 0
    frames: int = 0
    rate: str = ""
    timecode: str = ""
    camera: str = ""
    reel: str = ""
    recorded: str = ""
    picture: str = ""
    poster: str = ""


@dataclass(frozen=True)
class Took:
    """When a run began and ended (local time), how many seconds it took and how many bytes it copied."""

    began: str = ""
    ended: str = ""
    seconds: float = 0.0
    bytes: int = 0


@dataclass(frozen=True)
class IngestReport:
    """Counts of playable files. ``copied`` and ``proved`` include those that were in place already.

    ``failed`` is what needs a person; ``passed_over`` is not. ``here_already``: what the project held by its content;
    ``no_proxy_needed``: video whose preset makes proxies only where needed. ``second_copies``: files of the second
    shelf, originals and proxies. ``manifests``: folders of the manifests written. ``wanted``: how many should have a
    proxy. ``small_copies``: cameras' own that were paired. ``took`` differs from run to run; all else does not.
    """

    found: int = 0
    copied: int = 0
    proved: int = 0
    proxies: int = 0
    paired: int = 0
    passed_over: tuple[Problem, ...] = ()
    failed: tuple[Problem, ...] = ()
    here_already: int = 0
    no_proxy_needed: int = 0
    second_copies: int = 0
    manifests: tuple[str, ...] = ()
    wanted: int = 0
    small_copies: int = 0
    source: str = ""
    preset: str = ""
    checksum: str = ""
    rows: tuple[ReportRow, ...] = ()
    took: Took = field(default=Took(), compare=False)

    @property
    def all_well(self) -> bool:
        """True when nothing needs a person."""
        return not self.failed

    @property
    def as_many_as_shot(self) -> bool:
        """Whether everything that was found is in its place, proven, with the proxies that were wanted."""
        return self.all_well and self.paired == self.wanted and self.found > 0

    def one_number(self) -> str:
        """The one line to trust in the morning."""
        if not self.found:
            return "Nothing was found that the preset takes"
        if self.as_many_as_shot:
            return f"As many as shot: {self.found} of {self.found}"
        listed = {row.path for row in self.rows}
        shot = self.found + sum(1 for problem in self.failed if problem.path not in listed)
        whole = sum(1 for row in self.rows if row.state != "needs you")
        need = "1 needs you" if len(self.failed) == 1 else f"{len(self.failed)} need you"
        return f"{whole} of {shot} as shot; {need}"

    def headline(self) -> str:
        """The report in one line."""
        text = f"{self.found} found, {self.copied} copied, {self.proved} proved, {self.paired} proxies paired"
        if self.no_proxy_needed:
            text += f", {self.no_proxy_needed} need no proxy here"
        if self.small_copies:
            text += f", {self.small_copies} of the camera's own paired"
        if self.second_copies:
            text += f", {self.second_copies} second copies"
        return f"{text}; {len(self.failed)} need you" if self.failed else f"{text}; nothing needs you"

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        values = asdict(self)
        for name in ("passed_over", "failed", "rows", "manifests"):
            values[name] = list(values[name])
        return values

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> IngestReport:
        """The inverse of :meth:`to_json`; what is not known is left out, so that reports of other versions open."""
        kept = _known(cls, values)
        for name in ("passed_over", "failed"):
            kept[name] = tuple(Problem(**_known(Problem, one)) for one in kept.get(name, ()))
        kept["rows"] = tuple(ReportRow(**_known(ReportRow, one)) for one in kept.get("rows", ()))
        kept["manifests"] = tuple(kept.get("manifests", ()))
        kept["took"] = Took(**_known(Took, kept.get("took") or {}))
        return cls(**kept)


def _known(kind: Any, values: dict[str, Any]) -> dict[str, Any]:
    names = {one.name for one in fields(kind)}
    return {key: value for key, value in values.items() if key in names}
