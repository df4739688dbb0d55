"""Storage in the real window: what takes room, what may go, which card may be wiped, whether a shelf is whole."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Never

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from agile_shadow.core.errors import StateError
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.kit import KitPlan, KitRequest, make_kit, open_kit
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.shelves import attending
from agile_shadow.core.storage import Card, find_items
from agile_shadow.core.storage.keeping import KeepResult, Lost
from agile_shadow.core.storage.kept import plan_of
from agile_shadow.core.storage.mending import PutBackRequest
from agile_shadow.core.timeline import append
from agile_shadow.core.upkeep import removing
from agile_shadow.desktop.places.storage import StoragePlace, cards_panel, kept_dialog, kit_panel, tidy_dialog
from agile_shadow.desktop.places.storage import place as storage_place
from agile_shadow.desktop.places.storage.home_dialog import KitHomeDialog
from agile_shadow.desktop.places.storage.kept_dialog import KeptDialog
from agile_shadow.desktop.places.storage.picture import tile_words
from agile_shadow.desktop.places.storage.tidy_dialog import TidyDialog
from agile_shadow.desktop.window import MainWindow
from tests.core.test_attending import Slow
from tests.core.test_kit import cut
from tests.core.test_road import from_the_road, road_card
from tests.core.test_storage import one_byte, some_file, used
from tests.desktop import surfaces
from tests.desktop.conftest import Opener
from tests.desktop.test_window import go

LEFT, Key = Qt.MouseButton.LeftButton, Qt.Key


@pytest.fixture
def window(qtbot: QtBot, place: Path, open_window: Opener) -> MainWindow:
    """On the project that was stored, in Storage, with its shelves looked at."""
    shown = open_window(place / "film.otio")
    go(qtbot, shown, "Storage")
    qtbot.waitUntil(lambda: len(shown.storage.rows) == 3 and shown.storage.shelf.room is not None, timeout=20_000)
    return shown


def choose(qtbot: QtBot, storage: StoragePlace, name: str) -> None:
    number = next(n for n, row in enumerate(storage.rows) if row.state.shelf.name == name)
    item = storage.list.item(number)
    qtbot.mouseClick(storage.list.viewport(), LEFT, pos=storage.list.visualItemRect(item).center())
    qtbot.waitUntil(lambda: storage.shelf.name.text() == name and storage.shelf.room is not None, timeout=20_000)


def choose_last(qtbot: QtBot, storage: StoragePlace, from_end: int) -> None:
    item = storage.list.item(storage.list.count() - from_end)
    qtbot.mouseClick(storage.list.viewport(), LEFT, pos=storage.list.visualItemRect(item).center())


def test_what_takes_room_is_shown_and_gone_into(qtbot: QtBot, window: MainWindow, place: Path) -> None:
    storage = window.storage
    for name in ("Laptop", "Attic", "Boathouse"):
        choose(qtbot, storage, name)
        room = storage.shelf.room
        assert room is not None and room.whole.room == used(place / name)
    picture = storage.shelf.picture
    assert abs(sum(tile.area.room for tile in picture.tiles) - picture.path[-1].room) < 1
    whole = sum(tile.rect.width() * tile.rect.height() for tile in picture.tiles)
    for tile in picture.tiles[:2]:
        share = tile.rect.width() * tile.rect.height() / whole
        assert abs(share - tile.area.room / picture.path[-1].room) < 0.05
    first = next(tile for tile in picture.tiles if tile.area.kind is None and tile.area.inner)
    qtbot.mouseClick(picture, LEFT, pos=first.rect.center().toPoint())
    assert picture.path[-1] is first.area and first.area.name in storage.shelf.way.text()
    assert "originals" in tile_words(first.area).lower()
    qtbot.keyClick(picture, Key.Key_Backspace)
    assert len(picture.path) == 1 and not storage.shelf.up.isEnabled()
    picture.setFocus()
    picture.chosen = picture.tiles.index(next(tile for tile in picture.tiles if tile.area.inner))
    qtbot.keyClick(picture, Key.Key_Return)
    assert len(picture.path) == 2
    qtbot.mouseClick(storage.shelf.up, LEFT)
    assert len(picture.path) == 1
    window.change_theme()
    assert not picture.grab().toImage().isNull()
    window.change_theme()
    assert picture.tiles and picture.childAt(QPoint(3, 3)) is None and picture.tiles[0].rect.contains(QPointF(5, 5))


def test_what_may_go_goes_and_comes_back(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    storage, session = window.storage, window.work.session
    pairs = {clip.id: clip.proxies for clip in session.project.clips}
    files = sorted((place / "Laptop").rglob("*.mov"))
    qtbot.mouseClick(storage.shelf.tidy, LEFT)
    dialog = storage.dialog
    assert isinstance(dialog, TidyDialog)
    qtbot.waitUntil(lambda: dialog.boxes["unused"].isEnabled(), timeout=20_000)
    assert not dialog.remove.isEnabled() and not dialog.boxes["bakes"].isEnabled()
    qtbot.mouseClick(dialog.boxes["unused"], LEFT, pos=QPoint(8, 8))
    assert dialog.plan is not None and len(dialog.plan.items) == len(files) == dialog.model.rowCount()
    assert f"{len(files)} files" in dialog.wins.text() and "here" in dialog.wins.text()
    qtbot.mouseClick(dialog.remove, LEFT)
    qtbot.waitUntil(lambda: not any(clip.proxies for clip in session.project.clips), timeout=20_000)
    assert not any(path.exists() for path in files)
    qtbot.waitUntil(lambda: "in the trash" in window.notice.text(), timeout=10_000)
    (button,) = [one for one in window.notice.buttons if one.text() == "Bring back"]
    qtbot.mouseClick(button, LEFT)
    qtbot.waitUntil(lambda: {clip.id: clip.proxies for clip in session.project.clips} == pairs, timeout=20_000)
    assert all(path.exists() for path in files)


def test_without_a_trash_it_is_asked(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(removing, "into_trash", lambda path: "its drive has no trash")
    asked: list[str] = []
    answer = [1]

    def press(box: QMessageBox) -> None:
        asked.append(box.text())
        wanted = ("Cancel", "Delete")[answer[0]]
        QTest.mouseClick(next(one for one in box.buttons() if one.text().startswith(wanted)), LEFT)

    monkeypatch.setattr(QMessageBox, "exec", press)
    files = sorted((place / "Laptop").rglob("*.mov"))
    for number in (0, 1):
        answer[0] = number
        window.storage.open_tidy()
        dialog = window.storage.dialog
        assert isinstance(dialog, TidyDialog)
        qtbot.waitUntil(lambda one=dialog: one.boxes["unused"].isEnabled(), timeout=20_000)
        qtbot.mouseClick(dialog.boxes["unused"], LEFT, pos=QPoint(8, 8))
        qtbot.mouseClick(dialog.remove, LEFT)
        qtbot.waitUntil(lambda n=number: len(asked) == n + 1 and window.storage.dialog is None, timeout=20_000)
        assert all(path.exists() != bool(number) for path in files)
    assert "Delete them permanently?" in asked[0]


def test_a_card_is_asked_and_answers(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cards = window.storage.cards
    choose_last(qtbot, window.storage, 4)
    qtbot.waitUntil(lambda: cards.chosen is not None, timeout=20_000)
    assert cards.says.text().startswith("Not yet, because the card was not checked")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a, **_k: str(place / "Card"))
    qtbot.mouseClick(cards.ask, LEFT)
    qtbot.waitUntil(lambda: cards.says.text().startswith("May be wiped"), timeout=30_000)
    assert "just now" in cards.says.text() and cards.chosen is not None and cards.chosen.good
    assert {row.state for row in cards.files.rows} == {"equal"}
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(place / "answer.html"), ""))
    qtbot.mouseClick(cards.save, LEFT)
    qtbot.waitUntil(lambda: (place / "answer.html").is_file(), timeout=10_000)
    one_byte(some_file(place / "Attic", random.Random(1)), random.Random(1))
    qtbot.waitUntil(cards.ask.isEnabled, timeout=10_000)
    qtbot.mouseClick(cards.ask, LEFT)
    qtbot.waitUntil(lambda: cards.says.text().startswith("Not yet, because") and cards.ask.isEnabled(), timeout=30_000)
    assert "other bytes on Attic" in cards.says.text() and cards.files.rows[0].state == "not safe"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a, **_k: str(place / "Laptop"))
    qtbot.mouseClick(cards.ask, LEFT)
    qtbot.waitUntil(lambda: "no card that was ingested" in window.notice.text(), timeout=10_000)
    assert cards.ask.isEnabled()


def test_a_card_that_is_stopped_before_its_reading_began_can_be_asked_again(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cards, go_on, known = window.storage.cards, threading.Event(), cards_panel.all_cards
    choose_last(qtbot, window.storage, 4)
    qtbot.waitUntil(lambda: cards.chosen is not None, timeout=20_000)

    def waits(project: Project, store: JobStore) -> list[Card]:
        go_on.wait(20.0)
        return known(project, store)

    monkeypatch.setattr(cards_panel, "all_cards", waits)
    cards.ask_at(place / "Card")
    assert not cards.ask.isEnabled() and cards.stop.isVisible()
    qtbot.mouseClick(cards.stop, LEFT)
    go_on.set()
    qtbot.waitUntil(cards.ask.isEnabled, timeout=10_000)
    assert not cards.answers and not cards.stop.isVisible() and not window.notice.isVisible()


def test_what_cannot_be_found_out_is_said_where_it_was_asked_and_nothing_stays_busy(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_args: object, **_named: object) -> Never:
        raise StateError("cannot be written", Path("machine.sqlite"), "Make room.")

    storage, cards = window.storage, window.storage.cards
    for module, name in (
        (cards_panel, "keep_answer"), (kit_panel, "plan_kit"), (tidy_dialog, "find_items"), (kept_dialog, "find_whole"),
        (storage_place, "claims_of"),
    ):  # fmt: skip
        monkeypatch.setattr(module, name, fails)
    storage.count(next(row for row in storage.rows if row.state.shelf.name == "Attic"))
    qtbot.waitUntil(lambda: "machine.sqlite" in storage.shelf.way.text(), timeout=10_000)
    monkeypatch.undo()
    choose(qtbot, storage, "Attic")  # it can be counted again
    for module, name in (
        (cards_panel, "keep_answer"), (kit_panel, "plan_kit"), (tidy_dialog, "find_items"), (kept_dialog, "find_whole")
    ):
        monkeypatch.setattr(module, name, fails)
    row = next(one for one in storage.rows if one.state.shelf.name == "Attic")
    lost = Lost("gone.mov", "missing", "xxh128", "00")
    storage.show_kept(replace(row, kept=KeepResult("s", str(place / "Attic"), 0.0, 1.0, 1, 1, 0, (lost,))))
    kept = storage.dialog
    assert isinstance(kept, KeptDialog)
    qtbot.waitUntil(lambda: "machine.sqlite" in kept.model.rows[0].note, timeout=10_000)
    kept.reject()
    storage.open_tidy()
    tidying = storage.dialog
    assert isinstance(tidying, TidyDialog)
    qtbot.waitUntil(lambda: "machine.sqlite" in tidying.wins.text(), timeout=10_000)
    tidying.reject()
    storage.kits.folder.setText(str(place / "kit"))
    storage.kits.look()
    qtbot.waitUntil(lambda: "machine.sqlite" in storage.kits.says.text(), timeout=10_000)
    assert not storage.kits.make.isEnabled()
    choose_last(qtbot, storage, 4)
    qtbot.waitUntil(lambda: cards.chosen is not None, timeout=20_000)
    cards.ask_at(place / "Card")
    qtbot.waitUntil(lambda: cards.ask.isEnabled() and bool(cards.answers), timeout=30_000)
    qtbot.waitUntil(lambda: {one.state for one in cards.files.rows} == {"equal"}, timeout=10_000)
    assert "machine.sqlite" in window.notice.text() and cards.says.text().startswith("Not yet")


def test_the_folder_of_a_kit_is_a_whole_path_and_the_newest_look_counts(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kits, planned, go_on = window.storage.kits, kit_panel.plan_kit, threading.Event()
    choose_last(qtbot, window.storage, 3)

    def types(text: str) -> None:
        kits.folder.setFocus()
        kits.folder.selectAll()
        qtbot.keyClicks(kits.folder, text)
        qtbot.keyClick(kits.folder, Key.Key_Return)

    types(str(place / "kit"))
    qtbot.waitUntil(kits.make.isEnabled, timeout=20_000)
    for text in ("kit", "~nobody here/kit"):
        types(text)
        assert kits.says.text() == "Name the whole path of a folder." and not kits.make.isEnabled()

    def slow(request: KitRequest) -> KitPlan:
        go_on.wait(20.0)
        return planned(request)

    came: list[int] = []
    looked = kits._looked

    def looked_at(number: int, plan: KitPlan, known: bool) -> None:
        looked(number, plan, known)
        came.append(number)

    monkeypatch.setattr(kit_panel, "plan_kit", slow)
    monkeypatch.setattr(kits, "_looked", looked_at)
    types(str(place / "kit"))
    kits.folder.clear()
    kits.look()
    go_on.set()
    qtbot.waitUntil(lambda: bool(came), timeout=10_000)
    assert kits.says.text() == "Choose a folder for the kit." and not kits.make.isEnabled()
    types("~")
    assert kits.request is not None and kits.request.folder == Path.home()


def test_a_shelf_is_read_and_mended(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    storage = window.storage
    choose(qtbot, storage, "Attic")
    hurt = some_file(place / "Attic", random.Random(2))
    whole = hurt.read_bytes()
    one_byte(hurt, random.Random(2))
    qtbot.mouseClick(storage.shelf.read, LEFT)
    qtbot.waitUntil(lambda: "1 damaged" in storage.shelf.last.text(), timeout=60_000)
    assert storage.shelf.found.isVisible()
    qtbot.mouseClick(storage.shelf.found, LEFT)
    dialog = storage.dialog
    assert isinstance(dialog, KeptDialog)
    qtbot.waitUntil(dialog.put.isEnabled, timeout=20_000)
    assert surfaces.faults_in_both_looks(dialog) == []
    go_on, restored = threading.Event(), kept_dialog.put_back

    def waits(request: PutBackRequest, report: Callable[[float], None]) -> Path | None:
        report(0.43)
        go_on.wait(20.0)
        return restored(request, report)

    monkeypatch.setattr(kept_dialog, "put_back", waits)
    qtbot.mouseClick(dialog.put, LEFT)
    qtbot.waitUntil(lambda: dialog.says.text() == f"Restoring {dialog.model.rows[0].path}: 43%", timeout=10_000)
    go_on.set()
    qtbot.waitUntil(lambda: dialog.model.rows[0].state == "in place", timeout=20_000)
    qtbot.waitUntil(lambda: dialog.says.text().startswith("1 file was put in place"), timeout=10_000)
    assert hurt.read_bytes() == whole and "damaged one is" in dialog.model.rows[0].note
    dialog.reject()
    storage.shelf.plan.setFocus()
    qtbot.keyClick(storage.shelf.plan, Key.Key_Down)
    storage.shelf.plan.activated.emit(storage.shelf.plan.currentIndex())
    qtbot.waitUntil(lambda: plan_of(place / "Attic").weeks == 1, timeout=10_000)


def test_a_shelf_that_is_away_and_this_machine(qtbot: QtBot, window: MainWindow, place: Path) -> None:
    storage = window.storage
    (place / "Laptop").rename(place.with_name(".gone"))
    try:
        qtbot.mouseClick(storage.again, LEFT)
        qtbot.waitUntil(lambda: any(not row.state.present for row in storage.rows), timeout=20_000)
        number = next(n for n, row in enumerate(storage.rows) if not row.state.present)
        storage.list.setCurrentRow(number)
        assert "Not there" in storage.shelf.says.text() and not storage.shelf.read.isEnabled()
        assert "not connected" in storage.shelf.way.text() and not storage.shelf.picture.tiles
    finally:
        place.with_name(".gone").rename(place / "Laptop")
    choose_last(qtbot, storage, 1)
    machine = storage.machine
    qtbot.waitUntil(lambda: machine.projects.rowCount() >= 1, timeout=20_000)
    assert machine.projects.rows[0].clips == len(window.work.session.project.clips)
    assert {one.name for one in machine.stores.rows} >= {"Posters", "Waveforms", "Logs"}
    machine.limit.setValue(0.5)
    qtbot.mouseClick(machine.tidy, LEFT)
    qtbot.waitUntil(lambda: "limit" in window.notice.text() or "went" in window.notice.text(), timeout=10_000)


def test_a_shelf_that_is_there_in_part_says_how_much_of_it_is(
    qtbot: QtBot, window: MainWindow, place: Path
) -> None:
    storage = window.storage
    proxies = sorted((place / "Laptop").rglob("*.mov"))
    moved = [path.rename(path.with_suffix(".elsewhere")) for path in proxies[:2]]
    qtbot.mouseClick(storage.again, LEFT)
    qtbot.waitUntil(lambda: any(row.missing for row in storage.rows), timeout=20_000)
    assert {row.state.shelf.name: row.missing for row in storage.rows if row.missing} == {"Laptop": 2}
    storage.choose(next(row.state.shelf.id for row in storage.rows if row.missing))
    says = storage.shelf.says
    assert says.text().startswith(f"{len(proxies) - 2} of {len(proxies)} files of this project are here, 2 are not")
    assert says.objectName() == "warn" and storage.shelf.read.isEnabled()
    for path in moved:
        path.rename(path.with_suffix(".mov"))
    qtbot.mouseClick(storage.again, LEFT)
    qtbot.waitUntil(lambda: not any(row.missing for row in storage.rows), timeout=20_000)
    assert "are here" not in says.text() and says.objectName() == "quiet"


def test_a_kit_is_made_and_comes_home(qtbot: QtBot, window: MainWindow, place: Path) -> None:
    storage, session = window.storage, window.work.session
    clips = [clip for clip in session.project.clips if clip.proxies]

    def cut(project: Project) -> Project:
        project = project.with_timeline_settings_of(clips[0])
        return project.but(timeline=append(append(project.timeline, clips[0].piece()), clips[1].piece()))

    session.edit("Cut", cut)
    choose_last(qtbot, storage, 3)
    kits = storage.kits
    kits.folder.setFocus()
    qtbot.keyClicks(kits.folder, str(place / "kit"))
    qtbot.keyClick(kits.folder, Key.Key_Return)
    qtbot.waitUntil(kits.make.isEnabled, timeout=20_000)
    assert "fits" in kits.says.text() and kits.make.text() == "Make the kit" and not kits.home.isEnabled()
    qtbot.mouseClick(kits.make, LEFT)
    qtbot.waitUntil(lambda: "kit is whole" in window.notice.text() and kits.home.isEnabled(), timeout=60_000)
    assert kits.make.text() == "Bring it up to date" and kits.make.isEnabled()
    road = open_kit(place / "kit")
    document = load_project(road)
    row = document.timeline.pictures[0]
    blocks = (replace(row.blocks[0], length=row.blocks[0].length - 3), *row.blocks[1:])
    line = document.timeline.with_tracks(replace(row, blocks=blocks))
    save_project(document.but(timeline=replace(line, name="From the road")), road)

    def trim(project: Project) -> Project:
        own = project.timeline.pictures[0]
        shorter = replace(own.blocks[0], length=own.blocks[0].length - 7)
        return project.but(timeline=project.timeline.with_tracks(replace(own, blocks=(shorter, *own.blocks[1:]))))

    session.edit("Trim", trim)
    mine = session.project.cut
    qtbot.mouseClick(kits.home, LEFT)
    dialog = kits.dialog
    assert isinstance(dialog, KitHomeDialog)
    qtbot.waitUntil(dialog.bring.isEnabled, timeout=20_000)
    assert dialog.conflicts.count() == 1 and "both sides" in dialog.says.text()
    assert surfaces.faults_in_both_looks(dialog) == []
    box = dialog.conflicts.visualItemRect(dialog.conflicts.item(0))
    qtbot.mouseClick(dialog.conflicts.viewport(), LEFT, pos=QPoint(box.left() + 10, box.center().y()))
    assert dialog.chosen
    qtbot.mouseClick(dialog.bring, LEFT)
    qtbot.waitUntil(lambda: session.project.timeline.name == "From the road", timeout=20_000)
    assert session.project.timeline.pictures[0].blocks[0].length == blocks[0].length
    session.undo()
    assert session.project.cut == mine


def test_what_was_shot_on_the_road_comes_home_and_stays_when_the_cut_is_undone(
    qtbot: QtBot, place: Path, tmp_path: Path, open_window: Opener
) -> None:
    cut(place / "film.otio")
    make_kit(KitRequest(load_project(place / "film.otio"), place / "kit"), lambda _done: None)
    card = road_card(place, tmp_path / "Road card")
    from_the_road(place / "kit", card)
    window = open_window(place / "film.otio")
    go(qtbot, window, "Storage")
    storage, session = window.storage, window.work.session
    storage.choose("kits")
    storage.kits.folder.setFocus()
    qtbot.keyClicks(storage.kits.folder, str(place / "kit"))
    qtbot.keyClick(storage.kits.folder, Key.Key_Return)
    qtbot.waitUntil(storage.kits.home.isEnabled, timeout=20_000)
    before = session.project.cut
    qtbot.mouseClick(storage.kits.home, LEFT)
    dialog = storage.kits.dialog
    assert isinstance(dialog, KitHomeDialog)
    qtbot.waitUntil(dialog.bring.isEnabled, timeout=20_000)
    assert [dialog.clips.item(row).text() for row in range(dialog.clips.count())] == ["ROAD_0001"]
    assert "1 clip from the road" in dialog.says.text()
    qtbot.mouseClick(dialog.bring, LEFT)
    qtbot.waitUntil(lambda: "1 clip came home, read back and equal" in window.notice.text(), timeout=60_000)
    (came,) = [clip for clip in session.project.clips if clip.name == "ROAD_0001"]
    path = session.project.path(came.original.file)
    assert path is not None and path.read_bytes() == (card / "ROAD_0001.MTS").read_bytes()
    assert session.project.timeline.pictures[0].blocks[-1].clip == came.id
    session.undo()
    assert session.project.timeline == before.timeline and came in session.project.clips and path.exists()


def test_a_drive_that_goes_is_noticed_and_comes_back(qtbot: QtBot, window: MainWindow, place: Path) -> None:
    window.work.session.edit("Switch", lambda project: project.but(showing="originals"))
    hidden = place.with_name(".away")
    qtbot.waitUntil(lambda: "on originals" in window.strip.counts.text(), timeout=10_000)
    (place / "Boathouse").rename(hidden)
    try:
        qtbot.waitUntil(lambda: window.strip.counts.text().startswith("Boathouse is away"), timeout=10_000)
        assert "on proxies" in window.strip.counts.text()
    finally:
        hidden.rename(place / "Boathouse")
    qtbot.waitUntil(lambda: "away" not in window.strip.counts.text(), timeout=10_000)


def test_a_drive_that_hangs_does_not_hold_the_window(
    qtbot: QtBot, place: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    drive = Slow()
    monkeypatch.setattr(attending, "drives", lambda: drive)
    window = open_window(place / "film.otio")
    longest, last = [0.0], [time.monotonic()]

    def beat() -> None:
        now = time.monotonic()
        longest[0], last[0] = max(longest[0], now - last[0]), now

    timer = QTimer()
    timer.setInterval(5)
    timer.timeout.connect(beat)
    try:
        qtbot.waitUntil(lambda: "have a proxy" in window.strip.counts.text(), timeout=10_000)
        last[0] = time.monotonic()
        timer.start()
        drive.hanging = place / "Boathouse"
        qtbot.waitUntil(lambda: window.strip.counts.text().startswith("Boathouse is away"), timeout=10_000)
        go(qtbot, window, "Timeline")
        go(qtbot, window, "Pairs")
        timer.stop()
        assert longest[0] < 1.0  # a look at one drive would take thirty seconds
    finally:
        drive.free_again.set()
    drive.hanging = None
    qtbot.waitUntil(lambda: "away" not in window.strip.counts.text(), timeout=10_000)


def test_dialogs_that_are_closed_at_once_leave_nothing(qtbot: QtBot, window: MainWindow, place: Path) -> None:
    storage = window.storage
    make_kit(KitRequest(window.work.session.project, place / "kit"), lambda done: None)
    storage.open_tidy()
    dialog = storage.dialog
    assert isinstance(dialog, TidyDialog)
    qtbot.mouseClick(dialog.close_, LEFT)
    storage.kits.folder.setText(str(place / "kit"))
    storage.kits.open_home()
    coming = storage.kits.dialog
    assert coming is not None
    qtbot.mouseClick(coming.close_, LEFT)
    lost = Lost("gone.mov", "missing", "xxh128", "00")
    result = KeepResult("s", str(place / "Attic"), 0.0, 1.0, 1, 1, 0, (lost,))
    row = next(one for one in storage.rows if one.state.shelf.name == "Attic")
    storage.show_kept(replace(row, kept=result))
    kept = storage.dialog
    assert isinstance(kept, KeptDialog)
    qtbot.mouseClick(kept.close_, LEFT)
    answers: list[int] = []
    window.work.in_background(lambda: 1, answers.append)
    qtbot.waitUntil(lambda: answers == [1] and storage.dialog is None, timeout=10_000)
    assert find_items(window.work.session.project)[0]
