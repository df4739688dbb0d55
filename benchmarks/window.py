"""Measured in the real window: the switch, the interface thread, memory."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import psutil
from PySide6.QtCore import QEventLoop, QObject, Qt, QTimer
from PySide6.QtTest import QTest

from agile_shadow.core.presets import CODECS
from agile_shadow.core.project import ProjectSession
from agile_shadow.desktop.folders import Folders
from agile_shadow.desktop.starting import make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from footage import demo_card

_FLIPS, _PLACES = 40, 6


class Stretch(QObject):
    """The longest time the interface thread did not come back to its event loop, in milliseconds; peak memory in MB."""

    def __init__(self) -> None:
        super().__init__()
        self.longest = 0.0
        self.memory = 0.0
        self.gaps: list[float] = []
        self._last = time.perf_counter()
        self._process = psutil.Process()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._timer.start(2)

    def stop(self) -> None:
        """Measure no more."""
        self._timer.stop()
        self._timer.deleteLater()

    def _tick(self) -> None:
        now = time.perf_counter()
        gap = (now - self._last) * 1000 - 2
        self._last = now
        self.gaps.append(gap)
        self.longest = max(self.longest, gap)
        self.memory = max(self.memory, self._process.memory_info().rss / 1e6)


def until(done: Callable[[], bool], limit: float = 300.0) -> None:
    loop = QEventLoop()
    timer = QTimer()
    end = time.monotonic() + limit
    timer.timeout.connect(lambda: loop.quit() if done() or time.monotonic() > end else None)
    timer.start(1)
    if not done():
        loop.exec()


def pause(seconds: float) -> None:
    end = time.monotonic() + seconds
    until(lambda: time.monotonic() >= end)


def measure_window(folder: Path) -> Iterator[tuple[str, float, float, str]]:
    """What, value, wanted, unit of each measurement."""
    app = make_app(["bench"])
    project = folder / "film" / "Bench.otio"
    work = Work(ProjectSession.open(project))
    window = MainWindow(work, Folders(demo_card(), folder / "Boathouse", folder / "Laptop", folder), False)
    window.show()
    until(lambda: window.ingest.card.start.isEnabled())
    window.command("place_3")
    until(lambda: len(window.places.all_places()) == _PLACES, 60)  # what the window does by itself after it came
    pause(0.5)
    watch = Stretch()
    window.ingest.card.start.click()
    until(lambda: sum(1 for clip in work.session.project.clips if clip.proxies) >= 3)
    _play_a_while(window, watch)
    until(lambda: work.ingest is None)
    _play_a_while(window, watch)
    yield "longest busy stretch of the interface thread during ingest and play", watch.longest, 33, " ms"
    yield "memory of the window at ingest and play", watch.memory, 700, " MB"
    flips = sorted(_flips(window))
    yield "from key press to the other picture, on a proxy, 95th percentile", float(np.percentile(flips, 95)), 50, " ms"
    yield (
        "from a change in the preset's sentence to its numbers, 95th percentile",
        float(np.percentile(list(_changes(window)), 95)),
        100,
        " ms",
    )
    window.close()
    app.processEvents()


def _changes(window: MainWindow) -> Iterator[float]:
    """Milliseconds from choosing another codec to the numbers beside it being painted."""
    window.command("place_1")
    pause(0.5)
    place = window.presets
    box = place.sentence.fields["proxies.codec"].box
    for number in range(3 * len(CODECS)):
        begun = time.perf_counter()
        box.setCurrentIndex(number % box.count())
        place.outlook.table.viewport().repaint()
        yield 1000 * (time.perf_counter() - begun)


def _play_a_while(window: MainWindow, watch: Stretch) -> None:
    """Play every clip that has a proxy on both sides for a moment, flipping while it runs."""
    panel = window.pairs.panel
    for row in range(min(8, len(window.pairs.model.rows))):
        if window.pairs.model.rows[row].proxy is None:
            continue
        window.pairs.table.selectRow(row)
        QTest.keyClick(window, Qt.Key.Key_Space)
        pause(0.8)
        QTest.keyClick(window, Qt.Key.Key_Q)
        pause(0.8)
        panel.halt()


def _flips(window: MainWindow) -> Iterator[float]:
    """Milliseconds from the key to the proxy's picture being painted, from the original's side, at many frames."""
    panel = window.pairs.panel
    rows = [n for n, pair in enumerate(window.pairs.model.rows) if pair.proxy is not None]
    if window.work.session.project.showing != "originals":
        window.command("switch")
    for number in range(_FLIPS):
        row = rows[number % len(rows)]
        window.pairs.table.selectRow(row)
        panel.seek((number * 13) % panel.scrub.length)
        until(lambda: panel.viewer.mark_text.startswith("ORIGINAL") and "coming" not in panel.viewer.mark_text, 20)
        begun = time.perf_counter()
        QTest.keyClick(window, Qt.Key.Key_Q)
        until(lambda: panel.viewer.mark_text.startswith("PROXY") and "coming" not in panel.viewer.mark_text, 20)
        panel.viewer.repaint()
        yield (time.perf_counter() - begun) * 1000
        QTest.keyClick(window, Qt.Key.Key_Q)
