"""What plays late is baked by itself while the hand rests, and gives way when it moves."""

from __future__ import annotations

import threading
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from agile_shadow.core.compositing import Compositor
from agile_shadow.core.desk import BakeRun
from agile_shadow.core.playback import next_to_bake
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import _with_ended
from tests.desktop.conftest import Opener
from tests.desktop.test_everywhere import press
from tests.desktop.test_timeline_place import cutting, seek

LEFT = Qt.MouseButton.LeftButton
GB = 10**9


def say_so(qtbot: QtBot, window: MainWindow, room: int) -> None:
    """By the menu and its dialog."""
    window.command("bake_late")
    dialog = window.timeline.dialog
    assert dialog is not None and not dialog.box.isChecked() and not dialog.room.isEnabled()
    qtbot.waitUntil(lambda: "take 0 bytes now" in dialog.says.text(), timeout=10_000)
    qtbot.mouseClick(dialog.box, LEFT, pos=QPoint(8, dialog.box.height() // 2))
    dialog.room.selectAll()
    qtbot.keyClicks(dialog.room, str(room))
    qtbot.mouseClick(dialog.take, LEFT)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)


def slowed(monkeypatch: pytest.MonkeyPatch) -> threading.Event:
    """Drawing takes far longer than a frame lasts, until the event is set."""
    quick, real = threading.Event(), Compositor.picture

    def picture(self: Compositor, *about: Any) -> Any:
        quick.wait(0.2)
        return real(self, *about)

    monkeypatch.setattr(Compositor, "picture", picture)
    return quick


def test_what_came_late_is_baked_when_the_hand_rests(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    session, late_bakes = window.work.session, window.late_bakes
    say_so(qtbot, window, 5)
    assert session.project.footage.bake_room == 5 * GB and session.undo_label is None
    quick = slowed(monkeypatch)
    seek(qtbot, window, 0)
    press(qtbot, "Space", window)
    panel = window.timeline.panel
    qtbot.waitUntil(lambda: not panel.player.playing and panel.player.position > 20, timeout=20_000)
    quick.set()
    assert [one.end - one.start for one in panel.player.lateness.stretches] == [10, 10, 10]
    window.command("bake_late")
    assert window.timeline.dialog is not None
    said = window.timeline.dialog.says
    qtbot.waitUntil(lambda: said.text().startswith("3 stretches of Timeline 1 played late"), timeout=10_000)
    window.timeline.dialog.reject()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    late_bakes.rest = 0.1
    late_bakes.start()
    qtbot.waitUntil(lambda: len(session.project.bakes) == 3, timeout=60_000)
    qtbot.waitUntil(lambda: [used for *_place, used, _text in window.timeline.view.baked] == [True] * 3, timeout=10_000)
    jobs = [piece for run in window.work.ended for piece in run.board.pieces()]
    assert [piece.kind for piece in jobs] == ["bake"] * 3 and "came late" in jobs[0].settings
    known = panel.player.lateness.stretches
    assert known and next_to_bake(session.project, known, ()) is None  # they are baked now
    program = panel.player.program
    assert program is not None and all(program.baked(frame) is not None for frame in range(30))


def test_a_key_or_the_mouse_has_it_stand_still_and_closing_does_not_ask(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    late_bakes, desk = window.late_bakes, window.work.desk
    handle = window.windowHandle()
    assert handle is not None
    for number, move in enumerate((
        lambda: QTest.keyClick(handle, Qt.Key.Key_Shift),
        lambda: QTest.mouseMove(handle, QPoint(300, 300)),
        lambda: window.command("next_cut"),
    )):  # fmt: skip
        window.work.asked.bake(0, 10 + number, alone=True)
        [run] = desk.bakes
        assert run.waits == ""
        move()
        assert run.waits == "while you work"
        assert "waiting while you work" in window.jobs_text()
        late_bakes.rest = 0.05
        late_bakes.start()  # and goes on when the hand rests
        qtbot.waitUntil(lambda: not desk.bakes, timeout=30_000)
        late_bakes.end()
    window.work.asked.bake(0, 20, alone=True)
    late_bakes.hand()
    monkeypatch.setattr(QMessageBox, "exec", lambda box: pytest.fail(f"asked: {box.text()}"))
    window.closing.asks = True
    assert window.close()


def test_nothing_is_baked_by_itself_where_the_project_does_not_say_so(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    quick = slowed(monkeypatch)
    press(qtbot, "Space", window)
    panel = window.timeline.panel
    qtbot.waitUntil(lambda: not panel.player.playing and panel.player.position > 20, timeout=20_000)
    quick.set()
    looked: list[bool] = []
    late = window.late_bakes._late
    window.late_bakes._late = lambda: looked.append(True) or late()  # type: ignore[func-returns-value]
    window.late_bakes.rest = 0.0
    window.late_bakes._tick()
    assert not looked and not window.work.desk.bakes
    say_so(qtbot, window, 5)
    window.late_bakes._tick()
    assert looked
    qtbot.waitUntil(lambda: bool(window.work.session.project.bakes), timeout=30_000)


def test_keys_in_full_screen_are_the_hand_too(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    window.work.asked.bake(0, 10, alone=True)
    [run] = window.work.desk.bakes
    panel = window.timeline.panel
    panel.command("full")
    window.late_bakes._hold(False)
    assert panel._full is not None
    qtbot.keyClick(panel._full, Qt.Key.Key_Right)
    assert run.waits == "while you work"
    panel._full.close()
    run.stop(for_good=True)
    qtbot.waitUntil(lambda: not window.work.desk.bakes, timeout=30_000)


def test_many_bakes_push_no_other_run_out_of_the_drawer(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    work = window.work
    bakes = []
    for number in range(7):
        work.asked.bake(0, 3 + number)
        bakes.append(work.desk.bakes[-1])
    qtbot.waitUntil(lambda: all(run.job is not None for run in bakes), timeout=30_000)
    listed: list[Any] = []
    for number, job in enumerate((101, 102, 103, 104, 105, 106)):
        listed = _with_ended(listed, SimpleNamespace(job=job))  # type: ignore[arg-type]
        listed = _with_ended(listed, bakes[number])
    assert [run.job for run in listed if not isinstance(run, BakeRun)] == [102, 103, 104, 105, 106]
    assert [run for run in listed if isinstance(run, BakeRun)] == bakes[1:6]
    for run in bakes:
        run.stop(for_good=True)
    qtbot.waitUntil(lambda: not work.desk.bakes, timeout=60_000)
