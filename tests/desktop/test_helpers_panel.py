"""Helpers in the window: invited, seen, paused and sent away with clicks, with a real helper's process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from agile_shadow.core.helpers.presence import Helper
from agile_shadow.core.helpers.scheduler import running
from agile_shadow.core.shelves import Shelf
from agile_shadow.desktop.places.storage.helpers_panel import HelpersPanel, rows_of
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener
from tests.desktop.test_window import go

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(autouse=True)
def no_scheduler_stays(own_profile: Path) -> Iterator[None]:
    """The one that was started for the test."""
    yield
    process = running()
    if process:
        os.kill(process, signal.SIGKILL)


def helpers_of(qtbot: QtBot, window: MainWindow) -> HelpersPanel:
    """Storage, with the helpers chosen."""
    go(qtbot, window, "Storage")
    qtbot.waitUntil(lambda: window.storage.list.count() > 3, timeout=20_000)
    window.storage.choose("helpers")
    panel = window.storage.helpers
    qtbot.waitUntil(panel.isVisible, timeout=5_000)
    return panel


def test_a_helper_is_invited_seen_paused_and_sent_away(
    qtbot: QtBot, film: Path, open_window: Opener, tmp_path: Path
) -> None:
    window = open_window(film)
    panel = helpers_of(qtbot, window)
    assert panel.invitation.isVisible() and not panel.pause.isEnabled()
    assert "Select a helper first." in panel.pause.toolTip()
    assert panel.invitation.button is not None
    qtbot.mouseClick(panel.invitation.button, LEFT)
    assert panel.dialog is not None
    dialog = panel.dialog
    qtbot.keyClicks(dialog.name, "Edit 2")
    dialog.address.setCurrentIndex(dialog.address.count() - 1)
    dialog.address.setItemData(dialog.address.currentIndex(), "127.0.0.1")
    qtbot.mouseClick(dialog.make, LEFT)
    qtbot.waitUntil(lambda: bool(dialog.line.toPlainText()), timeout=30_000)
    qtbot.mouseClick(dialog.copy, LEFT)
    command = QApplication.clipboard().text()
    assert command.startswith("agile-shadow helpers join shadow1.")
    qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: [row.helper.state for row in panel.model.rows] == ["away"], timeout=20_000)
    assert panel.model.columns[6].text(panel.model.rows[0]) == "not yet" and not panel.invitation.isVisible()
    helper = subprocess.Popen(
        [sys.executable, "-m", "agile_shadow.cli", *command.split()[1:], "--at-a-time", "3"],
        env={**os.environ, "AGILE_SHADOW_HOME": str(tmp_path / "helper")}, stderr=subprocess.DEVNULL,
        start_new_session=True,
    )  # fmt: skip
    try:
        qtbot.waitUntil(lambda: panel.model.rows[0].helper.state == "ready", timeout=40_000)
        row = panel.model.rows[0]
        assert (row.helper.name, row.helper.slots) == ("Edit 2", 3) and row.helper.cores == os.cpu_count()
        assert [panel.model.columns[number].text(row) for number in (4, 6)] == ["waits for work", "just now"]
        panel.table.selectRow(0)
        qtbot.mouseClick(panel.pause, LEFT)
        qtbot.waitUntil(lambda: panel.model.rows[0].helper.state == "paused", timeout=20_000)
        qtbot.waitUntil(lambda: panel.pause.text() == "Resume", timeout=5_000)
        qtbot.mouseClick(panel.pause, LEFT)
        qtbot.waitUntil(lambda: panel.model.rows[0].helper.state == "ready", timeout=20_000)
        qtbot.mouseClick(panel.away, LEFT)
        qtbot.waitUntil(lambda: not panel.model.rows, timeout=20_000)
        assert panel.invitation.isVisible()
    finally:
        os.killpg(helper.pid, signal.SIGKILL)
        helper.wait()


def test_what_is_missing_is_said_in_the_dialog(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(sys.modules, "cryptography", None)
    panel = helpers_of(qtbot, open_window(film))
    qtbot.mouseClick(panel.invite, LEFT)
    assert panel.dialog is not None
    qtbot.mouseClick(panel.dialog.make, LEFT)
    qtbot.waitUntil(panel.dialog.problem.isVisible, timeout=10_000)
    assert "pip install agile-shadow[machines]" in panel.dialog.problem.text()
    assert panel.dialog.make.isEnabled() and not panel.dialog.line.isVisible()
    panel.dialog.reject()


def test_a_row_names_the_shelves_of_this_project_and_the_speed_against_this_machine() -> None:
    seen = {"s": "/mnt/b", "other": "/mnt/c"}
    helper = Helper("a" * 16, "Edit 2", "ready", 8, 4, seen, (("A001", 0.25),), 30.0, 400.0)
    (row,) = rows_of([helper], [Shelf("s", "Boathouse", "originals", Path("/b"))], 20.0)
    assert (row.shelves, row.speed) == (("Boathouse",), 1.5)
    (unknown,) = rows_of([helper], [], 0.0)
    assert (unknown.shelves, unknown.speed) == ((), 0.0)
