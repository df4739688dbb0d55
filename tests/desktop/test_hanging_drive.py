"""The originals' drive hangs: a real mount whose server stops answering, nothing in the system says that it is gone.

Whatever of the window touched the drive itself would wait for ever here, and the test with it.
``./shadow bench hanging`` measures the interface thread meanwhile.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from benchmarks.hanging_drive import HangingDrive, why_not
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from agile_shadow.core.project import load_project, save_project
from agile_shadow.core.timeline import Marker, append
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener
from tests.desktop.test_lasting import go
from tests.desktop.test_timeline_place import seek

pytestmark = [pytest.mark.skipif(bool(why_not()), reason=why_not()), pytest.mark.timeout(120)]


@pytest.fixture
def film_on_a_drive(film: Path) -> Path:
    """A cut of originals, shown as such."""
    document = load_project(film)
    clips = [clip for clip in document.clips if clip.proxies]
    document = document.with_timeline_settings_of(clips[0])
    for clip in (*clips, *clips, *clips):
        document = document.but(timeline=append(document.timeline, clip.piece()))
    save_project(document.but(showing="originals"), film)
    return film


@pytest.fixture
def drive(film_on_a_drive: Path) -> Iterator[HangingDrive]:
    """The shelf of originals, mounted where it always was."""
    shelf = film_on_a_drive.parent / "Boathouse"
    behind = shelf.rename(shelf.with_name("behind"))
    shelf.mkdir()
    try:
        mounted = HangingDrive(behind, shelf)
    except OSError as error:
        pytest.skip(f"not mounted: {error}")
    yield mounted
    mounted.close()


def with_a_note(window: MainWindow) -> None:
    window.work.session.edit("Note", lambda project: project.but(
        timeline=replace(project.timeline, markers=(Marker(5, "while it hangs"),))
    ))  # fmt: skip


def shows_a_proxy(mark: str) -> bool:
    return mark.startswith("PROXY") and "coming" not in mark


def test_while_the_originals_drive_hangs_everything_else_goes_on(
    qtbot: QtBot, film_on_a_drive: Path, drive: HangingDrive, open_window: Opener
) -> None:
    window = open_window(film_on_a_drive)
    qtbot.waitUntil(lambda: "on originals" in window.strip.counts.text(), timeout=20_000)
    go(qtbot, window, "Timeline")
    panel = window.timeline.panel
    seek(qtbot, window, 1)
    qtbot.waitUntil(lambda: panel.viewer.mark_text.startswith("ORIGINAL"), timeout=20_000)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: panel.player.position > 3, timeout=20_000)
    drive.say("hang")
    qtbot.waitUntil(lambda: window.strip.counts.text().startswith("Boathouse is away"), timeout=20_000)
    assert window.strip.counts.text().endswith("8 on proxies, 3 cannot be shown or heard")
    qtbot.waitUntil(lambda: panel.viewer.mark_text.startswith("PROXY"), timeout=20_000)
    at = panel.player.position
    qtbot.waitUntil(lambda: panel.player.position > at + 10 or not panel.player.playing, timeout=20_000)
    if panel.player.playing:
        qtbot.keyClick(window, Qt.Key.Key_Space)
    for part in range(5):  # scrubbing shows what is not on the drive
        panel.seek(part * panel.scrub.length // 5)
        qtbot.waitUntil(lambda: shows_a_proxy(panel.viewer.mark_text), timeout=20_000)
    before = film_on_a_drive.stat().st_mtime_ns
    with_a_note(window)
    qtbot.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: film_on_a_drive.stat().st_mtime_ns != before, timeout=20_000)
    for place in ("Export", "Storage", "Ingest", "Presets", "Pairs"):
        go(qtbot, window, place)
    table = window.pairs.table
    for row in range(len(window.pairs.model.rows)):
        table.selectRow(row)
        table.scrollTo(window.pairs.model.index(row, 0))
    drive.say("go on")
    qtbot.waitUntil(lambda: "away" not in window.strip.counts.text(), timeout=20_000)
    qtbot.waitUntil(lambda: "on originals" in window.strip.counts.text(), timeout=20_000)
    assert load_project(film_on_a_drive).timeline.markers


def test_the_window_closes_while_the_drive_hangs(
    qtbot: QtBot, film_on_a_drive: Path, drive: HangingDrive, open_window: Opener
) -> None:
    window = open_window(film_on_a_drive)
    qtbot.waitUntil(lambda: "on originals" in window.strip.counts.text(), timeout=20_000)
    drive.say("hang")
    go(qtbot, window, "Timeline")
    window.timeline.panel.seek(20)
    with_a_note(window)
    window.closing.asks = False
    assert window.close()
    drive.say("go on")  # what waited for it ends now, which the fixture of threads looks for
    assert load_project(film_on_a_drive).timeline.markers, "saved before it closed"
