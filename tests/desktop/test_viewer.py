"""The picture in the viewer: zoomed, moved, framed, and what the View button offers; a block's settings beside it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from agile_shadow.core.timeline import NO_EFFECTS
from agile_shadow.desktop.viewer import Viewer
from agile_shadow.desktop.window import MainWindow
from tests.core.test_originals_of_all_kinds import slope_cube
from tests.desktop.conftest import Opener
from tests.desktop.test_everywhere import press
from tests.desktop.test_timeline_place import choose, cutting, pictures

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def seen(qtbot: QtBot, film: Path, open_window: Opener) -> tuple[MainWindow, Viewer]:
    """A window with a picture in the viewer."""
    window = cutting(qtbot, film, open_window)
    viewer = window.timeline.panel.viewer
    qtbot.waitUntil(lambda: viewer.picture is not None and viewer.picture.pixels is not None, timeout=10_000)
    window.timeline.view.choose(())  # no handles over the picture
    return window, viewer


def wheel(viewer: Viewer, steps: int, keys: Qt.KeyboardModifier = NONE) -> None:
    event = QWheelEvent(
        QPointF(50, 50), QPointF(50, 50), QPoint(), QPoint(0, steps), Qt.MouseButton.NoButton, keys,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(viewer, event)


def shades(viewer: Viewer) -> list[int]:
    """A line of what is painted."""
    image = viewer.grab().toImage()
    return [image.pixelColor(x, image.height() // 2).lightness() for x in range(0, image.width(), 7)]


def test_a_zoomed_picture_is_moved_by_the_mouse_within_its_frame(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    _window, viewer = seen(qtbot, film, open_window)
    zooms: list[tuple[object, ...]] = []
    viewer.zoomed.connect(lambda *values: zooms.append(values))
    wheel(viewer, 120)  # without Ctrl the wheel means nothing here
    assert viewer.zoom == 0
    for _step in range(3):
        wheel(viewer, 120, Qt.KeyboardModifier.ControlModifier)
    assert viewer.zoom == 4 and zooms[-1][0] == 4
    whole = shades(viewer)
    qtbot.waitUntil(lambda: shades(viewer) != whole, timeout=10_000)  # the larger picture came
    start = viewer.rect().center()
    qtbot.mousePress(viewer, LEFT, NONE, start)
    qtbot.mouseMove(viewer, start - QPoint(60, 0))
    assert zooms[-1][1] > 0.5  # type: ignore[operator]
    qtbot.mouseMove(viewer, start - QPoint(90_000, 90_000))
    assert zooms[-1][1:] == (1.0, 1.0)  # never beyond its edge
    qtbot.mouseRelease(viewer, LEFT, NONE, start)
    qtbot.mouseMove(viewer, start)
    assert zooms[-1][1:] == (1.0, 1.0)  # it was let go
    for _step in range(9):
        wheel(viewer, -120, Qt.KeyboardModifier.ControlModifier)
    assert viewer.zoom == 0


def test_the_view_button_says_what_differs_and_offers_it(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window, viewer = seen(qtbot, film, open_window)
    transport = window.timeline.panel.transport
    menu = transport.view_button.menu()
    assert menu is not None and transport.view_button.text() == "View"

    def entry(text: str) -> None:
        menu.aboutToShow.emit()
        next(action for action in menu.actions() if action.text().startswith(text)).trigger()

    before = shades(viewer)
    entry("Safe areas")
    assert viewer.safe and shades(viewer) != before
    entry("200 %")
    assert viewer.zoom == 2 and "200%" in transport.view_button.text()
    entry("Loop")
    entry("Play at half")
    assert transport.view_button.text() == "View: 200%, loop, half detail"
    entry("The whole frame")
    entry("Loop")
    entry("Play at full")
    entry("Safe areas")
    assert transport.view_button.text() == "View" and not viewer.safe
    assert shades(viewer) == before


def test_a_double_click_on_the_picture_fills_the_screen_and_back(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    _window, viewer = seen(qtbot, film, open_window)
    opened: list[bool] = []
    viewer.opened.connect(lambda: opened.append(True))
    qtbot.mouseDClick(viewer, LEFT)
    assert opened == [True]


def test_movement_colour_pin_and_reset_are_steps_of_their_own(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    session, panel = window.work.session, window.timeline.block_panel
    block = pictures(window)[1]
    choose(qtbot, window, block)
    press(qtbot, "E", window.timeline.view)
    before = session.project.cut
    panel.moves.click()
    move = pictures(window)[1].effects.move
    assert move is not None and move.ease
    panel.ease.click()
    move = pictures(window)[1].effects.move
    assert move is not None and not move.ease
    panel.moves.click()
    assert pictures(window)[1].effects.move is None
    cube = tmp_path / "warm.cube"
    cube.write_bytes(slope_cube(lambda rgb: rgb * 0.9))
    (tmp_path / "broken.cube").write_text("LUT_3D_SIZE 2\n1 2\n")
    for path, taken in ((tmp_path / "broken.cube", False), (cube, True)):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_more, path=path: (str(path), ""))
        panel._choose_table()
        assert (pictures(window)[1].effects.colour.lut is not None) == taken
        assert taken or "broken.cube" in window.notice.text()
    panel.shape.setCurrentIndex(panel.shape.count() - 1)
    panel.shape.activated.emit(panel.shape.currentIndex())
    assert pictures(window)[1].effects.placement.shape == panel.shape.currentData() != NO_EFFECTS.placement.shape
    panel._take_away()
    assert pictures(window)[1].effects == NO_EFFECTS
    panel.pin.setCurrentIndex(panel.pin.findData("proxies"))
    panel.pin.activated.emit(panel.pin.currentIndex())
    assert pictures(window)[1].pin == "proxies"
    labels = []
    for _step in range(7):
        labels.append(session.undo_label)
        session.undo()
    assert labels == [
        "Pin a block", "Reset effects", "Shape of a block", "LUT", "Remove a slow movement", "Ease of a movement",
        "Slow movement",
    ]  # fmt: skip
    assert session.project.cut == before


def test_words_of_a_position_come_with_its_picture_and_without_one_all_the_same(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, viewer = seen(qtbot, film, open_window)
    panel = window.timeline.panel
    texts: list[tuple[str, int]] = []  # as words come, and the picture that is there then
    real = panel._say_position

    def say() -> None:
        real()
        texts.append((panel.transport.length.text(), viewer.picture.frame if viewer.picture is not None else -1))

    monkeypatch.setattr(panel, "_say_position", say)
    panel._say.timeout.disconnect()
    panel._say.timeout.connect(say)
    panel._say.setInterval(60_000)  # the drive is never so quick as to be late
    for frame in (3, 5):
        panel.seek(frame)
        assert window.timeline.view.position == frame == panel.scrub.position  # what keys act on is there at once
        qtbot.waitUntil(lambda frame=frame: bool(texts) and texts[-1][1] == frame, timeout=10_000)
        assert texts[-1][0].startswith(f"frame {frame} of ")
    assert len(texts) == 2 and panel.transport.timecode.text().endswith("05")
    panel._say.setInterval(5)
    monkeypatch.setattr(panel.player._handover, "put", lambda picture, asked: None)  # none comes
    panel.seek(7)
    qtbot.waitUntil(lambda: panel.transport.length.text().startswith("frame 7 of "), timeout=10_000)
    assert viewer.picture is not None and viewer.picture.frame == 5


def test_awaiting_what_is_shown_already_paints_nothing(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window, viewer = seen(qtbot, film, open_window)
    painted: list[int] = []
    viewer.paintEvent = lambda event: painted.append(1)  # type: ignore[method-assign]
    now = window.timeline.panel.player.choices_now()
    for _turn in range(5):  # what was to be painted already
        QApplication.processEvents()
    painted.clear()
    viewer.await_picture(now)
    QApplication.processEvents()
    assert painted == []
    viewer.await_picture([replace(one, path=Path("/another/file.mov")) for one in now])
    qtbot.waitUntil(lambda: bool(painted))
    assert "is coming" in viewer.mark_text
