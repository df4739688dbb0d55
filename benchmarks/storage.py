"""Storage: how fast a large shelf is counted, against the plain command, and what the window feels of it."""

from __future__ import annotations

import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from agile_shadow.core.project import ProjectSession
from agile_shadow.core.shelves import Shelf
from agile_shadow.core.storage import RoomRequest, measure_room
from agile_shadow.desktop.folders import Folders
from agile_shadow.desktop.starting import make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from window import Stretch, pause, until

_FILES = 200_000  # as a rule


def quiet(done: float) -> None:
    pass


def many_files(root: Path, count: int) -> Path:
    """A shelf of small files, a hundred in a folder."""
    for number in range(count // 100):
        folder = root / f"reel {number // 50:02d}" / f"shot {number:04d}"
        folder.mkdir(parents=True)
        for part in range(100):
            (folder / f"{part:03d}.dpx").write_bytes(b"x" * (part * 40))
    return root


def measure_storage(folder: Path, files: int = _FILES) -> Iterator[tuple[str, float, float, str]]:
    """What, value, wanted, unit of each measurement."""
    root = many_files(folder / "Boathouse", files)
    request = RoomRequest(root, (), folder / "none.otio")
    begun = time.perf_counter()
    said = subprocess.run(["du", "-sxB1", root], capture_output=True, text=True, check=True).stdout
    plain = time.perf_counter() - begun
    times = []
    for _ in range(4):
        begun = time.perf_counter()
        room = measure_room(request, quiet)
        times.append(time.perf_counter() - begun)
    apart = abs(room.whole.room - int(said.split()[0]))
    yield f"bytes by which the picture of {files:,} files differs from du", apart, 0, ""
    yield f"{files:,} files counted the first time", times[0], files / 10_000, " s"
    yield f"{files:,} files counted again", min(times[1:]), files / 200_000, " s"
    yield f"{files:,} files counted, against du", min(times) / plain, 5, ""
    yield from _in_the_window(folder, root)


def _in_the_window(folder: Path, root: Path) -> Iterator[tuple[str, float, float, str]]:
    app = make_app(["bench"])
    session = ProjectSession.open(folder / "film" / "Storage.otio")
    shelf = Shelf("s1", "Boathouse", "originals", root)
    session.absorb(lambda footage: footage.with_shelf_replaced(shelf))
    window = MainWindow(Work(session), Folders(None, root, folder / "Laptop", folder), False)
    window.show()
    pause(0.5)
    window.command("place_6")
    until(lambda: window.storage.shelf.room is not None, 60)
    watch = Stretch()
    for _ in range(3):
        window.storage.rooms.clear()
        window.storage.shelf.show_room(None)
        assert window.storage.shelf.row is not None
        window.storage.count(window.storage.shelf.row)
        until(lambda: window.storage.shelf.room is not None, 60)
    watch.stop()
    yield "the interface thread while they are counted, 99th percentile", float(
        np.percentile(watch.gaps, 99)
    ), 16, " ms"
    yield "the same, longest", watch.longest, 50, " ms"
    window.close()
    app.processEvents()
