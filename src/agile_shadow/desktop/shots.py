"""Draws the pictures of docs/screenshots from the demo data: ``python -m agile_shadow.desktop.shots FOLDER``."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEventLoop, QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ..core.handover import HandOver, hand_over
from ..core.helpers.presence import Helper
from ..core.ingest import ItemState
from ..core.log import cache_folder
from ..core.playback import Picture
from ..core.project import Clip, ProjectSession
from ..core.shelves import SECOND
from ..core.timeline import Placement, add_marker, remove, with_effects
from ..stand_ins import draw_card, missing_from_card
from ..stand_ins.reader import StandInDrive
from . import theme
from .all_surfaces import draw_all
from .folders import Folders
from .places.export.home_dialog import HomeDialog
from .places.storage.helpers_panel import rows_of
from .places.storage.tidy_dialog import TidyDialog
from .search_dialog import SearchDialog
from .starting import make_app
from .window import MainWindow
from .work import Work

_CUT = (("A001C001", 8, 58), ("PCK_0007", 20, 120), ("VID_20261012_093142", 5, 70), ("A001C002", 10, 60))


def until(done: Callable[[], bool], limit: float = 240.0) -> None:
    """Let the window live until a condition holds."""
    loop = QEventLoop()
    timer = QTimer()
    end = time.monotonic() + limit
    timer.timeout.connect(lambda: loop.quit() if done() or time.monotonic() > end else None)
    timer.start(20)
    loop.exec()


def _settle(window: MainWindow, seconds: float = 0.4) -> None:
    end = time.monotonic() + seconds
    until(lambda: time.monotonic() >= end)


def _save(window: MainWindow, folder: Path, name: str) -> None:
    _settle(window)
    window.notice.hide()
    _settle(window, 0.1)
    window.grab().save(str(folder / f"{name}.png"))


def _window(home: Path) -> tuple[QApplication, MainWindow]:
    """A window of the usual size in the dark look, whatever the last one was like."""
    app = make_app(["shots"])
    theme.apply_theme(app, theme.INK)
    work = Work(ProjectSession.open(home / "The Tern Ferry.otio"))
    window = MainWindow(work, Folders(home / "Card", home / "Boathouse", home / "Laptop", home))
    window.resize(1280, 800)
    window.kept.keep = lambda *_rest: None  # type: ignore[method-assign]
    window.show()
    return app, window


def take_all(folder: Path, home: Path) -> None:
    """Every surface there is, in both looks and several sizes."""
    app, window = _window(home)
    until(lambda: window.ingest.card.start.isEnabled())
    window.ingest.card.start.click()
    until(lambda: window.work.ingest is None and window.work.last_report is not None)
    _cut(window)
    count = draw_all(window, folder, lambda seconds: _settle(window, seconds))
    sys.stderr.write(f"{count} pictures in {folder}\n")
    window.close()
    app.processEvents()


def take(folder: Path, home: Path) -> None:
    """All pictures, in the order of the work."""
    app, window = _window(home)
    work = window.work
    until(lambda: window.ingest.card.start.isEnabled() and all(row.seen for row in window.ingest.on_source.files.rows))
    _save(window, folder, "ingest")
    window.ingest.card.start.click()
    until(lambda: any(item.phase == "making" and item.done > 0.3 for item in _items(work) if "A001C001" in item.path))
    window.command("jobs")
    _save(window, folder, "ingest-running")
    window.command("jobs")
    until(lambda: work.ingest is None)
    window.ingest.tabs.setCurrentIndex(1)
    window.ingest.report_view.clips.setChecked(True)
    until(lambda: window.ingest.report_view.posters_shown > 9, 60)
    _save(window, folder, "ingest-report")
    window.ingest.tabs.setCurrentIndex(0)
    _cut(window)
    _save(window, folder, "timeline")
    _place_by_hand(window)
    _save(window, folder, "timeline-block")
    window.work.session.undo()
    window.command("search")
    search = window.commands.dialog
    assert isinstance(search, SearchDialog)
    search.field.setText("dissolve")
    _settle(window)
    search.grab().save(str(folder / "search.png"))
    search.close()
    window.timeline.side.setCurrentIndex(0)
    window.command("switch")
    window.command("place_3")
    window.pairs.table.selectRow(3)
    panel = window.pairs.panel
    panel.seek(30)
    until(lambda: _is_original(panel.viewer.picture), 20)
    until(lambda: all(clip.original.info.kind != "video" or _proven(clip) for clip in work.session.project.clips))
    _save(window, folder, "pairs")
    window.pairs.as_posters.setChecked(True)
    _save(window, folder, "pairs-posters")
    window.pairs.as_posters.setChecked(False)
    _pairs(window, folder, home)
    _presets(window, folder)
    window.command("theme")
    _storage(window, folder, home)
    window.command("place_5")
    until(lambda: window.export.check is not None, 20)
    _export(window, folder, home)
    window.command("place_4")
    window.command("switch")
    window.timeline._sought(75)
    _save(window, folder, "timeline-paper")
    window.close()
    app.processEvents()


def _export(window: MainWindow, folder: Path, home: Path) -> None:
    """A draft that is there, a film that is being made; and the cut come home with a shot taken out."""
    place, desk = window.export, window.work.desk
    place.card.draft.click()
    place.card.start.click()
    until(lambda: any(run.result is not None for run in place.films.runs))
    place.card.draft.click()
    place.card.start.click()
    until(lambda: any(run.piece is not None and run.piece.part > 0.1 for run in desk.films))
    _save(window, folder, "export")
    for run in desk.films:
        run.stop(for_good=True)
    until(lambda: not desk.films)
    project = window.work.session.project
    line = remove(project.timeline, [project.timeline.pictures[0].blocks[1].id])
    path = home / "From the other editor.otio"
    hand_over(HandOver(project.but(timeline=line), "otio", path))
    place.open_home()
    dialog = place.dialog
    assert isinstance(dialog, HomeDialog)
    dialog.read([path])
    until(lambda: dialog.line is not None, 30)
    dialog.table.selectRow(1)
    dialog.list.setCurrentRow(0)
    _settle(window)
    dialog.grab().save(str(folder / "home.png"))
    dialog.reject()


def _storage(window: MainWindow, folder: Path, home: Path) -> None:
    """Three shelves, a card that answers, and what can be freed."""
    place = window.storage
    (home / "Attic").mkdir()
    window.command("place_6")
    until(lambda: len(place.rows) > 1, 20)
    place.add_shelf(home / "Attic", SECOND)
    until(lambda: len(place.rows) > 2, 20)
    attic, laptop = (next(row.state.shelf for row in place.rows if row.state.shelf.name == name)
                     for name in ("Attic", "Laptop"))  # fmt: skip
    place.bring_up(attic)
    until(lambda: not window.work.desk.runs)
    place.choose(laptop.id)
    until(lambda: place.shelf.room is not None and place.shelf.room.root == laptop.root, 20)
    _save(window, folder, "storage")
    place.open_tidy()
    dialog = place.dialog
    assert isinstance(dialog, TidyDialog)
    until(lambda: dialog.boxes["unused"].isEnabled(), 20)
    dialog.boxes["unused"].click()
    _settle(window)
    dialog.grab().save(str(folder / "storage-tidy.png"))
    dialog.reject()
    place.choose("cards")
    until(lambda: place.cards.chosen is not None, 20)
    place.cards.passed.setChecked(True)
    place.cards.ask_at(home / "Card")
    until(lambda: bool(place.cards.answers) and place.cards.ask.isEnabled())
    _settle(window, 0.8)  # columns follow what is in them half a second later
    _save(window, folder, "storage-card")
    _helpers(window, folder)


def _helpers(window: MainWindow, folder: Path) -> None:
    """Helpers as they may be met: no other machine is needed for the picture."""
    place = window.storage
    place.choose("helpers")
    _settle(window)
    shelves = window.work.session.project.shelves
    seen = {shelf.id: f"/mnt/{shelf.name.lower()}" for shelf in shelves}
    doing = (("A001C001.MOV", 0.42), ("AIR_0012.MOV", 0.07))
    place.helpers.show_only(rows_of([
        Helper("0f993d044b865597", "Edit 2", "ready", 16, 8, seen, doing, 40.0, 0.4, "1"),
        Helper("1f993d044b865597", "Edit 3", "paused", 8, 4, seen, (), 20.0, 0.9, "1"),
        Helper("2f993d044b865597", "Old tower", "other version", 4, 2, {}, (), 0.0, 1.1, "0"),
        Helper("3f993d044b865597", "Laptop"),
    ], shelves, 22.0))  # fmt: skip
    place.helpers.table.selectRow(0)
    _save(window, folder, "storage-helpers")


def _proven(clip: Clip) -> bool:
    return bool(clip.proxies) and clip.proxies[-1].proof is not None


def _is_original(seen: Picture | None) -> bool:
    """Whether a frame of an original is to be seen, and not the key frame before it."""
    return seen is not None and seen.mark.startswith("ORIGINAL") and not seen.sketch


def _pairs(window: MainWindow, folder: Path, home: Path) -> None:
    """Both pictures under the divider, zoomed; and what a search through somebody else's files found."""
    place = window.pairs
    place.ways.zoom.setCurrentIndex(1)
    place.compare.centre = QPointF(0.46, 0.34)  # where birds are
    place.ways.look("divided")
    until(lambda: place.compare.shown is not None and place.compare.shown.frame == 30, 20)
    _save(window, folder, "pairs-divided")
    place.ways.zoom.setCurrentIndex(0)
    place.ways.look("play")
    mail = home / "From the other editor"
    for number, clip in enumerate(window.work.session.project.clips):
        path = window.work.session.project.place(clip.proxies[-1].file) if clip.proxies else None
        if path is not None:
            mail.mkdir(exist_ok=True)
            shutil.copy(path, mail / (f"{path.stem}_cut.mov.mov" if number % 2 else f"ferry {number}.mov"))
    place.table.selectAll()
    place.doing_with.unpair()
    place.finding.look_for_pairs([mail])
    until(lambda: not place.finding.busy and bool(place.offers.model.rows), 120)
    until(lambda: place.compare.shown is not None and place.compare.shown.proxy is not None, 30)
    _save(window, folder, "pairs-found")
    place.finding.put_away()
    place.ways.look("play")
    window.command("undo")
    place.table.clearSelection()


def _presets(window: MainWindow, folder: Path) -> None:
    """The place with everything measured, and a trial."""
    window.command("place_1")
    place, measuring = window.presets, window.measuring
    _settle(window, 1.5)
    until(lambda: not measuring.now and not measuring.waiting)
    _save(window, folder, "presets")
    place.tabs.setCurrentWidget(place.picture)
    place.library.choose("For review, with burn-ins")
    place.sentence.more["Take"].setChecked(True)
    _settle(window, 1.5)
    until(lambda: not measuring.now and not measuring.waiting)
    place.trial.click()
    dialog = place.trial_dialog
    dialog.clip.setCurrentIndex(next(n for n, s in enumerate(dialog.samples) if s.path.stem == "AIR_0012"))
    for box, name in zip(dialog.choices[1:], ("Everyday, quarter size", "Better picture, half size"), strict=False):
        box.setCurrentText(name)
    dialog.seconds.setValue(0.5)
    dialog.start.click()
    until(lambda: len(dialog.results) == 3 and all(pane.shows for pane in dialog.panes))
    dialog.look_at(0.19, 0.57)
    _settle(window)
    dialog.grab().save(str(folder / "trial.png"))
    dialog.reject()
    place.library.choose("Everyday, quarter size")


def _items(work: Work) -> list[ItemState]:
    run = work.ingest
    return run.board.items() if run is not None else []


def _place_by_hand(window: MainWindow) -> None:
    """The second block smaller and turned, with the frame by which that is done, and its settings."""
    place = window.timeline
    block = window.work.session.project.timeline.pictures[0].blocks[1]
    small = Placement(x=0.1, y=0.04, scale=0.62, rotation=-6)
    place.doing.edit("Place a block", lambda line: with_effects(
        line, [block.id], lambda effects: replace(effects, placement=small, fade_in=8)))  # fmt: skip
    place.show_block(window.work.session.project.timeline, block)
    place._sought(block.start + 20)
    window.command("settings")
    place.view.setFocus()
    _settle(window, 1.0)


def _cut(window: MainWindow) -> None:
    window.command("place_4")
    window.command("switch")
    place = window.timeline
    for name, first, last in _CUT:
        row = next(n for n, clip in enumerate(place.model.rows) if clip.name == name)
        place.clips.selectRow(row)
        for frame, key in ((first, Qt.Key.Key_I), (last, Qt.Key.Key_O)):
            place.panel.seek(frame)
            QTest.keyClick(window, key)
        QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    place.view.zoom_all()
    blocks = window.work.session.project.timeline.pictures[0].blocks
    place._sought(blocks[1].start)
    window.command("dissolve")
    window.command("title")
    place.block_panel.title_box.text.setPlainText("The Tern Ferry")
    place.doing.edit("Note", lambda line: add_marker(line, blocks[2].start, "here the crank is heard"))
    place._sought(blocks[1].start + 12)
    place.view.select(blocks[1].id)
    place.side.setCurrentIndex(0)
    until(lambda: place.panel.viewer.mark_text.startswith("PROXY"), 20)
    _settle(window, 2)


def main() -> int:
    """Entry point."""
    everything = "--all" in sys.argv
    named = [one for one in sys.argv[1:] if one != "--all"]
    if any(one.startswith("-") for one in named):
        sys.stderr.write("Draws the pictures in docs/screenshots; --all FOLDER: every surface, into a folder.\n")
        return 2
    folder = Path(named[-1]) if len(named) > 1 or not everything else Path(tempfile.mkdtemp(prefix="all-surfaces-"))
    folder.mkdir(parents=True, exist_ok=True)
    drawn = cache_folder() / "demo" / "Card"
    if not drawn.exists() or missing_from_card(drawn):
        sys.stderr.write("Drawing the demo card, once (up to three minutes).\n")
        draw_card(drawn)
    home = Path(tempfile.mkdtemp(prefix="tern-ferry-"))
    try:
        (home / "Card").symlink_to(drawn)
        drive = StandInDrive(home / "Card", home / "card reader.json")
        os.environ.update(drive.environment())
        drive.behave()
        (take_all if everything else take)(folder, home)
    finally:
        shutil.rmtree(home, ignore_errors=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
