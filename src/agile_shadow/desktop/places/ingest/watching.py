"""Watching folders from the window: which, and no more."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ....core.ingest import IngestRequest, stop_watching, watch_folder
from ...choosing import ask_folder
from ...work import Work
from .sources import SourcesList


class Watching:
    """``request``: what is to be done with what comes into a folder, with the preset and shelves of the card."""

    def __init__(self, work: Work, sources: SourcesList, request: Callable[[Path], IngestRequest | None]) -> None:
        self._work = work
        self._sources = sources
        self._request = request
        sources.wants_watch.connect(self._watch)
        sources.wants_no_watch.connect(self._no_more)

    def _watch(self) -> None:
        """Watch the chosen source, or a folder that is chosen now."""
        chosen = self._sources.chosen_paths()
        start = str(chosen[0]) if len(chosen) == 1 else ""
        folder = ask_folder(self._sources, "Folder to watch", start)
        request = self._request(folder) if folder is not None else None
        if request is not None:
            project = self._work.session.path
            self._change(lambda: watch_folder(project, request))

    def _no_more(self, folder: Path) -> None:
        project = self._work.session.path
        self._change(lambda: stop_watching(project, folder))

    def _change(self, change: Callable[[], None]) -> None:
        """In the background: it looks at folders and writes a file."""

        def work() -> None:
            change()
            self._work.desk.minding.watch_again()

        self._work.in_background(work, lambda _done: self._sources.refresh())
