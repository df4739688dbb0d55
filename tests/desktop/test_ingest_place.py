"""The Ingest place: sources that come and go, the list, the jobs, the report, going on without a window."""

from __future__ import annotations

import csv
import os
import shutil
import threading
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import psutil
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from agile_shadow.core.drives import REPLACED_BY, Drives, drives
from agile_shadow.core.ingest import ONE_DRIVE
from agile_shadow.core.presets import Originals, Preset, Proxies, save_preset
from agile_shadow.core.project import ProjectLock, load_project
from agile_shadow.core.project.lock import WITHOUT_WINDOW
from agile_shadow.desktop.places.ingest import on_source
from agile_shadow.desktop.places.ingest.files import FileRow
from agile_shadow.desktop.starting import open_window as open_for_real
from agile_shadow.desktop.starting import put_demo_card_in
from agile_shadow.desktop.window import MainWindow
from agile_shadow.stand_ins.reader import CONTROL, StandInDrive
from tests.conftest import hashes
from tests.desktop.conftest import Opener
from tests.drawn import draw

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def reader(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[StandInDrive]:
    """A card of four clips in a simulated reader."""
    drive = StandInDrive(tmp_path / "reader" / "CARD", tmp_path / "drives.json")
    for number in range(4):
        draw(drive.root / "DCIM" / f"TRN_{number * 10:04d}.MOV", 20 + number, number * 30)
    for name, value in drive.environment().items():
        monkeypatch.setenv(name, value)
    drive.behave()
    drives.cache_clear()
    yield drive
    drives.cache_clear()


@pytest.fixture
def preset(own_profile: Path) -> Preset:
    chosen = Preset(name="Small", proxies=Proxies(codec="h264", scale=Fraction(1, 2)))
    save_preset(chosen)
    return chosen


def names(window: MainWindow) -> list[str]:
    return [source.name for source in window.ingest.sources.sources]


def click_source(qtbot: QtBot, window: MainWindow, name: str) -> None:
    view = window.ingest.sources.list
    index = view.model().index(names(window).index(name), 0)
    qtbot.mouseClick(view.viewport(), LEFT, pos=view.visualRect(index).center())


def shown(window: MainWindow) -> list[str]:
    view = window.ingest.on_source.files.table
    return [view.model().index(row, 0).data() for row in range(view.model().rowCount())]


def rows(window: MainWindow) -> list[FileRow]:
    return window.ingest.on_source.files.rows


def begin(qtbot: QtBot, window: MainWindow) -> None:
    """Press the button once the card's four files are listed."""
    window.ingest.card.preset.setCurrentText("Small")
    qtbot.waitUntil(lambda: window.ingest.card.start.text() == "Ingest 4 files", timeout=10_000)
    qtbot.mouseClick(window.ingest.card.start, LEFT)


def test_cards_come_and_go_and_are_listed_with_posters(qtbot: QtBot, tmp_path: Path, reader: StandInDrive,
                                                       preset: Preset, open_window: Opener) -> None:  # fmt: skip
    reader.pull_out()
    window = open_window(tmp_path / "film" / "p.otio")
    assert names(window) == [] and not window.ingest.card.start.isEnabled()
    reader.insert()
    qtbot.waitUntil(lambda: "CARD" in names(window), timeout=10_000)
    qtbot.waitUntil(lambda: len(rows(window)) == 4, timeout=10_000)  # a card that comes is shown
    qtbot.waitUntil(lambda: all(row.seen and row.seen.picture for row in rows(window)), timeout=20_000)
    assert [round(row.seconds * 25) for row in rows(window)] == [20, 21, 22, 23]
    qtbot.keyClicks(window.ingest.on_source.files.search, "0020")
    assert shown(window) == ["TRN_0020.MOV"] and window.ingest.on_source.files.count.text() == "1 of 4"
    window.ingest.on_source.files.search.clear()
    header = window.ingest.on_source.files.table.horizontalHeader()
    for _ in range(2):  # by size, largest first
        middle = header.sectionViewportPosition(2) + header.sectionSize(2) // 2
        qtbot.mouseClick(header.viewport(), LEFT, pos=QPoint(middle, 8))
    assert shown(window)[0] == "TRN_0030.MOV"
    reader.pull_out()
    qtbot.waitUntil(lambda: "CARD" not in names(window) or "folder" in window.ingest.sources.sources[0].kind)


def test_rows_of_very_many_files_are_made_aside_and_dropped_with_their_source(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    monkeypatch.setattr(on_source, "_MANY", 0)
    reader.pull_out()
    window = open_window(tmp_path / "film" / "p.otio")
    reader.insert()
    place = window.ingest.on_source
    qtbot.waitUntil(lambda: "CARD" in names(window) and len(rows(window)) == 4, timeout=10_000)
    made_on: list[str] = []
    kept = place.looking.kept

    def heard(source: Path, row: FileRow) -> object:
        made_on.append(threading.current_thread().name)
        return kept(source, row)

    monkeypatch.setattr(place.looking, "kept", heard)
    begin(qtbot, window)
    qtbot.waitUntil(lambda: place.run is not None, timeout=20_000)
    run, files = place.run, [row.file for row in rows(window)]
    assert run is not None and set(made_on) == {"background"} and len(rows(window)) == 4
    qtbot.waitUntil(lambda: window.work.ingest is None, timeout=60_000)
    qtbot.waitUntil(lambda: {row.item.phase for row in rows(window)} <= {"paired", "here"}, timeout=10_000)
    late: list[Callable[[], None]] = []
    monkeypatch.setattr(window.work, "in_background", lambda work, then: late.append(lambda: then(work())))
    place._begin_run(run, files[:1])
    place.show_nothing("")
    late[0]()  # the rows come when another source is shown
    assert place.run is None and rows(window) == []
    place._begin_run(run, files[:1])
    late[1]()
    assert place.run is run and len(rows(window)) == 1


def test_the_card_says_that_second_copies_go_onto_the_same_drive(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    save_preset(Preset(name="Twice", originals=Originals(second_copy=True)))
    save_preset(Preset(name="In place", originals=Originals(do="leave"), proxies=Proxies(second_copy=True)))
    window = open_window(tmp_path / "film" / "p.otio")
    qtbot.waitUntil(lambda: "CARD" in names(window), timeout=10_000)
    click_source(qtbot, window, "CARD")
    card, elsewhere = window.ingest.card, tmp_path / "elsewhere"
    card.preset.setCurrentText("Twice")
    qtbot.waitUntil(lambda: ONE_DRIVE in card.room.text(), timeout=10_000)
    told = Drives.identity
    monkeypatch.setattr(Drives, "identity", lambda self, at: (told(self, at)[0] + (at == elsewhere), told(self, at)[1]))
    elsewhere.mkdir()
    card.second.selectAll()
    qtbot.keyClicks(card.second, str(elsewhere))
    qtbot.waitUntil(lambda: "to copy" in card.room.text() and ONE_DRIVE not in card.room.text(), timeout=10_000)
    card.second.selectAll()
    qtbot.keyClicks(card.second, str(tmp_path / "film" / "second"))
    qtbot.waitUntil(lambda: ONE_DRIVE in card.room.text(), timeout=10_000)
    card.preset.setCurrentText("Small")
    qtbot.waitUntil(lambda: "to copy" in card.room.text() and ONE_DRIVE not in card.room.text(), timeout=10_000)
    card.preset.setCurrentText("In place")  # only proxies are copied again, and those lie on another drive
    card.proxies.selectAll()
    qtbot.keyClicks(card.proxies, str(elsewhere))
    qtbot.waitUntil(lambda: window.ingest._reading.one_drive == {Path(card.originals.text())}, timeout=10_000)
    assert card.room.text() == "Originals stay in place."
    card.proxies.selectAll()
    qtbot.keyClicks(card.proxies, str(tmp_path / "film" / "proxies"))
    qtbot.waitUntil(lambda: card.room.text() == f"Originals stay in place.\n{ONE_DRIVE}", timeout=10_000)
    card.preset.setCurrentText("Twice")
    card.originals.selectAll()
    qtbot.keyClicks(card.originals, "~nobody here/Film")  # of nobody who is known
    qtbot.waitUntil(lambda: "~nobody here/Film" in card.goes.text(), timeout=10_000)


def drop(window: MainWindow, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    buttons, keys = LEFT, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(QPoint(300, 300), Qt.DropAction.CopyAction, data, buttons, keys)
    QApplication.sendEvent(window.ingest, enter)
    assert enter.isAccepted()
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, buttons, keys)
    QApplication.sendEvent(window.ingest, event)


def test_dropped_folders_are_ingested_side_by_side(qtbot: QtBot, tmp_path: Path, preset: Preset,
                                                   open_window: Opener) -> None:  # fmt: skip
    for folder, count in (("first", 2), ("second", 3)):
        for number in range(count):
            draw(tmp_path / folder / f"{folder}_{number}.MOV", 10 + number, 20 * number)
    window = open_window(tmp_path / "film" / "p.otio")
    window.ingest.card.preset.setCurrentText("Small")
    drop(window, tmp_path / "first", tmp_path / "second" / "second_0.MOV")
    qtbot.waitUntil(lambda: len(rows(window)) == 2, timeout=10_000)
    assert names(window) == ["first", "second"]
    window.ingest.sources.list.selectAll()
    assert window.ingest.card.start.text() == "Ingest 2 sources"
    qtbot.mouseClick(window.ingest.card.start, LEFT)
    assert len(window.work.desk.runs) == 2
    qtbot.waitUntil(lambda: not window.work.desk.runs, timeout=60_000)
    project = window.work.session.project
    assert len(project.clips) == 5 and all(clip.proxies for clip in project.clips)
    assert sorted(report["found"] for report in project.reports) == [2, 3]


def test_jobs_are_put_first_held_taken_back_and_tried_again(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener
) -> None:
    reader.behave(speed=2_000)
    window = open_window(tmp_path / "film" / "p.otio", reader.root)
    begin(qtbot, window)
    window.command("jobs")
    drawer = window.drawer

    def line(title: str) -> int:
        return next((n for n, one in enumerate(drawer._lines.rows) if one.title == title), -1)

    def chosen(title: str) -> bool:
        """Click the job; rows move while jobs end, so it may take more than one try."""
        if line(title) < 0:
            return False
        index = drawer._lines.index(line(title), 0)
        drawer.table.scrollTo(index)
        qtbot.mouseClick(drawer.table.viewport(), LEFT, pos=drawer.table.visualRect(index).center())
        return [piece.path for piece in drawer.chosen()] == [title.partition(" ")[2].removeprefix("of ")]

    def ask(title: str, button: QPushButton) -> None:
        qtbot.waitUntil(lambda: chosen(title) and button.isEnabled(), timeout=20_000)
        qtbot.mouseClick(button, LEFT)

    def state(title: str) -> str:
        window.drawer.refresh("")
        return drawer._lines.rows[line(title)].state if line(title) >= 0 else ""

    ask("Copy DCIM/TRN_0030.MOV", drawer.take_back)
    ask("Copy DCIM/TRN_0020.MOV", drawer.hold)
    qtbot.waitUntil(lambda: state("Copy DCIM/TRN_0030.MOV") == "cancelled", timeout=20_000)
    qtbot.waitUntil(lambda: state("Copy DCIM/TRN_0020.MOV") == "paused", timeout=20_000)
    qtbot.waitUntil(lambda: state("Proxy of DCIM/TRN_0010.MOV") == "finished", timeout=60_000)
    assert window.work.ingest is not None  # what stands still is not lost
    ask("Copy DCIM/TRN_0020.MOV", drawer.go_on)
    ask("Copy DCIM/TRN_0030.MOV", drawer.retry)
    qtbot.waitUntil(lambda: window.work.last_report is not None, timeout=60_000)
    report = window.work.last_report
    assert report is not None and report.as_many_as_shot and report.found == 4


def test_a_card_pulled_out_is_asked_for_and_the_report_ends_well(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    before = hashes(reader.root)
    reader.behave(speed=20_000)
    window = open_window(tmp_path / "film" / "p.otio", reader.root)
    begin(qtbot, window)
    qtbot.waitUntil(lambda: bool(window.work.session.project.clips), timeout=20_000)
    reader.pull_out()
    qtbot.waitUntil(lambda: "card CARD (insert it again)" in window.ingest.on_source.found.text(), timeout=20_000)
    assert "waiting for its card" in {row.state for row in rows(window)}
    reader.behave(speed=0.0)
    reader.insert()
    qtbot.waitUntil(lambda: window.work.last_report is not None, timeout=60_000)
    window.ingest.tabs.setCurrentIndex(1)
    view = window.ingest.report_view
    assert view.number.text() == "Complete: 4 of 4 clips" and view.steps == []
    qtbot.mouseClick(view.clips, LEFT)
    qtbot.waitUntil(lambda: view.posters_shown == 4, timeout=20_000)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "kept.csv"), ""))
    qtbot.mouseClick(view.sheet, LEFT)
    qtbot.waitUntil(lambda: "Saved as" in view.when.text(), timeout=20_000)
    assert len(list(csv.DictReader((tmp_path / "kept.csv").open(newline="")))) == 4
    assert hashes(tmp_path / "film" / "Originals") == hashes(reader.root) == before


def test_what_needs_a_person_has_one_button_that_helps(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener
) -> None:
    reader.behave(unreadable=("DCIM/TRN_0010.MOV", 900))
    window = open_window(tmp_path / "film" / "p.otio", reader.root)
    begin(qtbot, window)
    qtbot.waitUntil(lambda: window.work.ingest is None and window.work.last_report is not None, timeout=60_000)
    window.ingest.tabs.setCurrentIndex(1)
    view = window.ingest.report_view
    assert view.number.text() == "3 of 4 clips complete; 1 needs attention"
    (button,) = view.steps
    assert button.text() == "Retry" and window.rail.buttons["Ingest"].waiting == 1
    reader.behave(unreadable=None)
    qtbot.mouseClick(button, LEFT)
    qtbot.waitUntil(lambda: view.number.text() == "Complete: 4 of 4 clips", timeout=60_000)
    assert window.rail.buttons["Ingest"].waiting == 0


def test_the_standing_preset_runs_by_itself_on_a_card_put_in(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener
) -> None:
    reader.pull_out()
    window = open_window(tmp_path / "film" / "p.otio")
    window.work.session.edit("", lambda project: project.but(preset=preset, by_itself=True))
    place = window.ingest
    reader.insert()
    qtbot.waitUntil(lambda: "Choose where originals go" in window.notice.text(), timeout=20_000)
    assert window.work.ingest is None and not (tmp_path / "film" / "Originals").exists()
    reader.pull_out()
    for edit, name in ((place.card.originals, "Boathouse"), (place.card.proxies, "Laptop")):
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, str(tmp_path / "film" / name))
        QTest.keyClick(edit, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: str(reader.root) not in [str(one.path) for one in place.sources.sources], timeout=20_000)
    reader.insert()
    qtbot.waitUntil(lambda: len(window.work.session.project.reports) == 1, timeout=60_000)
    assert window.work.session.project.reports[0]["paired"] == 4
    assert [shelf.root.name for shelf in window.work.session.project.shelves] == ["Boathouse", "Laptop"]


def test_a_watched_folder_is_listed_taken_in_and_stopped(
    qtbot: QtBot, tmp_path: Path, preset: Preset, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    draw(tmp_path / "in" / "x.mov", 10)
    window = open_window(tmp_path / "film" / "p.otio")
    window.work.desk._quiet = 0.3
    window.work.mind()
    window.ingest.card.preset.setCurrentText("Small")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "in"))
    qtbot.mouseClick(window.ingest.sources.watch, LEFT)
    qtbot.waitUntil(lambda: "watched" in [one.kind for one in window.ingest.sources.sources], timeout=5_000)
    qtbot.waitUntil(lambda: len(window.work.session.project.clips) == 1, timeout=30_000)
    qtbot.waitUntil(lambda: not window.work.desk.runs, timeout=30_000)
    click_source(qtbot, window, "in")
    qtbot.waitUntil(lambda: window.ingest.sources.watch.text() == "Stop watching", timeout=5_000)
    qtbot.mouseClick(window.ingest.sources.watch, LEFT)
    qtbot.waitUntil(lambda: window.work.desk.minding.watches == [], timeout=5_000)


def test_work_goes_on_without_the_window_and_is_found_again(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset
) -> None:
    reader.behave(speed=2_000)
    project = tmp_path / "film" / "p.otio"
    window = open_for_real(project)
    qtbot.addWidget(window)
    window.show()
    window.ingest.on_source.source.setText(str(reader.root))
    begin(qtbot, window)
    qtbot.waitUntil(lambda: any(row.item.phase == "copying" for row in rows(window)), timeout=20_000)

    def answer() -> None:
        box = QApplication.activeModalWidget()
        if box is None:
            QTimer.singleShot(50, answer)
            return
        assert isinstance(box, QMessageBox)
        button = next(one for one in box.buttons() if one.text() == "Continue without the window")
        qtbot.mouseClick(button, LEFT)

    QTimer.singleShot(300, answer)
    window.close()
    lock = ProjectLock(project)

    def holder() -> bool:
        found = lock.holder()
        return found is not None and found.role == WITHOUT_WINDOW

    qtbot.waitUntil(holder, timeout=20_000)
    process = psutil.Process(lock.holder().process)  # type: ignore[union-attr]
    reader.behave(speed=0.0)
    again = open_for_real(project)  # takes over from it
    qtbot.addWidget(again)
    again.show()
    assert not process.is_running() or process.status() == psutil.STATUS_ZOMBIE
    qtbot.waitUntil(lambda: len(again.work.session.project.reports) == 1, timeout=60_000)
    assert again.work.session.project.reports[0]["paired"] == 4
    qtbot.waitUntil(lambda: not again.work.busy, timeout=20_000)
    again.close()
    assert ProjectLock(project).holder() is None
    assert len(load_project(project).clips) == 4


def test_the_demos_card_can_be_pulled_out_and_put_in_from_the_menu(
    qtbot: QtBot, own_profile: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    for name in (REPLACED_BY, CONTROL):
        monkeypatch.setenv(name, "")
    drive = put_demo_card_in()  # in a profile where nothing is yet
    drives.cache_clear()
    draw(drive.root / "DCIM" / "x.mov", 5)
    window = open_window(drive.root.parent / "film.otio", drive.root)
    window.project_menu.add_demo_drive(drive)
    actions = {action.text(): action for action in window.strip.project.menu().actions()}
    qtbot.waitUntil(lambda: "Card" in names(window), timeout=10_000)
    actions["Demo: remove the card"].trigger()
    assert not drive.is_in
    actions["Demo: remove the card"].trigger()  # it is out already: told, not raised
    assert window.notice.isVisible()
    actions["Demo: insert the card"].trigger()
    assert drive.is_in and put_demo_card_in().is_in
    drives.cache_clear()


def test_without_a_window_it_ends_by_itself(
    qtbot: QtBot, tmp_path: Path, reader: StandInDrive, preset: Preset, open_window: Opener
) -> None:
    reader.behave(speed=5_000)
    window = open_window(tmp_path / "film" / "p.otio", reader.root)
    begin(qtbot, window)
    qtbot.waitUntil(lambda: any(row.item.phase == "copying" for row in rows(window)), timeout=20_000)
    window.closing.goes_on = True
    window.closing.may_close = lambda: True  # type: ignore[method-assign]
    window.close()
    project = tmp_path / "film" / "p.otio"
    qtbot.waitUntil(lambda: len(load_project(project).reports) == 1, timeout=60_000)
    assert all(clip.proxies for clip in load_project(project).clips)
    qtbot.waitUntil(lambda: ProjectLock(project).holder() is None, timeout=20_000)
    shutil.rmtree(os.environ["AGILE_SHADOW_HOME"], ignore_errors=True)


def test_a_list_that_was_read_after_the_end_looks_at_nothing(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)
    looking = window.ingest.on_source.looking
    asked: list[int] = []
    window.close()
    looking.look_at(film.parent, lambda: asked.append(1) or [], lambda: asked.append(2) or [], None)  # type: ignore[func-returns-value]
    qtbot.wait(300)
    assert asked == [] and not looking._timer.isActive()
