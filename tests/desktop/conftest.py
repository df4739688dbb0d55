"""The real main window on real small footage."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from agile_shadow.core.jobs import JobStore
from agile_shadow.core.project import ProjectSession
from agile_shadow.desktop.folders import Folders
from agile_shadow.desktop.starting import folders_for, make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work

if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

Opener = Callable[..., MainWindow]
_closed: list[MainWindow] = []
_GRACE = 10.0  # seconds that a thread may take to end after its test


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Warnings of the toolkit are faults, but for what the platform that draws nowhere says of itself."""
    for item in items:
        if Path(__file__).parent in item.path.parents:
            item.add_marker(pytest.mark.qt_log_level_fail("WARNING"))
            item.add_marker(pytest.mark.qt_log_ignore("This plugin does not support"))


@pytest.fixture(scope="session")
def qapp() -> Iterator[QApplication]:
    yield make_app(["agile-shadow"])


@pytest.fixture
def open_window(qtbot: QtBot) -> Iterator[Opener]:
    """Opens windows and closes them at the end."""
    opened: list[MainWindow] = []

    def opener(project: Path, source: Path | None = None) -> MainWindow:
        work = Work(ProjectSession.open(project), JobStore())
        base = folders_for(project, False)
        window = MainWindow(
            work,
            Folders(source, base.originals, base.proxies, base.exports, base.second),
            start_sound=False,
            measure=False,
        )
        opened.append(window)
        window.show()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        return window

    yield opener
    for window in opened:
        window.closing.asks = False  # nobody is there to answer
        if window.work.ingest is not None:
            window.work.ingest.stop(for_good=True)
        window.close()
        _closed.append(window)


@pytest.fixture(autouse=True)
def no_thread_outlives_its_test(request: pytest.FixtureRequest) -> Iterator[None]:
    """What a window starts ends with it: threads that go on are the beginning of a suite that never ends."""
    before = set(threading.enumerate())
    yield
    end = time.monotonic() + _GRACE
    while (left := [one for one in threading.enumerate() if one not in before and _counts(one)]) and (
        time.monotonic() < end
    ):
        QApplication.processEvents()
        left[0].join(0.05)
    assert left == [], f"these threads outlived the test: {[one.name for one in left]}"
    while _closed:  # a window that stays is drawn anew with every change of the look
        _closed.pop().dispose()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def _counts(thread: threading.Thread) -> bool:
    return thread.is_alive() and not thread.name.startswith(("Dummy", "asyncio", "ThreadPool", "execnet"))
