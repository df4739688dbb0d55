"""The interface thread while the originals' drive hangs: playing, scrubbing, saving, scrolling the ledger, closing.

The drive is a real mount whose server stops answering; nothing in the system says that it is gone.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import ProjectSession, load_project, save_project
from agile_shadow.core.timeline import append
from agile_shadow.desktop.starting import folders_for, make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from agile_shadow.stand_ins import draw_card
from hanging_drive import HangingDrive, why_not
from window import Stretch, pause, until

_LIMIT = 50
_HANGS = 24.0  # seconds of each scene, as a rule; the drive hangs on through all of them


def measure_hanging(folder: Path, seconds: float = _HANGS) -> Iterator[tuple[str, float, float, str]]:
    """What, value, wanted, unit of each measurement. ``seconds`` of each scene."""
    if reason := why_not():
        print(f"The hanging drive is left out: {reason}")
        return
    project = _project(folder)
    drive = folder / "Boathouse"
    behind = drive.rename(folder / "Boathouse behind")
    drive.mkdir()
    hanging = HangingDrive(behind, drive)
    app = make_app(["bench"])
    try:
        work = Work(ProjectSession.open(project))
        window = MainWindow(work, folders_for(project, False), start_sound=False, measure=False)
        window.resize(1280, 800)
        window.show()
        until(lambda: "on originals" in window.strip.counts.text(), 30)
        window.command("place_4")
        view = window.timeline.view
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view.x_of(1.5)), 25))
        until(lambda: window.timeline.panel.viewer.mark_text.startswith("ORIGINAL"), 30)
        before = dict(_scenes(window, seconds))
        hanging.say("hang")
        begun = time.perf_counter()
        until(lambda: window.strip.counts.text().startswith("Boathouse is away"), 30)
        yield "a drive hangs: the strip says that it is away", time.perf_counter() - begun, 2, " s"
        for name, longest in _scenes(window, seconds):
            what = f"longest stretch of the interface thread while the drive hangs, {name} (before: {before[name]:.0f})"
            yield what, longest, _LIMIT, " ms"
        window.closing.asks = False
        begun = time.perf_counter()
        window.close()
        app.processEvents()
        yield "closing while it hangs", time.perf_counter() - begun, 5, " s"
    finally:
        hanging.close()


def _project(folder: Path) -> Path:
    card = folder / "Card"
    draw_card(card, shrink=4)
    path = folder / "film" / "Hanging.otio"
    session = ProjectSession.open(path)
    half = Preset(name="Half", proxies=Proxies(codec="dnxhr-lb"))
    IngestRun(IngestRequest(card, folder / "Boathouse", folder / "Laptop", half), session, JobStore()).run()
    session.close()
    document = load_project(path)
    clips = [clip for clip in document.clips if clip.proxies]
    document = document.with_timeline_settings_of(clips[0])
    for clip in (*clips, *clips):
        document = document.but(timeline=append(document.timeline, clip.piece()))
    save_project(document.but(showing="originals"), path)
    return path


def _scenes(window: MainWindow, seconds: float) -> list[tuple[str, float]]:
    scenes = {"playing": _play, "scrubbing": _scrub, "saving": _save, "the ledger": _scroll, "other places": _go}
    found = []
    for name, scene in scenes.items():
        window.command("place_3" if name == "the ledger" else "place_4")
        pause(1)
        found.append((name, _longest(window, scene, seconds)))
    return found


def _longest(window: MainWindow, scene: Callable[[MainWindow, float], None], seconds: float) -> float:
    watch = Stretch()
    scene(window, seconds)
    watch.stop()
    return watch.longest


def _play(window: MainWindow, seconds: float) -> None:
    QTest.keyClick(window, Qt.Key.Key_Home)
    QTest.keyClick(window, Qt.Key.Key_Space)
    pause(seconds / 2)
    QTest.keyClick(window, Qt.Key.Key_Space)


def _scrub(window: MainWindow, seconds: float) -> None:
    panel = window.timeline.panel
    for number in range(60):
        panel.seek(number * panel.scrub.length // 60)
        pause(seconds / 240)


def _save(window: MainWindow, seconds: float) -> None:
    for number in range(4):
        window.work.session.edit("Marker", lambda project, at=number: project.but(timeline=project.timeline))
        QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        pause(seconds / 16)


def _scroll(window: MainWindow, seconds: float) -> None:
    table = window.pairs.table
    bar = table.verticalScrollBar()
    for number in range(30):
        bar.setValue(number % 2 * bar.maximum())
        table.selectRow(number % max(1, len(window.pairs.model.rows)))
        pause(seconds / 60)


def _go(window: MainWindow, seconds: float) -> None:
    for number in (5, 6, 2, 1, 4):
        window.command(f"place_{number}")
        pause(seconds / 12)
