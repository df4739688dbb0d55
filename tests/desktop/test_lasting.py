"""What the window does when things go wrong: closing, saving, drives that go and come, folders that were chosen."""

from __future__ import annotations

import gc
import shutil
import threading
import time
import weakref
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from agile_shadow.core.errors import ProjectError
from agile_shadow.core.project import load_project, ready_made_projects, save_ready_made
from agile_shadow.core.project import session as session_module
from agile_shadow.core.threads import told_of_all
from agile_shadow.desktop import closing as closing_module
from agile_shadow.desktop import garbage as garbage_module
from agile_shadow.desktop import starting as start
from agile_shadow.desktop.garbage import Garbage, forget_dead
from agile_shadow.desktop.places.export import place as export_module
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener

LEFT = Qt.MouseButton.LeftButton


def go(qtbot: QtBot, window: MainWindow, place: str) -> None:
    qtbot.mouseClick(window.rail.buttons[place], LEFT)


def when_asked(*answers: str | Callable[[QMessageBox], None]) -> list[str]:
    """Press buttons of the questions to come, one after the other; the texts that were shown."""
    seen: list[str] = []
    waiting = list(answers)

    def look() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox) and waiting:
            seen.append(f"{box.windowTitle()}: {box.text()} {box.informativeText()}")
            answer = waiting.pop(0)
            text = answer if isinstance(answer, str) else ""
            if not isinstance(answer, str):
                answer(box)
            button = next((one for one in box.findChildren(QPushButton) if one.text() == text), None)
            assert button is not None or not text, [one.text() for one in box.findChildren(QPushButton)]
            if button is not None:
                QTest.mouseClick(button, LEFT)
        if waiting:
            QTimer.singleShot(30, look)

    QTimer.singleShot(30, look)
    return seen


class Broken:
    """Saving that fails as on a drive that is gone, until it is mended."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.on = True
        real = session_module.save_project

        def save(project: Any, path: Path, memo: Any = None) -> None:
            if self.on and path.parent.name != "elsewhere":
                raise ProjectError("the drive is not connected", path, "Connect it again, then retry.")
            real(project, path, memo)

        monkeypatch.setattr(session_module, "save_project", save)


def edited(window: MainWindow) -> None:
    window.work.session.edit("", lambda project: project.with_new_timeline())


def test_a_project_that_cannot_be_saved_stays_open(
    qtbot: QtBot, film: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    window = open_window(film)
    broken = Broken(monkeypatch)
    edited(window)
    seen = when_asked("Keep open")
    assert not window.close() and window.isVisible() and "the drive is not connected" in seen[0]
    assert window.work.session.project.others and not window.work.session.is_saved
    go(qtbot, window, "Timeline")  # everything goes on
    edited(window)

    def mend(_box: QMessageBox) -> None:
        broken.on = False

    seen = when_asked(mend, "Retry")
    assert window.close() and len(seen) == 2
    assert len(load_project(film).others) == 2


def test_it_can_be_saved_elsewhere_or_closed_without(
    qtbot: QtBot, film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    elsewhere = tmp_path / "elsewhere" / "rescued.otio"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(elsewhere), ""))
    window = open_window(film)
    Broken(monkeypatch)
    edited(window)
    when_asked("Save elsewhere…")
    assert window.close() and load_project(elsewhere).others and not load_project(film).others
    again = open_window(film)
    edited(again)
    when_asked("Close without saving", "Close without saving")
    assert again.close() and not load_project(film).others


def test_a_failing_save_is_told_in_the_strip_and_mended_by_itself(
    qtbot: QtBot, film: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    monkeypatch.setattr(session_module, "_LOOK", 0.2)
    window = open_window(film)
    broken = Broken(monkeypatch)
    edited(window)
    qtbot.waitUntil(lambda: window.strip.saved.text() == "not saved", timeout=10_000)
    assert "the drive is not connected" in window.notice.text()
    broken.on = False
    qtbot.waitUntil(lambda: window.strip.saved.text() == "saved", timeout=10_000)


@pytest.mark.parametrize("what", ["saving", "ending"])
def test_closing_never_waits_for_ever(
    qtbot: QtBot, film: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener, what: str
) -> None:
    window = open_window(film)
    monkeypatch.setattr(closing_module, "_SAVING", 0.3)
    monkeypatch.setattr(closing_module, "_ENDING", 0.3)
    free = threading.Event()
    if what == "saving":
        monkeypatch.setattr(window.work.session, "save", lambda: free.wait(60))
    else:
        window.work.at_the_end(lambda _limit: free.wait(60))
    seen = when_asked(*["Close without saving"] * (2 if what == "saving" else 0))
    begun = time.monotonic()
    assert window.close() and time.monotonic() - begun < 12
    free.set()
    assert all("takes longer" in text for text in seen) and len(seen) == (2 if what == "saving" else 0)


def test_a_window_that_was_closed_for_another_project_is_gone(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    gc.collect()
    gc.freeze()
    window = open_window(film)
    gc.freeze()  # as the collector of the application does it now and then
    session = weakref.ref(window.work.session)
    window.close()
    open_window.__closure__[0].cell_contents.clear()  # type: ignore[index,attr-defined]  # the fixture's own list
    window.dispose()
    del window
    qtbot.waitUntil(lambda: (forget_dead() or session()) is None, timeout=10_000)


def test_a_process_that_leaves_waits_for_no_thread(monkeypatch: pytest.MonkeyPatch) -> None:
    left: list[int] = []
    monkeypatch.setattr(start.os, "_exit", left.append)
    free = threading.Event()
    threads = [threading.Thread(target=free.wait, daemon=True), threading.Thread(target=free.wait, daemon=False)]
    for number, thread in enumerate(threads):
        thread.start()
        monkeypatch.setattr(start.threading, "enumerate", lambda thread=thread: [threading.main_thread(), thread])
        with pytest.raises(SystemExit):
            start.leave(number)
    free.set()
    assert left == [1]  # the second one would be waited for


@pytest.mark.plants_errors
def test_whatever_background_work_raises_is_told(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)

    def fail() -> None:
        raise ZeroDivisionError("planted")

    window.work.in_background(fail, lambda _answer: None)
    qtbot.waitUntil(lambda: "planted" in window.notice.text(), timeout=5_000)
    window.work.call_here(fail)  # an answer that stumbles: the next one is taken all the same
    came: list[int] = []
    window.work.call_here(lambda: came.append(1))
    qtbot.waitUntil(lambda: came == [1], timeout=5_000)
    before = threading.excepthook
    told_of_all(lambda text: window.work.call_here(lambda: window.work.problem.emit(text)))
    try:
        threading.Thread(target=fail, name="a planted thread").start()
        qtbot.waitUntil(lambda: "a planted thread" in window.notice.text(), timeout=5_000)
    finally:
        threading.excepthook = before


def test_a_shelf_that_goes_and_comes_is_seen_by_every_place(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    window.presence._every = 0.2
    go(qtbot, window, "Pairs")
    rows = window.pairs.model.rows
    qtbot.waitUntil(lambda: len(rows) > 5, timeout=5_000)
    shelf = film.parent / "Laptop"
    shelf.rename(film.parent / "away")
    qtbot.waitUntil(lambda: all(row.proxy_missing for row in window.pairs.model.rows if row.proxy), timeout=10_000)
    window.work.session.edit("", lambda project: project.but(showing="proxies"))
    told = "Laptop is away: 8 on originals"
    qtbot.waitUntil(lambda: window.strip.counts.text() == told, timeout=5_000)
    (film.parent / "away").rename(shelf)
    qtbot.waitUntil(lambda: not any(row.proxy_missing for row in window.pairs.model.rows), timeout=10_000)
    qtbot.waitUntil(lambda: window.strip.counts.text() == "8 on proxies", timeout=5_000)
    go(qtbot, window, "Timeline")
    shelf.rename(film.parent / "away")
    presence = window.timeline.panel.player.presence
    qtbot.waitUntil(lambda: presence.any_missing, timeout=10_000)
    (film.parent / "away").rename(shelf)
    qtbot.waitUntil(lambda: not presence.any_missing, timeout=10_000)


def typed(edit: QLineEdit, text: str) -> None:
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text) if text else QTest.keyClick(edit, Qt.Key.Key_Delete)
    QTest.keyClick(edit, Qt.Key.Key_Return)


def test_folders_and_preset_that_were_chosen_are_kept(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    project = tmp_path / "film" / "p.otio"
    window = open_window(project, card)
    place = window.ingest
    place.card.preset.setCurrentText("Small files, quarter size")
    place.card.preset.activated.emit(place.card.preset.currentIndex())
    typed(place.card.originals, str(tmp_path / "big drive" / "Boathouse"))
    typed(place.card.proxies, str(tmp_path / "Laptop"))
    assert not (tmp_path / "big drive").exists()  # nothing is made before it is needed
    window.close()
    again = open_window(project, card)
    assert again.ingest.card.originals.text() == str(tmp_path / "big drive" / "Boathouse")
    assert again.ingest.card.proxies.text() == str(tmp_path / "Laptop")
    assert again.ingest.card.preset.currentText() == "Small files, quarter size"
    save_ready_made(again.work.session.project, "set-up")
    again.close()
    assert ready_made_projects() == ["set-up"]
    from agile_shadow.core.project import ProjectSession

    other = tmp_path / "other" / "q.otio"
    ProjectSession.open(other, "set-up").close()
    third = open_window(other, card)
    assert third.ingest.card.originals.text() == str(tmp_path / "big drive" / "Boathouse")
    assert third.ingest.card.preset.currentText() == "Small files, quarter size"
    qtbot.waitUntil(lambda: third.ingest.card.start.isEnabled(), timeout=10_000)
    qtbot.mouseClick(third.ingest.card.start, LEFT)
    qtbot.waitUntil(lambda: len(third.work.session.project.reports) == 1, timeout=90_000)
    assert (tmp_path / "big drive" / "Boathouse").is_dir() and (tmp_path / "Laptop").is_dir()


def test_without_a_folder_for_originals_nothing_begins(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(tmp_path / "film" / "p.otio", card)
    place = window.ingest
    qtbot.waitUntil(lambda: place.card.start.isEnabled(), timeout=10_000)
    typed(place.card.originals, "")
    qtbot.waitUntil(lambda: not place.card.start.isEnabled(), timeout=10_000)
    assert "Choose a folder for originals" in place.card.start.toolTip()
    place._start()
    assert window.work.ingest is None and "Choose a folder" in window.notice.text()


def test_export_looks_at_the_originals_again_only_where_something_of_them_changed(
    qtbot: QtBot, film: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    looked: list[int] = []
    real = export_module.final_check

    def check(project: Any) -> Any:
        looked.append(1)
        return real(project)

    monkeypatch.setattr(export_module, "final_check", check)
    window = open_window(film)
    go(qtbot, window, "Export")
    qtbot.waitUntil(lambda: window.export.check is not None, timeout=5_000)
    before = len(looked)
    for _ in range(5):
        window.work.session.edit("", _flipped)
    assert len(looked) == before
    edited(window)
    qtbot.waitUntil(lambda: len(looked) == before + 1, timeout=5_000)


def _flipped(project: Any) -> Any:
    return project.but(showing="originals" if project.showing == "proxies" else "proxies")


def test_removed_proxies_are_brought_back_and_undo_never_shows_ruins(
    qtbot: QtBot, film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    from agile_shadow.core.upkeep import removing
    from tests.core.test_outside import into_a_trash_of_its_own

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr(removing, "into_trash", into_a_trash_of_its_own(tmp_path / "data" / "Trash"))
    window = open_window(film)
    window.presence._every = 0.2
    go(qtbot, window, "Pairs")
    model = window.pairs.model
    number = next(n for n, row in enumerate(model.rows) if row.clip.name == "PCK_0007")
    window.pairs.table.selectRow(number)
    edited(window)  # a step that undo takes back
    proxy = model.rows[number].proxy
    path = window.work.session.project.path(proxy.file)
    content = path.read_bytes()
    seen = when_asked("Move to trash")
    window.pairs.doing_with.remove()
    assert "Undo does not bring files back" in seen[0]
    qtbot.waitUntil(lambda: model.rows[number].proxy is None, timeout=10_000)
    qtbot.waitUntil(lambda: len(window.notice.buttons) == 1 and window.notice.isVisible(), timeout=5_000)
    assert not path.exists()
    window.work.session.undo()
    assert window.work.session.project.clip(model.rows[number].clip.id).proxies == ()
    qtbot.mouseClick(window.notice.buttons[0], LEFT)
    qtbot.waitUntil(lambda: model.rows[number].proxy is not None, timeout=10_000)
    assert path.read_bytes() == content
    qtbot.waitUntil(lambda: not model.rows[number].proxy_missing, timeout=10_000)
    shutil.rmtree(tmp_path / "data")


def test_much_that_is_new_is_collected_at_the_next_look_and_little_only_in_its_time(qapp: QApplication) -> None:
    parent = QObject()
    garbage = Garbage(parent)
    garbage._timer.stop()
    rings = [Ring()]
    for ring in rings:
        ring.me = ring
    dead = weakref.ref(rings.pop())
    del ring
    garbage._look()
    assert dead() is not None
    kept = [Ring() for _number in range(garbage_module._MUCH + 100)]
    garbage._look()
    assert dead() is None and len(kept) > 8000
    rings = [Ring()]
    rings[0].me = rings[0]
    dead = weakref.ref(rings.pop())
    for _turn in range(garbage_module._STEP):
        garbage._look()
    assert dead() is None


class Ring:
    """Something that only a collector frees."""

    me: Ring | None = None
