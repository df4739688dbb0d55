"""Closing the window: what goes on is asked about, the project is saved first, and what runs ends."""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path
from typing import Literal

from PySide6.QtWidgets import QMessageBox, QWidget

from ..core.errors import ShadowError, sentence
from .unsaved import ask_unsaved, ask_where
from .waiting import done_aside
from .work import Work

_SAVING, _ENDING = 20.0, 15.0  # seconds that saving, and ending what runs, may take
log = logging.getLogger(__name__)


class Closing:
    """``asks``: whether it asks about work that goes on and what is not saved. ``goes_on``: work goes on without the
    window. ``end_parts``: has everything in the window end."""

    def __init__(self, window: QWidget, work: Work, words: Callable[[], str], end_parts: Callable[[], None]) -> None:
        self._window = window
        self._work = work
        self._words = words
        self._end_parts = end_parts
        self.asks = True
        self.goes_on = False
        self._told_elsewhere = False
        self.state: Literal["open", "ending", "closed"] = "open"

    def close(self) -> bool:
        """Close, if it may be; whether it is closed now."""
        if self.state == "open":
            may = not self.asks or not self._work.desk.asked_for or self.may_close()
            if may and self._saved_or_given_up(may_stay=True):
                self._end()
        return self.state == "closed"

    def may_close(self) -> bool:
        """Ask what becomes of work that is going on."""
        box = QMessageBox(self._window)
        box.setWindowTitle("Work in progress")
        box.setText(f"Work in progress: {self._words()}.")
        box.setInformativeText(
            "It can continue without the window, in a small process that ends with the work; or stop now and continue "
            "at the next start of this project. Verified copies are kept; an unfinished proxy or film starts again."
        )
        without = box.addButton("Continue without the window", QMessageBox.ButtonRole.YesRole)
        close = box.addButton("Close and continue next time", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Keep open", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        self.goes_on = box.clickedButton() is without
        return self.goes_on or box.clickedButton() is close

    def _saved_or_given_up(self, may_stay: bool) -> bool:
        """Whether the project is saved, or need not be; what stands against it is told, and what to do is asked."""
        session = self._work.session
        while True:
            try:
                done_aside(session.save_at_last, _SAVING)
                return True
            except (ShadowError, OSError) as error:
                problem = sentence(error)
            except Exception as error:  # whatever it was: the document must not be lost for it
                log.exception("saving at closing")
                problem = sentence(error)
            if not self.asks:
                return True
            if session.is_changed_elsewhere:
                if not self._told_elsewhere:  # it is tried once more at the very end
                    QMessageBox.warning(self._window, "Changed by another program", problem)
                self._told_elsewhere = True
                return True
            answer = ask_unsaved(self._window, problem, may_stay)
            if answer in ("stay", "without"):
                return answer == "without"
            where = ask_where(self._window, session.path) if answer == "elsewhere" else None
            if where is not None:
                self._save_as(where)

    def _save_as(self, where: Path) -> None:
        try:
            done_aside(lambda: self._work.session.save_as(where), _SAVING)
        except (ShadowError, OSError) as error:
            self._work.problem.emit(sentence(error))

    def _end(self) -> None:
        """End what runs, wait for it a while, and save what it still brought."""
        self.state = "ending"
        self._end_parts()
        self._work.end()
        try:
            if not done_aside(lambda: self._work.wait(_ENDING), _ENDING + 5):
                log.warning("closed while something did not end")
        except (ShadowError, OSError):
            log.warning("closed while something did not end", exc_info=True)
        self._saved_or_given_up(may_stay=False)
        self._work.let_go(self.goes_on)
        self.state = "closed"
