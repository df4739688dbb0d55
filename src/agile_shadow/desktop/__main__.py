"""Start the window: ``python -m agile_shadow.desktop [--demo] [PROJECT]``."""

from __future__ import annotations

import argparse
import ctypes
import logging
import os
import signal
import sys
import threading
from contextlib import suppress
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QApplication, QMessageBox

from ..core.errors import ShadowError, sentence
from ..core.kit import is_kit, open_kit
from ..core.log import cache_folder, set_up_logging
from ..core.project import ProjectLock, ProjectSession
from ..core.project.lock import WINDOW, WITHOUT_WINDOW
from ..core.stand_ins import missing_from_card
from ..core.stand_ins.reader import StandInDrive
from ..core.state import what_was_set_aside
from ..core.threads import told_of_all
from . import theme
from .folders import Folders
from .garbage import Garbage, forget_dead
from .window import MainWindow
from .work import Work

_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
_LARGE = 1 << 20  # bytes
_PATIENCE = 20.0  # seconds for work without a window to come to a stop
_SWITCH = 0.001  # seconds after which a thread that computes lets the interface thread in


def demo_folder() -> Path:
    """Where the demo lives; made again when deleted."""
    return cache_folder() / "demo"


def demo_drive() -> StandInDrive:
    """The demo's card in its simulated reader."""
    return StandInDrive(demo_folder() / "Card", demo_folder() / "card reader.json")


def put_demo_card_in() -> StandInDrive:
    """Begin with the demo's card in its reader, whatever the last start left, and have all processes see it."""
    drive = demo_drive()
    os.environ.update(drive.environment())
    drive.insert()
    drive.behave(speed=0.0)
    return drive


def folders_for(project: Path, demo: bool) -> Folders:
    """The folders that the places begin with."""
    home = project.parent
    if demo:
        return Folders(home / "Card", home / "Boathouse", home / "Laptop", home, home / "Second copies")
    return Folders(None, home / "Originals", home / "Proxies", home, home / "Second copies")


def open_window(project: Path, demo: bool = False, ready_made: str | None = None) -> MainWindow:
    """A window on a project file; begun where there is none. Raises ShadowError."""
    lock, went_on = take_project(project)
    try:
        work = Work(ProjectSession.open(project, ready_made), lock=lock)
    except ShadowError:
        lock.release()
        raise
    window = MainWindow(work, folders_for(project, demo))
    if demo:
        window.project_menu.add_demo_drive(demo_drive())
    if demo and missing_from_card(project.parent / "Card"):
        work.draw_demo_card(project.parent / "Card")
    work.resume_open_jobs()
    work.mind()
    if went_on and work.ingest is not None:
        window.tell("The ingest that went on without a window goes on here now.", calm=True)
    return window


def take_project(project: Path) -> tuple[ProjectLock, bool]:
    """The project for this window alone, and whether it was taken over from work that went on without one.

    Raises ShadowError when another program has it.
    """
    lock = ProjectLock(project)
    if lock.take(WINDOW):
        return lock, False
    holder = lock.holder()
    if holder is not None and holder.role == WITHOUT_WINDOW:
        with suppress(ProcessLookupError):
            os.kill(holder.process, signal.SIGTERM)
    if lock.take(WINDOW, _PATIENCE if holder is None or holder.role == WITHOUT_WINDOW else 1.0):
        return lock, True
    who = f" (process {holder.process})" if holder is not None else ""
    what = "in another window" if holder is not None and holder.role == WINDOW else "by a command"
    raise ShadowError(f"is open {what}{who}", project, "Close that one, or wait for its end.")


def _give_memory_back() -> None:
    """Have large blocks (frames) returned to the system when they are freed, instead of kept in each thread's share.

    mallopt(3) of the GNU C library; other libraries ignore it or lack it, and nothing depends on it.
    """
    try:
        library = ctypes.CDLL(None)
        library.mallopt(_M_MMAP_THRESHOLD, _LARGE)
        library.mallopt(_M_ARENA_MAX, 2)
    except (OSError, AttributeError):
        return


def make_app(arguments: list[str]) -> QApplication:
    """The application with its faces and colours."""
    _give_memory_back()
    sys.setswitchinterval(_SWITCH)
    app = QApplication(arguments)
    app.setApplicationName("Agile Shadow")
    Garbage(app)
    app.setStyle("Fusion")
    theme.load_fonts()
    theme.apply_theme(app, theme.INK)
    return app


def _show_problem(work: Work, text: str) -> None:
    work.call_here(lambda: work.problem.emit(text))


def main() -> int:
    """Entry point."""
    parser = argparse.ArgumentParser(prog="agile-shadow window", description="The window of Agile Shadow.")
    parser.add_argument("project", nargs="?", type=Path, help="project file (.otio), or folder of a travel kit")
    parser.add_argument("--demo", action="store_true", help="open the demo project")
    chosen = parser.parse_args()
    set_up_logging()
    if chosen.demo:
        project = demo_folder() / "The Tern Ferry.otio"
        put_demo_card_in()
    else:
        project = chosen.project or Path.home() / "Agile Shadow" / "First project.otio"
    app = make_app(sys.argv[:1])
    demo = chosen.demo
    ready_made: str | None = None
    while True:
        try:
            project = open_kit(project.absolute()) if is_kit(project) else project
            window = open_window(project, demo, ready_made)
        except ShadowError as error:
            QMessageBox.critical(None, "Agile Shadow", sentence(error))
            return 1
        window.show()
        told_of_all(partial(_show_problem, window.work))
        for text in what_was_set_aside():
            window.tell(text)
        status = app.exec()
        if window.reopen_with is None:
            return status
        project, demo, ready_made = window.reopen_with, False, window.ready_made
        window.dispose()
        del window
        forget_dead()


def leave(status: int) -> None:
    """End the process: a thread that waits for a drive for ever does not keep it."""
    others = (thread for thread in threading.enumerate() if thread is not threading.main_thread())
    hangs = [thread.name for thread in others if not thread.daemon]
    if hangs:
        logging.getLogger(__name__).warning("left while these went on: %s", hangs)
        logging.shutdown()
        os._exit(status)
    sys.exit(status)


if __name__ == "__main__":
    leave(main())
