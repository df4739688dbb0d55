"""The report: what an ingest did, counted."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Problem:
    """A file (path below the source) and one sentence about it."""

    path: str
    reason: str


@dataclass(frozen=True)
class IngestReport:
    """Counts of playable files. ``copied`` and ``proved`` include those that were in place already.

    ``failed`` is what needs a person; ``passed_over`` is not. ``here_already``: what the project held by its content;
    ``no_proxy_needed``: video whose preset makes proxies only where needed. ``second_copies``: files of the second
    shelf, originals and proxies. ``manifests``: folders of the manifests written.
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

    @property
    def all_well(self) -> bool:
        """True when nothing needs a person."""
        return not self.failed

    def headline(self) -> str:
        """The report in one line."""
        text = f"{self.found} found, {self.copied} copied, {self.proved} proved, {self.paired} proxies paired"
        if self.no_proxy_needed:
            text += f", {self.no_proxy_needed} need no proxy here"
        if self.second_copies:
            text += f", {self.second_copies} second copies"
        return f"{text}; {len(self.failed)} need you" if self.failed else f"{text}; nothing needs you"

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        values = asdict(self)
        values["passed_over"] = [asdict(problem) for problem in self.passed_over]
        values["manifests"] = list(self.manifests)
        values["failed"] = [asdict(problem) for problem in self.failed]
        return values
