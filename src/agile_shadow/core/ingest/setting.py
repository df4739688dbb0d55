"""What all steps of one run share."""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..errors import StateError
from ..estimates import Measurements
from ..jobs import Executor, Hands, JobStore
from ..media.sequence import status
from ..presets import Preset
from ..project import Clip, Project, ProjectSession
from .board import Board
from .known import Known
from .proofs import Proofs
from .request import IngestRequest
from .shelving import RunShelves
from .source import SourceFile

log = logging.getLogger(__name__)


@dataclass
class Setting:
    """For the run's thread: one place for what the steps share, instead of a copy in each.

    ``patient``: wait for what a person can bring. ``taken``: clips by the path of their file on the source; ``values``:
    tokens of those that were looked at; ``seconds``: second copies made; ``beside``: proxies that lie ready, for
    manifests; ``retried``: jobs that are tried again though they were taken back once.
    """

    request: IngestRequest
    session: ProjectSession
    store: JobStore
    board: Board
    hands: Hands
    copies: Executor
    makers: Executor
    known: Known
    shelves: RunShelves
    patient: bool
    stopped: threading.Event
    proofs: Proofs
    measured: Measurements = field(default_factory=Measurements)
    files: dict[str, SourceFile] = field(default_factory=dict)
    numbers: dict[str, int] = field(default_factory=dict)
    same_stem: set[str] = field(default_factory=set)
    values: dict[str, dict[str, str]] = field(default_factory=dict)
    taken: dict[str, str] = field(default_factory=dict)
    seconds: dict[str, str] = field(default_factory=dict)
    beside: list[Path] = field(default_factory=list)
    retried: set[tuple[str, str]] = field(default_factory=set)
    small_copies: int = 0
    bytes: int = 0
    for_good: bool = False

    @property
    def preset(self) -> Preset:
        """What is done."""
        return self.request.preset

    @property
    def project(self) -> Project:
        """As it is now."""
        return self.session.project

    @property
    def checksum(self) -> str:
        """What copies are compared with."""
        return self.preset.originals.checksum

    @property
    def waits_patiently(self) -> bool:
        """Whether what is missing now is to be waited for."""
        return self.patient and not self.stopped.is_set()

    def clip_of(self, file: SourceFile) -> Clip | None:
        """The clip that a file was taken in as."""
        return self.project.clip(self.taken.get(file.path, ""))

    def note(self, file: SourceFile, **changes: Any) -> None:
        """Show what has changed of a file."""
        self.board.note(file.path, **changes)

    def is_on_source(self, file: SourceFile) -> bool:
        """Whether it lies there as it was found."""
        try:
            return status(file.at(self.request.source)) == (file.size, file.modified)
        except OSError:
            return False

    def card_is_there(self) -> bool:
        """Whether the source can still be read: any of its files is there."""
        for file in list(self.files.values())[:50]:
            with suppress(OSError):
                if (self.request.source / file.files[0]).stat().st_size >= 0:
                    return True
        return False


@contextmanager
def though_state_fails() -> Iterator[None]:
    """This machine's state is for going on after a crash: that it cannot be written costs no footage."""
    try:
        yield
    except StateError:
        log.warning("the state of this machine cannot be written", exc_info=True)
