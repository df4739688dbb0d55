"""The places, each built when it is first needed: a window is there sooner than all that it can show.

Imports inside functions: a place is imported when it is first needed.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QApplication, QStackedWidget, QWidget

from ..core.late import cv2, load_ahead
from ..core.project.report import ready_to_read
from .folders import Folders
from .places.place import PlacePage

if TYPE_CHECKING:
    from .window import MainWindow

log = logging.getLogger(__name__)

PRESETS, INGEST, PAIRS, TIMELINE, EXPORT, STORAGE = range(6)
_MODULES = ("timeline", "pairs", "presets", "export", "storage")
_REST = 40  # milliseconds between two places that are built by themselves
_LONG_REST = 500  # milliseconds between two looks whether there is time for it


class LatePlaces(QObject):
    """``stack`` holds them by number, empty widgets where one is not built yet. ``all_built`` comes when none is left.
    ``idle``: whether the machine has time for places that nobody opened yet.

    For the interface thread.
    """

    all_built = Signal()
    built = Signal(int, object)

    def __init__(self, builders: Sequence[Callable[[], PlacePage]], idle: Callable[[], bool] = lambda: True) -> None:
        super().__init__()
        self.stack = QStackedWidget()
        self._builders = list(builders)
        self._idle = idle
        self._built: dict[int, PlacePage] = {}
        self._loaded = threading.Event()
        self._begun = self._ended = False
        for _builder in builders:
            self.stack.addWidget(QWidget())
        self._timer = QTimer(self)
        self._timer.setInterval(_REST)
        self._timer.timeout.connect(self._build_next)

    def get(self, number: int) -> PlacePage:
        """The place, built now if it was not."""
        if number not in self._built:
            place = self._built[number] = self._builders[number]()
            stood_in = self.stack.widget(number)
            current = self.stack.currentIndex()
            self.stack.insertWidget(number, place)
            if stood_in is not None:
                self.stack.removeWidget(stood_in)
                stood_in.deleteLater()
            self.stack.setCurrentIndex(current)
            self.built.emit(number, place)
        return self._built[number]

    def all_places(self) -> dict[int, PlacePage]:
        """Those that are built, by number."""
        return dict(self._built)

    def open(self, number: int) -> None:
        """Show a place; the one before is left."""
        before = self._built.get(self.stack.currentIndex())
        if before is not None:
            before.left()
        place = self.get(number)
        self.stack.setCurrentIndex(number)
        place.entered()

    def is_built(self, number: int) -> bool:
        """Whether it is there already."""
        return number in self._built

    def build_all_by_and_by(self) -> None:
        """Build what is left in moments between other things; what they are made of is loaded on a thread before."""
        if self._ended or self._begun:
            return  # the window was closed before, or shown before
        self._begun = True
        threading.Thread(target=self._load, name="loading places", daemon=True).start()
        self._timer.start()

    def end(self) -> None:
        """Build no more by itself, and close what is built."""
        self._ended = True
        self._timer.stop()
        for place in self._built.values():
            place.close_place()

    def colours_changed(self) -> None:
        """The look is another."""
        for place in self._built.values():
            place.colours_changed()

    def _load(self) -> None:
        try:
            for name in _MODULES:
                import_module(f"agile_shadow.desktop.places.{name}")
            load_ahead(cv2)  # a picture that plays would have to wait for it, and the window with it
            ready_to_read()
        except Exception:  # it is met again, and told, when the place is built
            log.exception("loading the places")
        self._loaded.set()

    def _build_next(self) -> None:
        free = self._idle()
        self._timer.setInterval(_REST if free else _LONG_REST)
        if not free or not self._loaded.is_set() or QApplication.activeModalWidget() is not None:
            return
        left = [number for number in range(len(self._builders)) if number not in self._built]
        if left:
            self.get(left[0])
        if len(left) < 2:
            self._timer.stop()
            self.all_built.emit()


def builders(window: MainWindow, folders: Folders) -> list[Callable[[], PlacePage]]:
    """How each place is built and tied to the window, by number. It is built where it will stand, from the outside in:
    whatever is put into something else later is given its look anew, with all that is in it."""

    def presets() -> PlacePage:
        from .places.presets import PresetsPlace

        place = PresetsPlace(window.work, window.measuring, window.places.stack)
        place.chosen.connect(window.ingest.card.reload_presets)
        return place

    def ingest() -> PlacePage:
        from .places.ingest import IngestPlace

        return IngestPlace(window.work, folders, window.places.stack)

    def pairs() -> PlacePage:
        from .places.pairs import PairsPlace

        place = PairsPlace(
            window.work, window.sound, window.measuring, window.proxy_presets, window.places.stack
        )
        window.tie_player(place.panel)
        place.chosen.connect(window.measuring.stand_still)
        place.looks_again.connect(window.presence.look_now)
        window.sketches.came.connect(place.poster_view.sketch_came)
        place.goes_to.connect(window.command)
        return place

    def timeline() -> PlacePage:
        from .places.timeline import TimelinePlace

        place = TimelinePlace(window.work, window.sound, window.places.stack)
        window.tie_player(place.panel)
        window.sketches.came.connect(place.sights.sketch_came)
        place.goes_to.connect(window.command)
        return place

    def export() -> PlacePage:
        from .places.export import ExportPlace

        place = ExportPlace(window.work, folders.exports, window.places.stack)
        place.check_panel.look.connect(window.look_for_missing)
        place.check_panel.goes_to.connect(window.command)
        return place

    def storage() -> PlacePage:
        from .places.storage import StoragePlace

        place = StoragePlace(window.work, window.places.stack)
        allow = window.measuring.decoders.allow
        place.machine.hardware_allowed.connect(
            lambda on: window.work.in_background(lambda: allow(on), lambda _done: None)
        )
        return place

    return [presets, ingest, pairs, timeline, export, storage]
