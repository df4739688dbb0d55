"""Ways of looking at a pair: played, divided, alternating, as a difference; and the size of the picture."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QToolButton, QWidget

from ....core.errors import ShadowError, sentence
from ....core.pairs.half import Half
from ....core.project import Clip, Project
from ...actions import tip, with_key
from ...player_panel import PlayerPanel
from .comparing import ZOOMS, CompareView, Pairing
from .offers import OfferRow

_WAYS = (("play", "One picture"), ("divided", "Divided"), ("turns", "Alternating"), ("difference", "Difference"))
_NUDGES = ("divider_left", "divider_right", "pan_left", "pan_right", "pan_up", "pan_down")
_ZOOM_STEPS = {"closer": 1, "wider": -1, "all": -len(ZOOMS)}


class Ways(QWidget):
    """The row of buttons above the pictures. ``pairing`` gives both files to compare, or why there are none."""

    def __init__(
        self, panel: PlayerPanel, compare: CompareView, pairing: Callable[[], tuple[Pairing | None, str]]
    ) -> None:
        super().__init__()
        self._panel, self._compare, self._pairing = panel, compare, pairing
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for way, text in _WAYS:
            button = QToolButton()
            button.setText(text)
            button.setCheckable(True)
            button.setObjectName("way")
            button.setProperty("small", True)
            tip(button, partial(with_key, f"{text}; next view", "look"))
            self._group.addButton(button)
            self.buttons[way] = button
            button.clicked.connect(lambda _checked=False, way=way: self.look(way))
            row.addWidget(button)
        self.buttons["play"].setChecked(True)
        self.zoom = QComboBox()
        self.zoom.setAccessibleName("Zoom")
        self.zoom.setToolTip("Size of the picture")
        for zoom in ZOOMS:
            self.zoom.addItem(f"{zoom} %" if zoom else "Fit", zoom)
        self.zoom.setEnabled(False)
        self.zoom.currentIndexChanged.connect(lambda _number: compare.set_zoom(self.zoom.currentData()))
        row.addWidget(self.zoom)

    def look(self, way: str) -> None:
        """Another way of looking at the pair."""
        self.buttons[way].setChecked(True)
        playing = way == "play"
        self._panel.pictures.setCurrentWidget(self._panel.viewer if playing else self._compare)
        self._panel.player.look(playing)
        self.zoom.setEnabled(not playing)
        if playing:
            self._compare.rest()
            return
        self._panel.halt()
        self._compare.look(way)  # type: ignore[arg-type]
        self.show_pair()

    def show_pair(self) -> None:
        """The pair that is chosen now, where two pictures are compared."""
        if self._compare.isVisibleTo(self._panel.pictures):
            pairing, text = self._pairing()
            self._compare.show_pair(pairing, self._panel.player.position, text)

    def moved(self, frame: int) -> None:
        """The player stands elsewhere."""
        if self._panel.player.playing and self._compare.isVisible():
            self.look("play")
        elif self._compare.isVisible():
            self._compare.show_frame(frame)

    def command(self, identity: str) -> None:
        """A command of the table that belongs here."""
        if identity == "look":
            ways = [way for way, _text in _WAYS]
            now = next(way for way in ways if self.buttons[way].isChecked())
            self.look(ways[(ways.index(now) + 1) % len(ways)])
        elif identity in _ZOOM_STEPS:
            step = _ZOOM_STEPS[identity]
            self.zoom.setCurrentIndex(min(max(0, self.zoom.currentIndex() + step), len(ZOOMS) - 1))
        elif identity in _NUDGES:
            self._compare.nudge(identity)


def pairing_of(project: Project, clip: Clip | None, row: OfferRow | None) -> tuple[Pairing | None, str]:
    """Both files to compare: of the offer that is looked at, else of the chosen clip; or why there are none."""
    try:
        if row is not None and row.thing is not None and row.kind != "missing":
            return _offered(row, project), ""
        if clip is None or clip.original.info.kind != "video":
            return None, "Select a pair to compare."
        if not clip.proxies:
            return None, f"{clip.name} has no proxy to compare with."
        proxy = clip.proxies[-1]
        original, light = project.place(clip.original.file), project.place(proxy.file)
    except ShadowError as error:
        return None, sentence(error)
    if original is None or light is None:
        return None, "A shelf of this pair is not known."
    return Pairing(Half(original, clip.original.info), Half(light, proxy.info), proxy.offset), ""


def _offered(row: OfferRow, project: Project) -> Pairing | None:
    clip = project.clip(row.thing.clip)
    place = project.place(clip.original.file) if clip is not None else None
    if clip is None or place is None:
        return None
    found, known = Half(row.path, row.thing.info), Half(place, clip.original.info)
    original, proxy = (known, found) if row.kind == "proxy" else (found, known)
    return Pairing(original, proxy, row.offset)
