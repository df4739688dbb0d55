"""Every place, dialog, menu and list as a picture, in both looks and several sizes: for looking at, not for keeping."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtWidgets import QApplication, QDialog, QWidget

from . import theme
from .actions import PLACE_NAMES
from .late_places import EXPORT, INGEST, PAIRS, PRESETS, STORAGE, TIMELINE
from .window import MainWindow

SIZES = ((1280, 800), (1024, 720), (1366, 700), (2560, 1440))
Settle = Callable[[float], None]


def draw_all(window: MainWindow, folder: Path, settle: Settle) -> int:
    """Write the pictures; their number. ``settle`` lets the window live for some seconds."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    count = 0
    for look in (theme.INK, theme.PAPER):
        theme.apply_theme(app, look)
        window.places.colours_changed()
        for size in SIZES:
            window.resize(*size)
            for name, widget in _surfaces(window, settle):
                widget.grab().save(str(folder / f"{look.name} {size[0]}x{size[1]} {name}.png"))
                count += 1
    return count


def _surfaces(window: MainWindow, settle: Settle) -> Iterator[tuple[str, QWidget]]:
    for number, name in enumerate(PLACE_NAMES):
        window.open_place(number)
        settle(0.6)
        yield name, window
        for part, widget in _parts(window, number, settle):
            yield f"{name} {part}", widget
    window.toggle_jobs()
    settle(0.3)
    yield "jobs", window
    window.toggle_jobs()
    window.offer("A question with two answers, as it is asked below every place?", ("Yes", _nothing), ("No", _nothing))
    settle(0.2)
    yield "question", window
    window.notice.hide()
    for identity in ("keys", "search", "about", "first_steps", "guide"):
        window.command(identity)
        settle(0.4)
        dialog = {"keys": window.commands.keys, "guide": window.guide}.get(identity, window.commands.dialog)
        if isinstance(dialog, QDialog):
            yield identity, dialog
            dialog.close()
    yield from _menus(window, settle)


def _parts(window: MainWindow, number: int, settle: Settle) -> Iterator[tuple[str, QWidget]]:
    """What a place shows besides."""
    if number == PRESETS:
        for tab in range(window.presets.tabs.count()):
            window.presets.tabs.setCurrentIndex(tab)
            settle(0.2)
            yield f"tab {tab}", window
    elif number == INGEST:
        window.ingest.tabs.setCurrentIndex(1)
        settle(0.4)
        yield "reports", window
        window.ingest.tabs.setCurrentIndex(0)
    elif number == PAIRS:
        window.pairs.table.clearSelection()  # else a row that is chosen is chosen no more
        window.pairs.table.selectRow(0)
        for way in ("divided", "difference", "play"):
            window.pairs.ways.look(way)
            settle(0.6)
            yield way, window
        window.pairs.as_posters.setChecked(True)
        settle(0.5)
        yield "posters", window
        window.pairs.as_posters.setChecked(False)
    elif number == TIMELINE:
        blocks = window.work.session.project.timeline.pictures
        if blocks and blocks[0].blocks:
            window.timeline.show_block(window.work.session.project.timeline, blocks[0].blocks[0])
        for tab in range(window.timeline.side.count()):
            window.timeline.side.setCurrentIndex(tab)
            settle(0.3)
            yield f"tab {tab}", window
        window.command("bake_late")
        settle(0.4)
        if window.timeline.dialog is not None:
            yield "baking by itself", window.timeline.dialog
            window.timeline.dialog.close()
    elif number == EXPORT:
        for name, call in (("hand over", window.export.open_hand_over), ("bring home", window.export.open_home)):
            call()
            settle(0.4)
            if isinstance(window.export.dialog, QDialog):
                yield name, window.export.dialog
                window.export.dialog.reject()
    elif number == STORAGE:
        for key in ("cards", "kits", "helpers", "machine"):
            window.storage.choose(key)
            settle(0.5)
            yield key, window
        window.storage.choose("helpers")
        window.storage.helpers.invite.click()
        settle(0.3)
        if isinstance(window.storage.helpers.dialog, QDialog):
            yield "invite a helper", window.storage.helpers.dialog
            window.storage.helpers.dialog.reject()


def _menus(window: MainWindow, settle: Settle) -> Iterator[tuple[str, QWidget]]:
    window.open_menu()
    settle(0.2)
    yield "menu", window.menu
    for area, menu in window.menu.areas.items():
        menu.popup(window.mapToGlobal(window.rect().center()))
        settle(0.1)
        yield f"menu {area}", menu
        menu.close()
    window.menu.close()
    window.project_menu.popup(window.mapToGlobal(window.rect().center()))
    settle(0.2)
    yield "project menu", window.project_menu
    window.project_menu.close()


def _nothing() -> None:
    """An answer of nobody."""
