"""Every question the window asks: what is asked can be read in both looks, and Escape is the answer that changes
nothing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QDialog, QInputDialog, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from agile_shadow.core.ingest import Problem
from agile_shadow.core.upkeep import removing
from agile_shadow.desktop.unsaved import ask_unsaved
from agile_shadow.desktop.window import MainWindow
from tests.desktop import surfaces
from tests.desktop.conftest import Opener
from tests.desktop.test_window import go

LEFT = Qt.MouseButton.LeftButton


class Asked:
    """The next question: what the walk finds wrong with it, and what it said. It is left with Escape."""

    def __init__(self) -> None:
        self.found: list[str] = []
        self.said = ""
        self.seen = False
        QTimer.singleShot(20, self._look)

    def _look(self) -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, QMessageBox | QInputDialog):
            QTimer.singleShot(20, self._look)
            return
        self.seen = True
        self.said = f"{box.windowTitle()}: {box.text()} {box.informativeText()}" if isinstance(box, QMessageBox) else (
            f"{box.windowTitle()}: {box.labelText()}"
        )  # fmt: skip
        faults = surfaces.faults_in_both_looks(box)
        self.found = [one for one in faults if "no tooltip" not in one]  # the question itself says what its buttons do
        box.reject()


def asked_by(act: Callable[[], object]) -> Asked:
    """Do what asks, and answer with Escape."""
    asked = Asked()
    act()
    assert asked.seen
    return asked


def test_questions_can_be_read_and_escape_changes_nothing(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(film)
    session, doing = window.work.session, window.pairs.doing_with
    files = sorted(path for path in film.parent.rglob("*") if path.is_file() and path.suffix != ".otio")
    go(qtbot, window, "Pairs")
    window.pairs.table.selectRow(next(n for n, row in enumerate(window.pairs.model.rows) if row.proxy is not None))
    go(qtbot, window, "Storage")
    qtbot.waitUntil(lambda: bool(window.storage.rows), timeout=20_000)
    before = session.project
    menu, storage = window.project_menu, window.storage
    storage.choose(next(row.state.shelf.id for row in storage.rows))
    questions: dict[str, Callable[[], object]] = {
        "Tags of 1 clip": doing.ask_for_tags,
        "Remove proxies": doing.remove,
        "Save as template": menu.keep_as_ready_made,
        "Work in progress": window.closing.may_close,
        "Not saved": lambda: ask_unsaved(window, "film.otio: the drive is full. Free some space, then retry.", True),
        "Rename": lambda: storage.shelf.rename.click(),
        "Timeline": lambda: renaming(window).trigger(),
    }
    asked = {title: asked_by(act) for title, act in questions.items()}
    assert [one.said.partition(":")[0] for one in asked.values()] == list(questions)
    assert [f"{title}: {fault}" for title, one in asked.items() for fault in one.found] == []
    assert session.project == before and not window.closing.goes_on and window.isVisible()
    assert sorted(path for path in film.parent.rglob("*") if path.is_file() and path.suffix != ".otio") == files
    assert ask_again(window) == "stay"


def renaming(window: MainWindow) -> QAction:
    """The entry that renames the open timeline."""
    window.timeline.lines.fill()
    return next(one for one in window.timeline.lines.menu.actions() if one.text() == "Rename…")


def ask_again(window: QWidget) -> str:
    """What Escape means where a project could not be saved."""
    answers: list[str] = []
    asked_by(lambda: answers.append(ask_unsaved(window, "the drive is full", True)))
    return answers[0]


def test_nothing_is_deleted_for_good_by_escape(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(removing, "into_trash", lambda path: "its drive has no trash")
    window = open_window(film)
    go(qtbot, window, "Storage")
    qtbot.waitUntil(lambda: bool(window.storage.rows), timeout=20_000)
    window.storage.open_tidy()
    dialog = window.storage.dialog
    assert isinstance(dialog, QDialog)
    files = sorted((film.parent / "Laptop").rglob("*.mov"))
    asked = asked_by(lambda: dialog._asks_for_good(3))  # type: ignore[attr-defined]
    assert asked.found == [] and "3 files are on a drive without a trash" in asked.said
    assert files and all(path.exists() for path in files)


def test_many_skipped_files_with_long_names_are_a_list_that_scrolls(
    qtbot: QtBot, film: Path, drawn_card: Path, open_window: Opener
) -> None:
    window = open_window(film, drawn_card)
    go(qtbot, window, "Ingest")
    panel = window.ingest.on_source
    qtbot.waitUntil(panel.reasons.isVisible, timeout=20_000)
    assert panel.listing is not None
    long = "A_very_long_folder_name/" * 6
    many = tuple(Problem(f"{long}{number}.bin", "not a media file") for number in range(900))
    panel.listing = replace(panel.listing, passed_over=many)
    qtbot.mouseClick(panel.reasons, LEFT)
    dialog = panel.dialog
    assert dialog is not None
    qtbot.waitUntil(dialog.isVisible)
    index = dialog.model.index
    rows = {index(row, 0).data(): index(row, 1).data() for row in range(dialog.model.rowCount())}
    assert len(rows) == 900 + len(panel.listing.unreadable) and rows[f"{long}899.bin"] == "not a media file"
    assert dialog.height() <= 680 and surfaces.faults_in_both_looks(dialog) == []
    qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()
