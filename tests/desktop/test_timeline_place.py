"""Cutting in the window, with keys and mouse."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from agile_shadow.core import timeline as edits
from agile_shadow.core.playback import Reason, remove_bake_file
from agile_shadow.core.project import Bake, load_project, save_project
from agile_shadow.core.project.laying import clock_of
from agile_shadow.core.timeline import Block, Timeline
from agile_shadow.core.upkeep.laying import LayingAsked
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener
from tests.desktop.test_window import (
    ALT,
    CONTROL,
    SHIFT,
    Key,
    choose_clip,
    go,
    key,
    mark,
    shown_code,
    wait_for_picture,
    with_three_blocks,
)
from tests.effects import named
from tests.footage import NUMBERS


def cutting(qtbot: QtBot, film: Path, open_window: Opener) -> MainWindow:
    """A window on a project with three blocks of ten frames, the timeline in the viewer."""
    with_three_blocks(film)
    window = open_window(film)
    go(qtbot, window, "Timeline")
    key(qtbot, window, Key.Key_0, CONTROL)
    seek(qtbot, window, 0)
    return window


def line_of(window: MainWindow) -> Timeline:
    return window.work.session.project.timeline


def pictures(window: MainWindow, track: int = 0) -> tuple[Block, ...]:
    return line_of(window).pictures[track].blocks


def seek(qtbot: QtBot, window: MainWindow, frame: int) -> None:
    view = window.timeline.view
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view.x_of(frame + 0.5)), 25))
    assert view.position == frame


def middle(window: MainWindow, block: Block, part: float = 0.5) -> QPoint:
    rect = window.timeline.view.block_rect(block)
    return QPoint(round(rect.x() + rect.width() * part), round(rect.center().y()))


def choose(qtbot: QtBot, window: MainWindow, block: Block) -> None:
    qtbot.mouseClick(window.timeline.view, Qt.MouseButton.LeftButton, pos=middle(window, block))
    assert window.timeline.view.selected == block.id


def drag(
    qtbot: QtBot, window: MainWindow, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = Qt.KeyboardModifier(0)
) -> None:
    view = window.timeline.view
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, keys, start)
    qtbot.mouseMove(view, (start + end) / 2)
    qtbot.mouseMove(view, end)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, keys, end)


def frames(window: MainWindow, count: float) -> QPoint:
    view = window.timeline.view
    return QPoint(round(view.x_of(count) - view.x_of(0)), 0)


def test_three_clips_are_cut_together_and_come_back(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    """The whole way: cut, trimmed, dissolved, switched while playing, pinned, undone, reopened."""
    window = open_window(film)
    go(qtbot, window, "Timeline")
    session, panel = window.work.session, window.timeline.panel
    for name, first, last in (("A001C002", 4, 15), ("PCK_0007", 6, 29), ("A001C001", 3, 14)):
        choose_clip(qtbot, window, name)
        mark(qtbot, window, first, last)
        key(qtbot, window, Key.Key_Return, CONTROL)
    assert [block.length for block in pictures(window)] == [12, 12, 12]
    assert [block.length for block in line_of(window).sounds[0].blocks] == [12, 12, 12]
    seek(qtbot, window, 2)
    key(qtbot, window, Key.Key_I, ALT)  # the first block begins two frames later
    seek(qtbot, window, 18)
    key(qtbot, window, Key.Key_O, ALT)  # the second ends here
    assert [block.length for block in pictures(window)] == [10, 9, 12]
    seek(qtbot, window, 20)
    key(qtbot, window, Key.Key_X)
    dissolve = pictures(window)[2].dissolve
    assert dissolve is not None and dissolve.length > 2
    choose(qtbot, window, pictures(window)[0])
    key(qtbot, window, Key.Key_Q, ALT)
    assert pictures(window)[0].pin == "proxies" and "1 pinned" in window.strip.counts.text()
    seek(qtbot, window, 3)
    wait_for_picture(qtbot, panel, "proxy", (NUMBERS["A001C002"], 4 + 2 + 3))
    key(qtbot, window, Key.Key_Space)
    qtbot.waitUntil(lambda: panel.player.position > 5, timeout=10_000)
    before = panel.player.position
    key(qtbot, window, Key.Key_Q)
    at_its_end = panel.player.position >= line_of(window).length - 1  # on a busy machine
    assert panel.player.position >= before and (panel.player.playing or at_its_end)
    qtbot.waitUntil(lambda: not panel.player.playing, timeout=20_000)
    assert "on proxies" in window.strip.counts.text()

    done = session.project
    while session.undo_label is not None:
        key(qtbot, window, Key.Key_Z, CONTROL)
    assert line_of(window).length == 0 and session.project.showing == "originals"
    while session.redo_label is not None:
        key(qtbot, window, Key.Key_Z, CONTROL | SHIFT)
    assert session.project == done
    window.close()
    assert load_project(film) == done

    again = open_window(film)
    go(qtbot, again, "Timeline")
    shown = again.timeline.panel
    for frame, code in ((3, (NUMBERS["A001C002"], 9)), (12, (NUMBERS["PCK_0007"], 6 + 2 * 2))):
        seek(qtbot, again, frame)
        wait_for_picture(qtbot, shown, "proxy", code)
    key(qtbot, again, Key.Key_Q)
    wait_for_picture(qtbot, shown, "original", (NUMBERS["PCK_0007"], 10))


def test_keys_trim_roll_slip_slide_and_move(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    first, second, third = pictures(window)
    choose(qtbot, window, second)
    key(qtbot, window, Key.Key_F6)
    assert pictures(window)[1].source_start == second.source_start + Fraction(1, 25)
    for _ in range(2):
        key(qtbot, window, Key.Key_F7)
    assert [block.length for block in pictures(window)] == [8, 10, 12]
    seek(qtbot, window, 11)
    key(qtbot, window, Key.Key_R, ALT)
    assert [block.length for block in pictures(window)] == [11, 7, 12]
    choose(qtbot, window, pictures(window)[2])
    key(qtbot, window, Key.Key_Right, CONTROL | SHIFT)
    assert pictures(window)[2].start == 19
    seek(qtbot, window, 18)
    key(qtbot, window, Key.Key_Delete, CONTROL)  # the gap
    assert pictures(window)[2].start == 18
    key(qtbot, window, Key.Key_P, CONTROL | ALT)
    choose(qtbot, window, pictures(window)[1])
    key(qtbot, window, Key.Key_Up, CONTROL | SHIFT)
    assert [block.id for block in pictures(window, 1)] == [second.id] and len(pictures(window)) == 2
    key(qtbot, window, Key.Key_Delete, SHIFT)
    assert not pictures(window, 1) and [block.id for block in pictures(window)] == [first.id, third.id]
    key(qtbot, window, Key.Key_PageDown)
    assert window.timeline.view.position in {edge for b in line_of(window).blocks for edge in (b.start, b.end)}
    key(qtbot, window, Key.Key_A, CONTROL)
    key(qtbot, window, Key.Key_Delete)
    assert line_of(window).length == 0


def test_the_mouse_trims_moves_and_rolls_and_escape_takes_back(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view, session = window.timeline.view, window.work.session
    first, second, third = pictures(window)
    start = line_of(window)
    edge = QPoint(round(view.block_rect(second).x()) + 2, middle(window, second).y())
    drag(qtbot, window, edge, edge + frames(window, 3), SHIFT)
    assert [block.length for block in pictures(window)] == [13, 7, 10]
    edge = QPoint(round(view.block_rect(pictures(window)[1]).right()) - 2, edge.y())
    drag(qtbot, window, edge, edge - frames(window, 2), CONTROL)
    assert [(b.start, b.length) for b in pictures(window)] == [(0, 13), (13, 5), (20, 10)]  # a gap stays
    drag(qtbot, window, middle(window, third), middle(window, third) - frames(window, 1.2))
    assert pictures(window)[2].start in (18, 19)
    assert session.undo_label == "Move"
    body = middle(window, pictures(window)[0])
    drag(qtbot, window, body, body + frames(window, 2), SHIFT)
    assert pictures(window)[0].source_start < first.source_start and session.undo_label == "Slip"
    before = line_of(window)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle(window, pictures(window)[2]))
    qtbot.mouseMove(view, middle(window, pictures(window)[2]) + frames(window, 9))
    assert view.timeline != before
    qtbot.keyClick(view, Key.Key_Escape)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle(window, pictures(window)[2]))
    assert line_of(window) == before == view.timeline
    for _ in range(4):
        key(qtbot, window, Key.Key_Z, CONTROL)
    assert line_of(window) == start
    seek(qtbot, window, 25)
    drag(qtbot, window, middle(window, third), middle(window, third) + frames(window, 5.3))
    assert pictures(window)[2].start == 25  # caught on the playhead


def test_tracks_are_locked_hidden_and_chosen_by_their_heads(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view = window.timeline.view
    _first, second, _third = pictures(window)
    key(qtbot, window, Key.Key_P, CONTROL | ALT)
    rects = view.rows.rects(line_of(window))
    upper = line_of(window).pictures[1]
    head = QPoint(40, round(rects[upper.id].y()) + 10)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=head)
    assert view.target("picture") == upper
    choose_clip(qtbot, window, "PCK_0008")
    mark(qtbot, window, 5, 9)
    seek_in_timeline = QPoint(round(view.x_of(12.5)), 25)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=seek_in_timeline)
    choose_clip(qtbot, window, "PCK_0008")
    key(qtbot, window, Key.Key_Return, CONTROL | ALT)
    assert [(b.start, b.length) for b in pictures(window, 1)] == [(12, 3)]
    lower = line_of(window).pictures[0]
    lock = QPoint(20, round(rects[lower.id].bottom()) - 10)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=lock)
    assert line_of(window).pictures[0].locked
    choose(qtbot, window, second)
    key(qtbot, window, Key.Key_Delete)
    assert len(pictures(window)) == 3  # its sound went alone
    assert second.clip not in {block.clip for block in line_of(window).sounds[0].blocks}
    key(qtbot, window, Key.Key_Z, CONTROL)
    hide = QPoint(70, round(rects[upper.id].bottom()) - 10)
    seek(qtbot, window, 13)
    wait_for_picture(qtbot, window.timeline.panel, "original", (NUMBERS["PCK_0008"], 7))
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=hide)
    panel = window.timeline.panel
    qtbot.waitUntil(lambda: bool(panel.viewer.picture and panel.viewer.picture.choice
                                 and panel.viewer.picture.choice.clip.name == "A001C001"), timeout=10_000)  # fmt: skip
    assert panel.viewer.picture is not None and panel.viewer.picture.file_frame == 8


def test_the_block_panel_sets_what_it_shows_one_step_a_visit(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    place, session = window.timeline, window.work.session
    block = pictures(window)[1]
    choose(qtbot, window, block)
    start = line_of(window)
    key(qtbot, window, Key.Key_E)
    panel = place.block_panel
    assert place.side.currentWidget() is panel and panel.speed.hasFocus()
    size = panel.fields["scale"]
    size.setFocus()
    for _ in range(5):
        qtbot.keyClick(size, Key.Key_Up)
    assert pictures(window)[1].effects.placement.scale == pytest.approx(1.05)
    key(qtbot, window, Key.Key_Space)  # typing: no command
    assert not place.panel.player.playing
    panel.fields["exposure"].setFocus()
    panel.fields["exposure"].selectAll()
    qtbot.keyClicks(panel.fields["exposure"], "0.5")
    qtbot.keyClick(panel.fields["exposure"], Key.Key_Return)
    assert pictures(window)[1].effects.colour.exposure == 0.5
    panel.speed.setValue(50)
    assert pictures(window)[1].length == 20 and line_of(window).sounds[0].blocks[1].length == 20
    panel.backward.click()
    assert pictures(window)[1].speed == Fraction(-1, 2)
    for label in ("Speed of a block", "Speed of a block", "Exposure of a block", "Size of a block"):
        assert session.undo_label == label
        session.undo()
    assert line_of(window) == start
    seek(qtbot, window, 5)
    window.setFocus()
    key(qtbot, window, Key.Key_T)
    assert panel.title_box.text.isVisible()
    panel.title_box.text.selectAll()
    qtbot.keyClicks(panel.title_box.text, "Tern colony")
    title = pictures(window, 1)[0].title
    assert title is not None and title.text == "Tern colony"
    assert session.undo_label == "Title"
    key(qtbot, window, Key.Key_Z, CONTROL)
    assert pictures(window, 1)[0].title == edits.Title()


def test_copies_notes_marks_and_timelines(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    place = window.timeline
    choose(qtbot, window, pictures(window)[1])
    key(qtbot, window, Key.Key_C, CONTROL)
    seek(qtbot, window, 20)
    key(qtbot, window, Key.Key_V, CONTROL | SHIFT)
    assert [block.clip for block in pictures(window)][2] == pictures(window)[1].clip
    assert [(b.start, b.length) for b in pictures(window)] == [(0, 10), (10, 10), (20, 10), (30, 10)]
    linked = line_of(window).linked(pictures(window)[2])
    assert len(linked) == 1 and linked[0].start == 20
    seek(qtbot, window, 7)
    key(qtbot, window, Key.Key_N)
    qtbot.keyClicks(place.notes.note, "look here")
    qtbot.keyClick(place.notes.note, Key.Key_Return)
    assert [(m.frame, m.note) for m in line_of(window).markers] == [(7, "look here")]
    seek(qtbot, window, 10)
    window.setFocus()
    key(qtbot, window, Key.Key_I)
    seek(qtbot, window, 14)
    key(qtbot, window, Key.Key_O)
    key(qtbot, window, Key.Key_A, CONTROL | SHIFT)
    key(qtbot, window, Key.Key_Delete)
    assert line_of(window).length == 35 and pictures(window)[1].length == 5
    key(qtbot, window, Key.Key_N, CONTROL | ALT)
    assert line_of(window).name == "Timeline 2" and line_of(window).length == 0 and line_of(window).rate == 25
    key(qtbot, window, Key.Key_V, CONTROL)
    assert line_of(window).length == 10
    key(qtbot, window, Key.Key_PageDown, CONTROL)
    assert line_of(window).length == 35 and place.lines.button.text() == "Timeline 1"


def test_a_loss_of_step_is_seen_and_mended(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    sound = line_of(window).sounds[0].blocks[1]
    choose(qtbot, window, sound)
    key(qtbot, window, Key.Key_L, CONTROL)  # the picture track
    assert line_of(window).pictures[0].locked
    for _ in range(2):
        key(qtbot, window, Key.Key_Right, CONTROL | SHIFT)
    assert edits.out_of_step(line_of(window), line_of(window).block(sound.id) or sound) == 2
    assert "2 frames late" in window.timeline.block_panel.told.text()
    key(qtbot, window, Key.Key_K, SHIFT)
    assert line_of(window).block(sound.id) == sound


def test_typed_positions_loop_zoom_and_full_screen(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    panel = window.timeline.panel

    def type_in(text: str) -> None:
        key(qtbot, window, Key.Key_P)
        assert panel.transport.timecode.hasFocus()
        qtbot.keyClicks(panel.transport.timecode, text)
        qtbot.keyClick(panel.transport.timecode, Key.Key_Return)

    for text, frame in (("12", 12), ("+3", 15), ("-10", 5), ("00:00:01:02", 27), ("0:20", 20), ("+500", 29)):
        type_in(text)
        shown = panel.transport.timecode.text()
        assert panel.player.position == frame and shown == f"00:00:0{frame // 25}:{frame % 25:02d}"
    type_in("nonsense")
    assert panel.player.position == 29
    qtbot.keyClick(panel.transport.timecode, Key.Key_Escape)
    seek(qtbot, window, 3)
    wait_for_picture(qtbot, panel, "original", (NUMBERS["A001C002"], 8))
    whole = panel.viewer.picture
    key(qtbot, window, Key.Key_Z)
    qtbot.waitUntil(lambda: panel.viewer.picture is not whole, timeout=10_000)
    assert panel.viewer.picture_rect().width() == min(960, panel.viewer.width()) and panel.viewer.zoom == 1
    assert panel.viewer.picture is not None and panel.viewer.picture.file_frame == 8
    for _ in range(3):
        key(qtbot, window, Key.Key_Z)
    assert panel.viewer.zoom == 0
    key(qtbot, window, Key.Key_F11)
    alone = panel.viewer.window()
    assert alone is not window and panel.viewer.isVisible()
    QTest.keyClick(alone, Key.Key_Right)
    assert panel.player.position == 4
    QTest.keyClick(alone, Key.Key_Escape)
    assert panel.viewer.window() is window and panel.viewer.isVisible()
    seek(qtbot, window, 4)
    key(qtbot, window, Key.Key_I)
    seek(qtbot, window, 8)
    key(qtbot, window, Key.Key_O)
    key(qtbot, window, Key.Key_Q)
    key(qtbot, window, Key.Key_R)
    key(qtbot, window, Key.Key_Space)
    seen: list[int] = []

    def rounds() -> bool:
        position = panel.player.position
        if not seen or seen[-1] != position:
            seen.append(position)
        return sum(after < before for before, after in itertools.pairwise(seen)) >= 2

    qtbot.waitUntil(rounds, timeout=10_000)
    assert set(seen) <= set(range(4, 9)) and panel.player.playing
    key(qtbot, window, Key.Key_D, ALT)
    assert panel.player.view.detail == Fraction(1, 2)
    qtbot.waitUntil(lambda: "half detail" in panel.viewer.mark_text, timeout=10_000)
    qtbot.waitUntil(lambda: bool(panel.viewer.picture and panel.viewer.picture.pixels is not None
                                 and panel.viewer.picture.pixels.shape[1] < panel.viewer.width() * 0.6))  # fmt: skip
    key(qtbot, window, Key.Key_K)
    qtbot.waitUntil(lambda: bool(panel.viewer.picture and panel.viewer.picture.pixels is not None
                                 and panel.viewer.picture.pixels.shape[1] > panel.viewer.width() * 0.6))  # fmt: skip
    assert "detail" not in panel.viewer.mark_text


def test_after_an_ingest_proxies_are_offered_once(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(tmp_path / "film" / "p.otio", card)
    window.ingest.card.preset.setCurrentText("Small files, quarter size")
    qtbot.waitUntil(lambda: window.ingest.card.start.text() == "Ingest 12 files", timeout=10_000)
    qtbot.mouseClick(window.ingest.card.start, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.work.ingest is None and bool(window.notice.buttons), timeout=60_000)
    assert "8 clips now have a proxy" in window.notice.text()
    qtbot.mouseClick(window.notice.buttons[0], Qt.MouseButton.LeftButton)
    assert window.work.session.project.showing == "proxies" and not window.notice.isVisible()
    assert window.strip.counts.text() == "8 on proxies"


def test_sound_and_stills_can_be_cut_in(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    for name in ("TAKE_014", "FERRY_0031"):
        choose_clip(qtbot, window, name)
        key(qtbot, window, Key.Key_Return, CONTROL)
    sound, still = line_of(window).sounds[0].blocks[-1], pictures(window)[-1]
    clips = {clip.id: clip.name for clip in window.work.session.project.clips}
    assert (clips[sound.clip], clips[still.clip]) == ("TAKE_014", "FERRY_0031")
    assert not sound.link and still.length == 125 and still.start == 30
    seek(qtbot, window, 40)
    panel = window.timeline.panel
    qtbot.waitUntil(lambda: panel.viewer.mark_text.startswith("ORIGINAL"), timeout=20_000)
    assert panel.viewer.picture is not None and not panel.viewer.picture.problem
    qtbot.waitUntil(lambda: _bright(panel.viewer.grab().toImage()), timeout=20_000)


def test_sound_recorded_apart_is_laid_under_the_chosen_block(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    session = window.work.session
    clips = {clip.name: clip for clip in session.project.clips}
    choose(qtbot, window, pictures(window)[0])
    key(qtbot, window, Key.Key_K, ALT)  # the recorder's file says no time, and is of another moment
    qtbot.waitUntil(lambda: "No recording was found" in window.notice.text(), timeout=30_000)
    assert len(line_of(window).sounds) == 1
    recorder = clips["TAKE_014"].original
    began = clock_of(clips["A001C002"])
    assert began is not None
    told = replace(recorder, info=replace(recorder.info, since_midnight=began - 1))
    session.absorb(lambda footage: footage.with_clip(replace(clips["TAKE_014"], original=told)))
    key(qtbot, window, Key.Key_K, ALT)
    qtbot.waitUntil(lambda: len(line_of(window).sounds) == 2, timeout=30_000)
    picture, sound = pictures(window)[0], line_of(window).sounds[1].blocks[0]
    assert (sound.start, sound.length, sound.link) == (picture.start, picture.length, picture.link)
    assert sound.source_start == picture.source_start + 1
    qtbot.waitUntil(lambda: "1 by timecode alone" in window.notice.text(), timeout=10_000)
    key(qtbot, window, Key.Key_Z, CONTROL)
    assert len(line_of(window).sounds) == 1 and pictures(window)[0] == picture
    window.work.laying._put([LayingAsked("gone meanwhile", clips["TAKE_014"].id, Fraction(1), None)], [None])
    assert "No sound was added" in window.notice.text() and len(line_of(window).sounds) == 1
    assert not window.work.laying.busy


def _bright(image: QImage) -> bool:
    whole = image.convertToFormat(QImage.Format.Format_Grayscale8)
    pixels = np.frombuffer(whole.constBits(), np.uint8).reshape(whole.height(), whole.bytesPerLine())
    return bool(pixels.std() > 20)


def test_a_press_on_the_clipboard_of_another_field_is_no_command(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    window.timeline.panel.transport.timecode.setFocus()
    before = line_of(window)
    for which, how in ((Key.Key_Delete, Qt.KeyboardModifier(0)), (Key.Key_X, Qt.KeyboardModifier(0)),
                       (Key.Key_A, CONTROL)):  # fmt: skip
        QTest.keyClick(QApplication.focusWidget() or window, which, how)
    assert line_of(window) == before and not window.timeline.view.chosen


def test_a_change_on_disk_is_told_and_settled(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    qtbot.waitUntil(lambda: window.work.session.is_saved, timeout=10_000)
    theirs = load_project(film).but(name="Theirs")
    save_project(theirs, film)
    choose(qtbot, window, pictures(window)[0])
    key(qtbot, window, Key.Key_Delete)
    qtbot.waitUntil(lambda: len(window.notice.buttons) == 2, timeout=10_000)
    assert "was changed by another program" in window.notice.text()
    qtbot.mouseClick(window.notice.buttons[1], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.work.session.project == theirs, timeout=10_000)
    qtbot.waitUntil(lambda: window.timeline.view.timeline.length == 30, timeout=10_000)
    key(qtbot, window, Key.Key_Z, CONTROL)
    assert line_of(window).length == 20


def test_a_stretch_is_baked_used_and_outdated_by_a_change(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    panel, session = window.timeline.panel, window.work.session
    choose(qtbot, window, pictures(window)[0])
    key(qtbot, window, Key.Key_B, CONTROL)
    qtbot.waitUntil(lambda: len(session.project.bakes) == 1, timeout=30_000)
    file = session.project.path(session.project.bakes[0].file)
    assert file is not None and file.exists() and session.undo_label is None
    seek(qtbot, window, 4)
    qtbot.waitUntil(lambda: shown_code(panel) == (NUMBERS["A001C002"], 9), timeout=10_000)
    qtbot.waitUntil(lambda: panel.viewer.mark_text == "BAKED", timeout=10_000)  # what a worker brought shows soon
    assert window.timeline.view.baked == ((0, 10, True, "baked"),)
    with qtbot.waitSignal(window.work.project_changed, timeout=10_000):  # something else is found out meanwhile
        session.absorb(lambda now: replace(now, chosen_preset="Another"))
    assert panel.viewer.mark_text == "BAKED"  # and not that its original is coming, which it is not
    key(qtbot, window, Key.Key_Q)
    wait_for_picture(qtbot, panel, "proxy", (NUMBERS["A001C002"], 9))
    assert window.timeline.view.baked == ((0, 10, False, "baked from originals"),)
    key(qtbot, window, Key.Key_Q)
    choose(qtbot, window, pictures(window)[0])
    key(qtbot, window, Key.Key_F6)
    seek(qtbot, window, 4)
    wait_for_picture(qtbot, panel, "original", (NUMBERS["A001C002"], 10))
    assert window.timeline.view.baked == ((0, 10, False, "baked, changed since"),)
    key(qtbot, window, Key.Key_Z, CONTROL)
    qtbot.waitUntil(lambda: panel.viewer.mark_text == "BAKED", timeout=10_000)
    qtbot.waitUntil(lambda: session.is_saved, timeout=10_000)
    assert load_project(film).bakes == session.project.bakes
    key(qtbot, window, Key.Key_B, CONTROL | SHIFT)
    qtbot.waitUntil(lambda: not file.exists(), timeout=10_000)
    wait_for_picture(qtbot, panel, "original", (NUMBERS["A001C002"], 9))


def test_a_bake_in_a_hand_edited_project_removes_no_footage(film: Path) -> None:
    project = load_project(film)
    clip = named(project, "A001C002")
    original = project.path(clip.original.file)
    assert original is not None
    for role in ("scratch", "originals"):
        shelves = tuple(replace(shelf, role=role) for shelf in project.shelves)
        remove_bake_file(
            project.but(shelves=shelves), Bake(project.timeline.id, 0, 5, "originals", "", clip.original.file)
        )
    assert original.exists()


def test_the_reason_for_late_pictures_has_a_button_that_mends_it(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    panel, session = window.timeline.panel, window.work.session
    clip = named(session.project, "A001C002")
    panel.why.show_reason(Reason("the original of A001C002 decodes at 0.4 of its rate; its proxy at 9", "show proxies"))
    assert panel.why.isVisible() and panel.why.text.text().startswith("Late: the original of A001C002")
    qtbot.mouseClick(panel.why.mend, Qt.MouseButton.LeftButton)
    assert session.project.showing == "proxies" and not panel.why.isVisible()
    session.edit("pin", lambda project: project.with_pin(clip.id, "originals"))
    panel.why.show_reason(Reason("it is pinned", "unpin", clip.id))
    qtbot.mouseClick(panel.why.mend, Qt.MouseButton.LeftButton)
    assert named(session.project, "A001C002").pin is None
    panel.why.show_reason(Reason("too large", "less detail"))
    qtbot.mouseClick(panel.why.mend, Qt.MouseButton.LeftButton)
    assert panel.player.view.detail == Fraction(1, 2)
    seek(qtbot, window, 4)
    panel.why.show_reason(Reason("3 layers", "bake"))
    qtbot.mouseClick(panel.why.mend, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(session.project.bakes) == 1, timeout=30_000)
    panel.why.show_reason(Reason("no proxy", "make a proxy", clip.id))
    qtbot.mouseClick(panel.why.mend, Qt.MouseButton.LeftButton)
    assert "Making a proxy" in window.notice.text()
    before = len(clip.proxies)
    qtbot.waitUntil(lambda: len(named(session.project, clip.name).proxies) > before, timeout=60_000)
    qtbot.waitUntil(lambda: not window.work.desk.makes, timeout=10_000)


def test_sound_that_cannot_be_read_is_told_while_it_plays(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    panel, project = window.timeline.panel, window.work.session.project
    path = project.path(named(project, "A001C002").original.file)
    assert path is not None
    path.write_bytes(b"no film" * 9_999)
    seek(qtbot, window, 0)
    key(qtbot, window, Key.Key_Space)
    qtbot.waitUntil(lambda: panel.why.text.text().startswith("Silent: A001C002.MOV: "), timeout=20_000)
    assert panel.why.isVisible() and not panel.why.mend.isVisible()
    assert "cannot be read as media" in panel.why.text.text()
    key(qtbot, window, Key.Key_Space)


def test_a_project_from_elsewhere_with_paths_that_leave_their_shelf_is_drawn(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    with_three_blocks(film)
    project = load_project(film)
    clips = tuple(
        replace(one, original=replace(one.original, file=replace(one.original.file, path="../out.mov")), proxies=())
        for one in project.clips
    )
    save_project(project.but(clips=clips), film)
    window = open_window(film)
    go(qtbot, window, "Timeline")
    seek(qtbot, window, 4)
    panel = window.timeline.panel
    qtbot.waitUntil(lambda: panel.viewer.mark_text == "MISSING", timeout=10_000)
    assert not window.timeline.view.grab().isNull()  # drawn without an error, which would fail the test


def test_flipping_the_switch_draws_the_blocks_anew_in_a_turn_of_its_own(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    view, session = window.timeline.view, window.work.session
    QApplication.processEvents()
    asked: list[bool] = []
    before = view._still.picture(session.project)
    was = before.toImage()
    session.edit("x", lambda now: now.but(showing="originals" if now.showing == "proxies" else "proxies"))
    assert view._still.picture(session.project).toImage() == was, "the viewer's picture comes first"
    with monkeypatch.context() as patched:
        patched.setattr(view, "update", lambda: asked.append(view._still._in_turn))
        qtbot.waitUntil(lambda: view._still._in_turn, timeout=5_000)
        asked.clear()
        view._still._its_turn()  # once more, with nothing else in the way
        assert asked == [True], "it asks to be painted"
    view.update()
    qtbot.waitUntil(lambda: view._still._pixmap is not before, timeout=5_000)  # by itself, with nobody asking
    flipped = view._still.picture(session.project).toImage()
    assert flipped != was
    session.edit("x", lambda now: now.but(timeline=edits.trim(now.timeline, pictures(window)[0].id, "end", -2)))
    assert view._still.picture(session.project).toImage() != flipped, "an edit is drawn at once"
