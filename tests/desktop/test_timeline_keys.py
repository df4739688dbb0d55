"""Every key and gesture of the timeline does what its command says, in one step that undo takes back."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from agile_shadow.core.timeline import Block
from agile_shadow.desktop.actions import COMMANDS, Command
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener
from tests.desktop.test_everywhere import press
from tests.desktop.test_timeline_place import choose, cutting, drag, frames, line_of, middle, pictures, seek
from tests.desktop.test_window import CONTROL, SHIFT

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CHANGE = {  # these change the cut, with the second of three blocks chosen and the playhead in it
    "cut", "lift", "remove", "begin_here", "end_here", "roll_here", "slip_back", "slip_on", "slide_back", "slide_on",
    "earlier", "later", "move_on", "move_up", "dissolve", "fade", "title", "link", "pin_block", "cut_out",
    "lock", "off", "picture_track", "sound_track", "note", "mark_in", "mark_out",
}  # fmt: skip
ONE_STEP = [one for one in COMMANDS if one.id in CHANGE]


def in_the_second(qtbot: QtBot, film: Path, open_window: Opener) -> MainWindow:
    """Three blocks of ten frames, the second chosen, the playhead three frames into it; a second picture track."""
    window = cutting(qtbot, film, open_window)
    press(qtbot, "Ctrl+Alt+P", window)
    seek(qtbot, window, 13)
    choose(qtbot, window, pictures(window)[1])
    seek(qtbot, window, 13)
    return window


def told(window: MainWindow) -> str:
    return window.notice.text()


def test_every_key_that_changes_the_cut_is_one_step(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    session, view = window.work.session, window.timeline.view
    before, chosen = session.project.cut, view.chosen
    assert {one.id for one in ONE_STEP} == CHANGE
    for command in ONE_STEP:
        view.setFocus()
        press(qtbot, command.keys[0], view)
        changed = session.project.cut
        assert changed != before, f"{command.id} did nothing"
        assert session.undo_label, command.id
        _close_what_it_opened(qtbot, window, command)
        session.undo()
        assert session.project.cut == before, f"{command.id} is more than one step"
        session.redo()
        assert session.project.cut == changed, command.id
        session.undo()
        view.choose(chosen)
        window.timeline.panel.seek(13)
        qtbot.waitUntil(lambda: view.position == 13, timeout=5000)


def _close_what_it_opened(qtbot: QtBot, window: MainWindow, command: Command) -> None:
    """A note is being typed, a title's text: Escape leaves it."""
    if command.id in ("note", "title"):
        widget = QApplication.focusWidget()
        if widget is not None:
            qtbot.keyClick(widget, Qt.Key.Key_Escape)
        window.timeline.side.setCurrentIndex(0)


def test_blocks_are_chosen_track_by_track_and_by_band(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    view.setFocus()
    press(qtbot, "Ctrl+Shift+A", view)
    assert view.chosen == ()
    press(qtbot, "B", view)
    first = view.selected
    press(qtbot, "B", view)
    second = view.selected
    line = line_of(window)
    assert first is not None and second is not None
    assert {first, second} == {line.pictures[0].blocks[1].id, line.sounds[0].blocks[1].id} and len(view.chosen) == 1
    press(qtbot, "Shift+B", view)
    assert set(view.chosen) == {first, second}
    press(qtbot, "Ctrl+A", view)
    assert set(view.chosen) == {block.id for block in line.blocks}
    area = view.rows.rects(line)[line.pictures[1].id]  # the empty track: a band may begin there
    start = QPoint(round(view.x_of(11)), round(area.center().y()))
    end = QPoint(round(view.x_of(29)), middle(window, pictures(window)[1]).y())
    drag(qtbot, window, start, end)
    assert set(view.chosen) == {block.id for block in pictures(window)[1:]}
    qtbot.mouseClick(view, LEFT, pos=start)  # a click on nothing: nothing chosen, and the playhead is there
    assert view.chosen == ()
    qtbot.waitUntil(lambda: view.position == 11, timeout=5000)
    qtbot.mouseClick(view, LEFT, pos=middle(window, pictures(window)[0]))
    qtbot.mouseClick(view, LEFT, CONTROL, middle(window, pictures(window)[2]))
    assert view.chosen == (pictures(window)[0].id, pictures(window)[2].id)


def test_a_band_that_is_escaped_and_a_move_onto_another_track(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view, line = window.timeline.view, line_of(window)
    upper = view.rows.rects(line)[line.pictures[1].id]
    start = QPoint(round(view.x_of(2)), round(upper.center().y()))
    qtbot.mousePress(view, LEFT, NONE, start)
    qtbot.mouseMove(view, start + QPoint(60, 0))
    assert view.gesture.under_way
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert not view.gesture.under_way
    qtbot.mouseRelease(view, LEFT, NONE, start + QPoint(60, 0))
    last = pictures(window)[2]
    grip = middle(window, last)
    drag(qtbot, window, grip, QPoint(grip.x(), round(upper.center().y())))
    assert [block.id for block in pictures(window, 1)] == [last.id] and pictures(window, 1)[0].start == last.start
    window.work.session.undo()
    sound = line.sounds[0].blocks[2]
    drag(qtbot, window, middle(window, sound), QPoint(grip.x(), round(upper.center().y())))
    assert line_of(window).track_of(sound.id) == line_of(window).sounds[0]  # sound does not lie on a picture track


def test_links_are_made_loosened_and_explained(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    press(qtbot, "Ctrl+K", view)
    block = pictures(window)[1]
    assert not line_of(window).linked(block)
    view.choose((block.id,))
    press(qtbot, "Ctrl+K", view)
    assert "Select the blocks to link first" in told(window)
    sound = line_of(window).sounds[0].blocks[1]
    view.choose((block.id, sound.id))
    press(qtbot, "Ctrl+K", view)
    assert [one.id for one in line_of(window).linked(pictures(window)[1])] == [sound.id]


def test_dissolves_and_fades_come_go_and_say_why_not(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    press(qtbot, "X", view)
    assert pictures(window)[1].dissolve is not None
    press(qtbot, "X", view)
    assert pictures(window)[1].dissolve is None
    press(qtbot, "Shift+X", view)  # nearer to its beginning
    assert pictures(window)[1].effects.fade_in and not pictures(window)[1].effects.fade_out
    press(qtbot, "Shift+X", view)
    assert not pictures(window)[1].effects.fade_in
    seek(qtbot, window, 18)
    press(qtbot, "Shift+X", view)
    assert pictures(window)[1].effects.fade_out
    for _step in range(5):
        window.work.session.undo()
    press(qtbot, "Ctrl+A", view)
    press(qtbot, "Delete", view)
    press(qtbot, "X", view)
    assert "A dissolve needs a cut" in told(window)


def test_whole_clips_have_no_room_for_a_dissolve_and_it_is_said(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view = window.timeline.view
    press(qtbot, "Ctrl+A", view)
    press(qtbot, "Delete", view)
    for row in (0, 1):
        window.timeline.clips.selectRow(row)
        press(qtbot, "Ctrl+Return", window.timeline.clips)
    assert len(pictures(window)) == 2
    press(qtbot, "Ctrl+0", view)
    qtbot.mouseClick(view, LEFT, pos=QPoint(round(view.x_of(pictures(window)[1].start)), 25))
    press(qtbot, "X", view)
    assert "Trim them here first" in told(window) and pictures(window)[1].dissolve is None


def test_what_is_cut_out_comes_in_where_the_playhead_is(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    press(qtbot, "Ctrl+Shift+V", view)  # nothing was copied yet
    assert window.work.session.undo_label == "Add a picture track"
    press(qtbot, "Ctrl+X", view)
    assert [(block.start, block.length) for block in pictures(window)] == [(0, 10), (20, 10)]
    seek(qtbot, window, 0)
    press(qtbot, "Ctrl+Shift+V", view)
    assert [(block.start, block.length) for block in pictures(window)] == [(0, 10), (10, 10), (30, 10)]
    seek(qtbot, window, 22)
    press(qtbot, "Ctrl+Delete", view)
    assert [block.start for block in pictures(window)] == [0, 10, 20]


def test_marks_mean_a_range_where_nothing_is_chosen(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    for frame, keys in ((5, "I"), (14, "O")):
        seek(qtbot, window, frame)
        press(qtbot, keys, view)
    press(qtbot, "Ctrl+Shift+A", view)
    press(qtbot, "Shift+Delete", view)
    assert [(block.start, block.length) for block in pictures(window)] == [(0, 5), (15, 5), (20, 10)]
    window.work.session.undo()
    press(qtbot, "Delete", view)
    assert [(block.start, block.length) for block in pictures(window)] == [(0, 5), (5, 5), (10, 10)]


def test_tracks_by_keys(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view, doing = window.timeline.view, window.timeline.doing
    names = [track.name for track in view.rows.order(line_of(window))]
    active = doing.hand.track_in_hand()
    assert active is not None
    seen = []
    for _step in names:
        press(qtbot, "Ctrl+Down", view)
        now = doing.hand.track_in_hand()
        assert now is not None
        seen.append(now.name)
    assert sorted(seen) == sorted(names) and seen[-1] == active.name  # round, and back
    press(qtbot, "Ctrl+L", view)
    press(qtbot, "Ctrl+Shift+Delete", view)
    assert "cannot be removed" in told(window) and len(line_of(window).tracks) == len(names)
    press(qtbot, "Ctrl+L", view)
    press(qtbot, "Ctrl+Up", view)
    empty = line_of(window).pictures[1]
    while doing.hand.track_in_hand() != empty:
        press(qtbot, "Ctrl+Up", view)
    press(qtbot, "Ctrl+Shift+Delete", view)
    assert len(line_of(window).pictures) == 1 and empty not in line_of(window).tracks


def test_snapping_and_pictures_on_blocks_are_turned_off_and_said(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    press(qtbot, "G", view)
    assert not view.snapping and told(window) == "Snapping is off."
    last = pictures(window)[2]
    near = frames(window, 7.3)  # beside the playhead, which would catch it
    seek(qtbot, window, 27)
    drag(qtbot, window, middle(window, last), middle(window, last) + near)
    assert pictures(window)[2].start in (27, 28)
    press(qtbot, "Shift+G", view)
    assert not view.shows_sights and "off" in told(window)
    press(qtbot, "Shift+G", view)
    assert view.shows_sights


@pytest.mark.parametrize("keys", [NONE, CONTROL, SHIFT], ids=["scrolls", "zooms", "other tracks"])
def test_the_wheel_scrolls_zooms_and_goes_through_tracks(
    qtbot: QtBot, film: Path, open_window: Opener, keys: Qt.KeyboardModifier
) -> None:
    window = in_the_second(qtbot, film, open_window)
    view = window.timeline.view
    for _track in range(5):
        press(qtbot, "Ctrl+Alt+P", view)
    view.zoom(3)
    before = (view.rows.scale, view.rows.offset, view.rows.top)
    _wheel(view, -120, keys)
    scale, offset, top = view.rows.scale, view.rows.offset, view.rows.top
    if keys == NONE:
        assert offset > before[1] and (scale, top) == (before[0], before[2])
    elif keys == CONTROL:
        assert scale < before[0]
    else:
        assert top > before[2] and (scale, offset) == before[:2]
    for _back in range(9):
        _wheel(view, 120, keys)
    assert view.rows.offset >= 0 and view.rows.top >= 0  # never past the beginning


def test_a_timeline_in_sight_as_a_whole_stays_so_when_it_grows(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view = window.timeline.view
    for _doubled in range(4):
        for keys in ("Ctrl+A", "Ctrl+C", "Ctrl+Shift+V"):
            press(qtbot, keys, view)
        assert view.x_of(line_of(window).length) <= view.width() and view.rows.offset == 0
    assert line_of(window).length == 480
    view.zoom(3)
    scale = view.rows.scale
    press(qtbot, "Ctrl+Shift+V", view)
    assert line_of(window).length > 480 and view.rows.scale == scale  # chosen by hand: it stays


def _wheel(view: object, steps: int, keys: Qt.KeyboardModifier) -> None:
    event = QWheelEvent(
        QPointF(300, 60), QPointF(300, 60), QPoint(), QPoint(0, steps), Qt.MouseButton.NoButton, keys,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(view, event)  # type: ignore[arg-type]


def test_a_double_click_opens_the_blocks_settings_and_edges_show_it(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = in_the_second(qtbot, film, open_window)
    view, block = window.timeline.view, pictures(window)[0]
    qtbot.mouseClick(view, LEFT, pos=middle(window, block))
    qtbot.mouseDClick(view, LEFT, pos=middle(window, block))
    assert window.timeline.side.currentIndex() == 1 and window.timeline.block_panel.name.text() == _name(window, block)
    rect = view.block_rect(block)
    qtbot.mouseMove(view, QPoint(round(rect.right()) - 2, round(rect.center().y())))
    assert view.cursor().shape() == Qt.CursorShape.SizeHorCursor
    qtbot.mouseMove(view, middle(window, block))
    assert view.cursor().shape() == Qt.CursorShape.ArrowCursor


def _name(window: MainWindow, block: Block) -> str:
    clip = window.work.session.project.clip(block.clip)
    assert clip is not None
    return clip.name
