"""Starting the window: what is opened, what is set up before it, and how it ends."""

from __future__ import annotations

import argparse
import ctypes
import logging
import os
import signal
import sys
import threading
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PySide6.QtGui import QSessionManager
from PySide6.QtWidgets import QApplication, QMessageBox

from ..core.errors import ShadowError, StateError, sentence
from ..core.jobs.nursery import NURSERY
from ..core.kit import is_kit, open_kit
from ..core.log import cache_folder, set_up_logging
from ..core.project import ProjectLock, ProjectSession, known_projects
from ..core.project.lock import WINDOW, WITHOUT_WINDOW
from ..core.state import what_was_set_aside
from ..core.threads import told_of_all
from ..stand_ins import missing_from_card
from ..stand_ins.reader import StandInDrive
from . import theme
from .actions import use_keys
from .folders import Folders
from .garbage import Garbage, forget_dead
from .icon import app_icon
from .kept_look import KeptLook
from .key_map import load_keys
from .window import MainWindow
from .work import Work

_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
_LARGE = 1 << 20  # bytes
_PATIENCE = 20.0  # seconds for work without a window to come to a stop
log = logging.getLogger(__name__)
_LOOKED_AT = 5  # projects, the last first
_SOON = 2.0  # seconds for the last project to be found
_FIRST_WORK = "agile_shadow.core.ingest.settling"  # what the first worker that is asked for needs
_SWITCH = 0.0002  # seconds after which a thread that computes lets the interface thread in: a turn asks that often


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
    window.places.all_built.connect(lambda: NURSERY.prepare(_FIRST_WORK))
    work.resume_open_jobs()
    work.mind()
    if went_on and work.ingest is not None:
        window.tell("The ingest that ran without a window continues here.", calm=True)
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
    app.setDesktopFileName("agile-shadow")
    app.setWindowIcon(app_icon())
    Garbage(app)
    app.setStyle("Fusion")
    theme.load_fonts()
    theme.apply_theme(app, theme.PAPER if KeptLook().theme == "paper" else theme.INK)
    use_keys(load_keys())
    return app


def last_project() -> Path | None:
    """The project that was opened last and is there; None when there is none, or when it cannot be told soon."""
    found: list[Path] = []

    def look() -> None:
        with suppress(StateError, OSError):
            demo = demo_folder()
            known = [path for path, _when in known_projects() if demo not in path.parents]
            found.extend(path for path in known[:_LOOKED_AT] if path.is_file())

    thread = threading.Thread(target=look, name="last project", daemon=True)
    thread.start()
    thread.join(_SOON)  # its drive may not answer
    return found[0] if found else None


def _show_problem(work: Work, text: str) -> None:
    work.call_here(lambda: work.problem.emit(text))


def main() -> int:
    """Entry point."""
    parser = argparse.ArgumentParser(prog="agile-shadow window", description="The window of Agile Shadow.")
    parser.add_argument("file", nargs="?", type=Path, help="project (.otio), folder of a travel kit, or preset (.json)")
    parser.add_argument("--demo", action="store_true", help="open the demo project")
    chosen = parser.parse_args()
    set_up_logging()
    preset = chosen.file if chosen.file is not None and chosen.file.suffix.lower() == ".json" else None
    start = Start(chosen.file if preset is None else None, chosen.demo)
    app = make_app(sys.argv[:1])
    while True:
        try:
            window = open_window(start.path(), start.demo, start.ready_made)
        except ShadowError as error:
            QMessageBox.critical(None, "Agile Shadow", sentence(error))
            return 1
        window.show()
        told_of_all(partial(_show_problem, window.work))
        for text in what_was_set_aside():
            window.tell(text)
        _offer_first_steps(window, start.demo)
        if preset is not None:
            window.bring_preset(preset.absolute())
            preset = None
        ask = partial(_session_ends, window)
        app.commitDataRequest.connect(ask)
        status = app.exec()
        app.commitDataRequest.disconnect(ask)
        if window.reopen_with is None:
            return status
        start = Start(window.reopen_with, window.reopen_demo, window.ready_made)
        window.dispose()
        del window, ask
        forget_dead()


@dataclass(frozen=True)
class Start:
    """What is opened: a file or folder, the demo, or with none of them the last project; a template for a new one."""

    file: Path | None
    demo: bool = False
    ready_made: str | None = None

    def path(self) -> Path:
        """The project file. Raises ShadowError for a travel kit that cannot be used."""
        if self.demo:
            put_demo_card_in()
            return demo_folder() / "The Tern Ferry.otio"
        project = self.file or last_project() or Path.home() / "Agile Shadow" / "First project.otio"
        return open_kit(project.absolute()) if is_kit(project) else project.absolute()


def _offer_first_steps(window: MainWindow, demo: bool) -> None:
    """Once, where nothing has been brought in yet."""
    project = window.work.session.project
    if not demo and not window.kept.first_steps and not project.clips and not project.shelves:
        window.first_steps()


def _session_ends(window: MainWindow, manager: QSessionManager) -> None:
    """The desktop's session ends: the window asks as at closing, where it may; a no keeps the session."""
    if not manager.allowsInteraction():
        try:
            window.work.session.save_at_last()
        except ShadowError:  # nobody can be asked now; what was saved last stays
            log.warning("saving at the end of the session", exc_info=True)
    elif window.close():
        manager.release()
    else:
        manager.release()
        manager.cancel()


def leave(status: int) -> None:
    """End the process: a thread that waits for a drive for ever does not keep it."""
    others = (thread for thread in threading.enumerate() if thread is not threading.main_thread())
    hangs = [thread.name for thread in others if not thread.daemon]
    if hangs:
        logging.getLogger(__name__).warning("left while these went on: %s", hangs)
        logging.shutdown()
        os._exit(status)
    sys.exit(status)
