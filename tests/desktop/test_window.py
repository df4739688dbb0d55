"""The window, driven with clicks and keys as a person would."""

from __future__ import annotations

import subprocess
import sys
from collections import Counter
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from agile_shadow.core.film import plain_film
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import probe
from agile_shadow.core.project import load_project, save_project
from agile_shadow.core.timeline import Block, append
from agile_shadow.desktop.late_places import PAIRS, STORAGE, TIMELINE, LatePlaces
from agile_shadow.desktop.places.export.film_card import FilmCard
from agile_shadow.desktop.places.pairs.proof_panel import ProofPanel
from agile_shadow.desktop.places.presets.sentence import Sentence
from agile_shadow.desktop.places.storage.cards_panel import CardsPanel
from agile_shadow.desktop.places.timeline.block_panel import BlockPanel
from agile_shadow.desktop.player_panel import PlayerPanel
from agile_shadow.desktop.theme import INK, PAPER
from agile_shadow.desktop.window import MainWindow
from agile_shadow.stand_ins import CLIPS, read_code
from agile_shadow.stand_ins.card import shrunk
from tests.conftest import hashes
from tests.desktop.conftest import Opener
from tests.footage import NUMBERS, codes

Key = Qt.Key
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier
PLACE = {
    "Presets": Key.Key_1,
    "Ingest": Key.Key_2,
    "Pairs": Key.Key_3,
    "Timeline": Key.Key_4,
    "Export": Key.Key_5,
    "Storage": Key.Key_6,
}


def go(qtbot: QtBot, window: MainWindow, place: str) -> None:
    qtbot.mouseClick(window.rail.buttons[place], Qt.MouseButton.LeftButton)


def key(
    qtbot: QtBot, window: MainWindow, which: Key, how: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    qtbot.keyClick(window, which, how)


def shown_code(panel: PlayerPanel) -> tuple[int, int] | None:
    picture = panel.viewer.picture
    return read_code(picture.pixels[..., 1]) if picture is not None and picture.pixels is not None else None


def wait_for_picture(qtbot: QtBot, panel: PlayerPanel, kind: str, code: tuple[int, int]) -> None:
    def arrived() -> bool:
        picture = panel.viewer.picture
        return bool(picture and picture.choice and picture.choice.kind == kind and shown_code(panel) == code)

    qtbot.waitUntil(arrived, timeout=20_000)


def choose_clip(qtbot: QtBot, window: MainWindow, name: str) -> None:
    table = window.timeline.clips
    row = next(n for n, clip in enumerate(window.timeline.model.rows) if clip.name == name)
    index = window.timeline.model.index(row, 0)
    qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=table.visualRect(index).center())
    assert window.timeline.panel.clip is not None and window.timeline.panel.clip.name == name


def mark(qtbot: QtBot, window: MainWindow, first: int, last: int) -> None:
    key(qtbot, window, Key.Key_Home)
    for _ in range(first):
        key(qtbot, window, Key.Key_Right)
    key(qtbot, window, Key.Key_I)
    for _ in range(last - first):
        key(qtbot, window, Key.Key_Right)
    key(qtbot, window, Key.Key_O)


def test_from_card_to_finished_film(qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener) -> None:
    before = hashes(card)
    window = open_window(tmp_path / "film" / "p.otio", card)
    window.ingest.card.preset.setCurrentText("Small files, quarter size")
    qtbot.waitUntil(lambda: window.ingest.card.start.text() == "Ingest 12 files", timeout=10_000)
    qtbot.mouseClick(window.ingest.card.start, Qt.MouseButton.LeftButton)
    assert window.ingest.card.run.cancel.isVisible()
    qtbot.waitUntil(lambda: "of 8 proxies" in window.strip.jobs.text(), timeout=20_000)
    qtbot.waitUntil(lambda: window.work.ingest is None, timeout=60_000)
    qtbot.waitUntil(lambda: "8 proxies paired; 2 need attention" in window.ingest.card.run.report.text(), timeout=9999)
    assert window.rail.buttons["Ingest"].waiting == 2

    go(qtbot, window, "Timeline")
    panel = window.timeline.panel
    choose_clip(qtbot, window, "A001C002")
    wait_for_picture(qtbot, panel, "original", (NUMBERS["A001C002"], 0))
    key(qtbot, window, Key.Key_Space)
    qtbot.waitUntil(lambda: panel.player.position >= 3, timeout=10_000)
    key(qtbot, window, Key.Key_Q)
    assert panel.player.playing
    qtbot.waitUntil(lambda: panel.viewer.mark_text.startswith("PROXY"), timeout=10_000)
    qtbot.waitUntil(lambda: not panel.player.playing, timeout=10_000)

    for name, first, last in (("A001C002", 2, 6), ("00004", 3, 9), ("00005", 1, 4)):
        choose_clip(qtbot, window, name)
        mark(qtbot, window, first, last)
        key(qtbot, window, Key.Key_Return, CONTROL)
    expected = [(NUMBERS["A001C002"], n) for n in range(2, 7)]
    expected += [(NUMBERS["00004"], n) for n in range(3, 10)]
    expected += [(NUMBERS["00005"], n) for n in range(1, 5)]
    assert window.work.session.project.timeline.length == len(expected)

    go(qtbot, window, "Export")
    qtbot.waitUntil(lambda: window.export.card.start.isEnabled(), timeout=10_000)
    assert "every original is there" in window.export.check_panel.summary.text(), "no film before they were looked at"
    qtbot.mouseClick(window.export.card.start, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [run.result for run in window.export.films.runs] not in ([], [None]), timeout=60_000)
    (run,) = window.export.films.runs
    assert run.out.name == "p.mp4" and run.result.frames == len(expected)
    assert codes(tmp_path / "film" / "p.mp4") == expected
    assert hashes(card) == before


def test_every_tenth_frame_is_the_same_after_the_switch(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    panel = window.pairs.panel
    for row, pair in enumerate(list(window.pairs.model.rows)):
        if pair.proxy is None:
            continue
        window.pairs.table.selectRow(row)
        number = NUMBERS[pair.clip.name]
        with_codes = codes(window.work.session.project.path(pair.clip.original.file) or Path())
        for frame in range(0, pair.clip.original.info.frames, 10):
            panel.seek(frame)
            reader_frame = _file_frame(qtbot, panel, "original")
            assert shown_code(panel) == (number, reader_frame) == with_codes[reader_frame]
            rectangle = panel.viewer.picture_rect()
            key(qtbot, window, Key.Key_Q)
            wait_for_picture(qtbot, panel, "proxy", (number, reader_frame))
            assert panel.viewer.picture_rect() == rectangle
            key(qtbot, window, Key.Key_Q)


def _file_frame(qtbot: QtBot, panel: PlayerPanel, kind: str) -> int:
    def arrived() -> bool:
        picture = panel.viewer.picture
        right = picture is not None and picture.frame == panel.player.position and picture.choice is not None
        return bool(right and picture and picture.choice and picture.choice.kind == kind)

    qtbot.waitUntil(arrived, timeout=20_000)
    assert panel.viewer.picture is not None
    return panel.viewer.picture.file_frame


def with_three_blocks(film: Path) -> None:
    project = load_project(film)
    for name in ("A001C002", "A001C001", "00005"):
        clip = next(clip for clip in project.clips if clip.name == name)
        project = project.with_timeline_settings_of(clip)
        line = append(project.timeline, clip.piece(Fraction(1, 5), Fraction(2, 5)))
        project = project.but(timeline=line)
    save_project(project, film)


def test_cutting_by_keys_and_mouse_is_undone_step_by_step(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    with_three_blocks(film)
    window = open_window(film)
    go(qtbot, window, "Timeline")
    view, session = window.timeline.view, window.work.session
    start = session.project.timeline
    key(qtbot, window, Key.Key_0, CONTROL)

    def blocks() -> tuple[Block, ...]:
        return session.project.timeline.pictures[0].blocks

    def at(frame: float) -> QPoint:
        return QPoint(round(view.x_of(frame)), round(view.block_rect(blocks()[0]).center().y()))

    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view.x_of(4.5)), 10))
    assert view.position == 4 and window.timeline.which.text() == "In the viewer: Timeline 1"
    key(qtbot, window, Key.Key_Slash)
    assert [block.length for block in blocks()] == [4, 6, 10, 10]
    key(qtbot, window, Key.Key_I, ALT)  # nothing to trim at a block's first frame
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at(2))
    key(qtbot, window, Key.Key_Delete)
    assert [block.length for block in blocks()] == [6, 10, 10]

    end = QPointF(view.block_rect(blocks()[0]).topRight()).toPoint() + QPoint(-2, 30)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=end)
    qtbot.mouseMove(view, end - QPoint(round(view.x_of(2) - view.x_of(0)), 0))
    assert blocks()[0].length == 6  # nothing is changed before the button is let go
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end - QPoint(round(view.x_of(2) - view.x_of(0)), 0))
    assert blocks()[0].length == 4
    third = blocks()[2]
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, CONTROL, at(third.start + 5))
    qtbot.mouseMove(view, at(1))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, CONTROL, at(1))
    assert blocks()[0].id == third.id

    for expected in ("Reorder", "Trim the end", "Remove", "Cut"):
        assert session.undo_label == expected
        key(qtbot, window, Key.Key_Z, CONTROL)
    assert session.project.timeline == start
    for _ in range(4):
        key(qtbot, window, Key.Key_Z, CONTROL | SHIFT)
    assert blocks()[0].id == third.id
    window.close()
    assert load_project(film).timeline == session.project.timeline


def test_a_pin_and_the_switch_are_kept_and_said(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    window.pairs.table.selectRow(0)
    key(qtbot, window, Key.Key_Q, SHIFT)
    panel = window.pairs.panel
    qtbot.waitUntil(lambda: panel.viewer.mark_text.startswith("PROXY"), timeout=10_000)
    assert window.pairs.model.rows[0].state == "paired, not proven, pinned to proxies"
    assert "1 pinned" in window.strip.counts.text()
    window.close()
    assert load_project(film).clips[0].pin == "proxies"


def test_shuttle_and_meter(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    key(qtbot, window, Key.Key_Q)
    window.pairs.table.selectRow(0)
    panel = window.pairs.panel
    key(qtbot, window, Key.Key_L)
    qtbot.waitUntil(lambda: "fps" in window.strip.meter.text(), timeout=10_000)
    key(qtbot, window, Key.Key_L)
    assert panel.player.clock.speed == 2
    key(qtbot, window, Key.Key_J)
    assert panel.player.clock.speed == -1
    key(qtbot, window, Key.Key_K)
    assert not panel.player.playing and window.strip.meter.text() == ""


def test_closing_during_work_asks_once_and_the_next_start_goes_on(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    project = tmp_path / "film" / "p.otio"
    window = open_window(project, card)
    qtbot.waitUntil(lambda: window.ingest.card.start.isEnabled(), timeout=10_000)
    qtbot.mouseClick(window.ingest.card.start, Qt.MouseButton.LeftButton)
    answers = ["Keep open", "Close and continue next time"]

    def answer() -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox) and "Work in progress" in box.text()
        button = next(b for b in box.findChildren(QPushButton) if b.text() == answers[0])
        answers.pop(0)
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)

    QTimer.singleShot(100, answer)
    assert not window.close()
    QTimer.singleShot(100, answer)
    assert window.close()
    assert answers == []
    assert [job.kind for job in JobStore().open_jobs(project)] == ["ingest"]
    again = open_window(project, card)
    again.work.resume_open_jobs()
    assert again.work.ingest is not None
    qtbot.waitUntil(lambda: again.work.last_report is not None, timeout=60_000)
    report = again.work.last_report
    assert report is not None and (report.copied, report.paired, len(report.failed)) == (12, 8, 2)


def test_a_cancelled_ingest_keeps_what_is_proven(qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener) -> None:
    window = open_window(tmp_path / "film" / "p.otio", card)
    qtbot.waitUntil(lambda: window.ingest.card.start.isEnabled(), timeout=10_000)
    qtbot.mouseClick(window.ingest.card.start, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(window.work.session.project.clips) > 0, timeout=20_000)
    qtbot.mouseClick(window.ingest.card.run.cancel, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.work.ingest is None, timeout=20_000)
    assert JobStore().open_jobs(tmp_path / "film" / "p.otio") == []
    on_shelf = hashes(tmp_path / "film" / "Originals")
    assert on_shelf and on_shelf.items() <= hashes(card).items()
    assert not list((tmp_path / "film").rglob("*.part"))


def test_what_goes_wrong_is_one_sentence_in_the_window(
    qtbot: QtBot, film: Path, open_window: Opener, tmp_path: Path
) -> None:
    with_three_blocks(film)
    window = open_window(film, tmp_path / "no card here")
    qtbot.waitUntil(lambda: "not a folder" in window.ingest.on_source.found.text(), timeout=10_000)
    assert not window.ingest.card.start.isEnabled()
    project = window.work.session.project
    clip = next(clip for clip in project.clips if clip.name == "A001C001")
    path = project.path(clip.original.file)
    assert path is not None
    path.unlink()
    go(qtbot, window, "Export")
    qtbot.waitUntil(lambda: window.export.check is not None, timeout=10_000)
    assert not window.export.card.start.isEnabled()
    assert "1 of them cannot be used" in window.export.check_panel.summary.text()
    go(qtbot, window, "Pairs")
    window.pairs.table.selectRow(next(n for n, p in enumerate(window.pairs.model.rows) if p.clip.id == clip.id))
    panel = window.pairs.panel
    qtbot.waitUntil(lambda: "original missing" in panel.viewer.mark_text, timeout=10_000)


def test_a_film_that_failed_is_tried_again_from_the_drawer(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(film)
    project = window.work.session.project
    clip = next(one for one in project.clips if one.original.info.kind == "video")
    project = project.with_timeline_settings_of(clip)
    line = append(project.timeline, clip.piece(Fraction(0), Fraction(1, 5)))
    window.work.session.edit("Append", lambda _before: project.but(timeline=line))
    out = tmp_path / "in the way" / "film.mp4"
    out.parent.write_bytes(b"a file where a folder should be")
    window.work.asked.start_films([plain_film(window.work.session.project, out)])
    window.command("jobs")
    rows = window.drawer._lines

    def state() -> str:
        return next((row.state for row in rows.rows if row.title == "Film film.mp4"), "")

    qtbot.waitUntil(lambda: state() == "failed", timeout=30_000)
    out.parent.unlink()
    window.drawer.table.selectRow(next(n for n, row in enumerate(rows.rows) if row.title == "Film film.mp4"))
    qtbot.waitUntil(lambda: window.drawer.retry.isEnabled(), timeout=5_000)
    qtbot.mouseClick(window.drawer.retry, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: out.is_file(), timeout=60_000)
    qtbot.waitUntil(lambda: state() == "finished", timeout=10_000)
    assert probe(out).frames == line.length


@pytest.mark.parametrize("size", [(1280, 800), (1024, 720)])
def test_no_place_asks_for_more_room_than_the_window_has(
    qtbot: QtBot, film: Path, open_window: Opener, size: tuple[int, int]
) -> None:
    window = open_window(film)
    window.resize(*size)
    for place in PLACE:
        go(qtbot, window, place)
        assert (window.width(), window.height()) == size
        hint = window.minimumSizeHint()
        assert hint.width() <= size[0] and hint.height() <= size[1]


def test_the_demo_card_is_drawn_while_the_window_is_in_use(
    qtbot: QtBot, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    few = [shrunk(plan, 8, Fraction(1, 2)) for plan in CLIPS[:3]]
    monkeypatch.setattr("agile_shadow.desktop.drawing_work.missing_from_card", lambda card: few)
    card = tmp_path / "not there yet" / "Card"
    window = open_window(tmp_path / "film" / "p.otio", card)
    window.work.draw_demo_card(card)
    assert "drawing" in window.strip.jobs.text() or window.work.drawing is not None
    qtbot.waitUntil(lambda: window.work.drawing is None, timeout=60_000)
    qtbot.waitUntil(lambda: window.ingest.card.start.text() == "Ingest 7 files", timeout=10_000)
    assert not window.notice.isVisible()


def test_both_versions_of_the_look_can_be_read() -> None:
    def light(colour: str) -> float:
        parts = np.array([int(colour[n : n + 2], 16) for n in (1, 3, 5)]) / 255
        linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
        return float(linear @ [0.2126, 0.7152, 0.0722])

    for version in (INK, PAPER):
        for text in (version.text, version.quiet, version.warn):
            for ground in (version.ground, version.panel, version.raised):
                first, second = sorted((light(text), light(ground)), reverse=True)
                assert (first + 0.05) / (second + 0.05) >= 4.5, (version.name, text, ground)


def test_places_are_built_when_they_are_opened_and_the_rest_by_and_by(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(LatePlaces, "build_all_by_and_by", lambda self: None)
    window = open_window(film)
    assert [window.places.is_built(number) for number in range(6)] == [False, True, False, False, False, False]
    assert window.strip.counts.text() and window.rail.buttons["Pairs"].text()
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    assert window.stack.currentWidget() is window.timeline and window.places.is_built(TIMELINE)
    assert not window.places.is_built(PAIRS) and not window.places.is_built(STORAGE)
    window.change_theme()  # of what is built
    window.change_theme()
    monkeypatch.undo()
    with qtbot.waitSignal(window.places.all_built, timeout=20_000):
        window.places.build_all_by_and_by()
    assert all(window.places.is_built(number) for number in range(6))
    assert window.stack.currentWidget() is window.timeline and window.stack.count() == 6


def test_places_nobody_opened_wait_for_a_hand_that_rests_while_work_goes_on(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(LatePlaces, "build_all_by_and_by", lambda self: None)
    window = open_window(film)
    monkeypatch.undo()
    monkeypatch.setattr(type(window.work.desk), "runs", [object()])
    monkeypatch.setattr(window.late_bakes, "rested", lambda: 0.5)
    asked: list[bool] = []
    has_time = window.places._idle

    def idle() -> bool:
        asked.append(True)
        return has_time()

    monkeypatch.setattr(window.places, "_idle", idle)
    window.places.build_all_by_and_by()
    qtbot.waitUntil(lambda: len(asked) > 2, timeout=10_000)
    assert [number for number in range(6) if window.places.is_built(number)] == [1]
    playing = [True]
    monkeypatch.setattr(window, "_is_playing", lambda: playing[0])
    monkeypatch.setattr(window.late_bakes, "rested", lambda: 3.0)
    asked.clear()
    qtbot.waitUntil(lambda: len(asked) > 1, timeout=10_000)
    assert [number for number in range(6) if window.places.is_built(number)] == [1]
    playing.clear()
    playing.append(False)
    qtbot.waitUntil(lambda: all(window.places.is_built(number) for number in range(6)), timeout=20_000)
    monkeypatch.undo()


def test_what_a_place_is_made_of_is_given_its_look_once(
    film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever builds it from the inside out pays for every step: half a second in the place of presets."""
    monkeypatch.setattr(LatePlaces, "build_all_by_and_by", lambda self: None)
    looks: Counter[str] = Counter()

    def count(kind: type[QWidget]) -> None:
        def changed(self: QWidget, event: QEvent) -> None:
            looks[kind.__name__] += event.type() == QEvent.Type.StyleChange
            super(kind, self).changeEvent(event)

        monkeypatch.setattr(kind, "changeEvent", changed, raising=False)

    for kind in (Sentence, BlockPanel, ProofPanel, CardsPanel, FilmCard):
        count(kind)
    window = open_window(film)
    for number in range(6):
        window.places.get(number)
    assert set(looks) == {"Sentence", "BlockPanel", "ProofPanel", "CardsPanel", "FilmCard"}
    assert max(looks.values()) <= 1 and not looks["Sentence"], looks


def test_a_window_that_is_closed_at_once_builds_no_more(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    window.close()
    with qtbot.assertNotEmitted(window.places.all_built, wait=400):
        window.places.build_all_by_and_by()
    assert not window.places.is_built(TIMELINE) and not window.places._timer.isActive()


def test_a_place_that_is_built_late_knows_what_is_missing(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(LatePlaces, "build_all_by_and_by", lambda self: None)
    window = open_window(film)
    clip = window.work.session.project.clips[0]
    gone = window.work.session.project.place_or_none(clip.original.file)
    assert gone is not None
    gone.rename(gone.with_suffix(".away"))  # really: the watch looks all the time, and tells what it sees
    window.presence.look_now()
    qtbot.waitUntil(lambda: window.presence._missing == {str(gone)}, timeout=20_000)
    assert window.pairs.panel.player.presence.missing_now() == {str(gone)}


def test_what_would_stop_the_window_later_is_loaded_once_it_is_there(tmp_path: Path) -> None:
    """In an interpreter of its own: here everything is loaded already."""
    code = f"""
import sys, time
from pathlib import Path
from agile_shadow.core.project import report
from agile_shadow.desktop.starting import make_app, open_window
app = make_app(["x"])
window = open_window(Path({str(tmp_path / "film.otio")!r}))
window.show()
print("cv2" in sys.modules, report._adapter.cache_info().currsize)
end = time.monotonic() + 60
while not (window.places._loaded.is_set() and len(window.places.all_places()) == 6) and time.monotonic() < end:
    app.processEvents()
print("cv2" in sys.modules, report._adapter.cache_info().currsize)
window.close()
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=100)
    assert done.stdout.split() == ["False", "0", "True", "1"]


def test_starting_loads_no_place_but_the_first(tmp_path: Path) -> None:
    code = "import sys, agile_shadow.desktop.starting\nprint(' '.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    late = {f"agile_shadow.desktop.places.{name}" for name in ("pairs", "timeline", "export", "storage", "presets")}
    late |= {"agile_shadow.core.film.render", "agile_shadow.core.kit.making"}
    late |= {"scipy", "cv2", "PIL", "ascmhl", "pyqtgraph"}
    assert not late & set(done.stdout.split())
