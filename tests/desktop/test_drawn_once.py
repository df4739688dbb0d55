"""What is painted again and again is found once, looks the same, and lays nothing out anew."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QObject, QRectF
from PySide6.QtGui import QColor, QFontMetrics, QImage, QPainter, QPixmap
from PySide6.QtWidgets import QApplication, QLabel, QVBoxLayout, QWidget
from pytestqt.qtbot import QtBot

from agile_shadow.core.media.peaks import PER_SECOND
from agile_shadow.core.playback import MeterReading
from agile_shadow.desktop import theme
from agile_shadow.desktop.labels import set_look, set_warned
from agile_shadow.desktop.marks import paint_block
from agile_shadow.desktop.places.timeline import cut_buttons
from agile_shadow.desktop.places.timeline.cut_buttons import _WAITS, CutButtons
from agile_shadow.desktop.places.timeline.waves import WaveImages, WavePart, drawn
from agile_shadow.desktop.status_strip import StatusStrip
from agile_shadow.desktop.texts import END, MIDDLE, fitted, width_of


@pytest.mark.parametrize(("size", "bold"), [(8, False), (9, True), (10, False)])
@pytest.mark.parametrize("where", [MIDDLE, END])
def test_texts_are_cut_as_their_face_needs(qapp: QApplication, size: int, bold: bool, where: object) -> None:
    text, metrics = "A001C002_1026 from the boathouse", QFontMetrics(theme.sans(size, bold))
    assert width_of(text, size, bold) == metrics.horizontalAdvance(text)
    for width in (10, 80, 400):
        assert fitted(text, size, width, where, bold) == metrics.elidedText(text, where, width)  # type: ignore[arg-type]
    assert fitted(text, size, 80, where, bold) != text == fitted(text, size, 400, where, bold)  # type: ignore[arg-type]


def inked(image: QImage) -> NDArray[np.bool_]:
    """Which pixels are not clear, (rows, columns)."""
    rows, columns = image.height(), image.width()
    return np.array([[image.pixelColor(x, y).alpha() > 0 for x in range(columns)] for y in range(rows)])


def test_a_wave_is_as_high_as_it_is_loud(qapp: QApplication) -> None:
    wave = np.repeat(np.array([0, 255, 0, 64], np.uint8), PER_SECOND)  # a second each
    found = inked(drawn(wave, WavePart(0.0, 0.25, 0.0, 16, 10)))
    assert found.shape == (20, 16)
    heights = found.sum(axis=0)
    assert list(heights[0:4]) == [2] * 4 == list(heights[8:12]), "silence is a line"
    assert list(heights[4:8]) == [20] * 4
    assert all(4 <= high < 12 for high in heights[12:])
    assert (found == found[::-1]).all(), "from the middle to both sides"
    later = inked(drawn(wave, WavePart(1.0, 0.25, -6.0, 4, 10))).sum(axis=0)
    assert all(8 <= high < 20 for high in later), "begins where it is told, and softer"
    back = inked(drawn(wave, WavePart(1.9, -0.25, 0.0, 8, 10))).sum(axis=0)
    assert list(back) == [20] * 5 + [2] * 3, "backward"


def test_waves_are_drawn_once_and_never_taken_for_another(qapp: QApplication) -> None:
    images, stretch = WaveImages(), WavePart(0.0, 0.1, 0.0, 8, 6)
    loud, soft = np.full(200, 255, np.uint8), np.full(200, 3, np.uint8)
    first = images.of(loud, stretch)
    assert images.of(loud, stretch) is first
    assert inked(images.of(soft, stretch)).sum() < inked(first).sum()
    assert images.of(loud, stretch._replace(gain=-12.0)) is not first
    for number in range(400):
        images.of(loud, stretch._replace(begin=float(number + 1)))
    assert len(images._kept) == 256
    images._kept[(id(soft), stretch)] = (loud, first)  # memory of a wave that went, where another lies now
    assert inked(images.of(soft, stretch)).sum() < inked(first).sum()


def test_a_look_is_found_anew_only_where_it_is_another(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    theme.apply_theme(QApplication.instance(), theme.INK)  # type: ignore[arg-type]
    label = QLabel("3 files need you")
    qtbot.addWidget(label)
    label.show()
    set_look(label, "warn")
    assert label.palette().windowText().color().name() == theme.INK.warn
    set_look(label, "quiet")
    assert label.palette().windowText().color().name() == theme.INK.quiet
    polished: list[QWidget] = []
    style = type("Style", (), {"polish": lambda self, widget: polished.append(widget)})()
    monkeypatch.setattr(label, "style", lambda: style)
    set_look(label, "quiet")
    set_warned(label, False)
    assert polished == []
    set_look(label, "warn")
    set_warned(label, True)
    set_warned(label, True)
    assert polished == [label, label] and label.property("warned") is True


class Layouts(QObject):
    """Counts how often something is asked to lay out what is in it."""

    def __init__(self) -> None:
        super().__init__()
        self.count = 0

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        self.count += event.type() == QEvent.Type.LayoutRequest
        return False


def test_the_play_meter_lays_nothing_out_at_each_picture(qtbot: QtBot) -> None:
    window, layouts, strip = QWidget(), Layouts(), StatusStrip()
    qtbot.addWidget(window)
    QVBoxLayout(window).addWidget(strip)
    window.resize(1280, 80)
    window.show()
    qtbot.waitExposed(window)
    for watched in (window, strip):
        watched.installEventFilter(layouts)
    for _second in range(2):  # in the first it finds the room it needs
        layouts.count = 0
        for shown in range(22, 26):
            strip.show_meter(MeterReading(shown, Fraction(30), 0, 3))
            QApplication.processEvents()
    assert layouts.count == 0
    assert strip.meter.text() == "shown 25 of 30 fps, 0 late"
    strip.show_meter(MeterReading(25, Fraction(24000, 1001), 123_456, 200_000))
    QApplication.processEvents()
    assert strip.meter.width() >= strip.meter.fontMetrics().horizontalAdvance(strip.meter.text())
    assert layouts.count > 0, "more room is asked for where a text needs it"


@pytest.mark.parametrize("kind", ["original", "proxy", "missing"])
def test_a_mark_leaves_the_painter_as_it_was(qapp: QApplication, kind: str) -> None:
    canvas = QPixmap(20, 20)
    canvas.fill(QColor("white"))
    painter = QPainter(canvas)
    painter.setPen(QColor("#123456"))
    paint_block(painter, QRectF(2, 2, 14, 11), kind)
    assert painter.pen().color().name() == "#123456"
    assert not painter.hasClipping() and painter.opacity() == 1.0
    painter.end()
    image = canvas.toImage()
    assert any(image.pixelColor(x, y) != QColor("white") for x in range(20) for y in range(20))


STEP_NAMES = st.sampled_from([None, "Append A001", "Trim"])


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.dictionaries(st.sampled_from(list(_WAITS)), st.booleans()), STEP_NAMES, STEP_NAMES)))
def test_buttons_say_what_they_wait_for_however_they_came_to_it(
    qapp: QApplication, steps: list[tuple[dict[str, bool], str | None, str | None]]
) -> None:
    one = CutButtons(lambda identity: None)
    now = dict.fromkeys(_WAITS, True)
    for wanted, undo, redo in steps:
        now |= wanted
        one.name_steps(undo, redo)
        one.enable(now)
        fresh = CutButtons(lambda identity: None)
        fresh.name_steps(undo, redo)
        fresh.enable(now)
        for identity, button in one.buttons.items():
            assert button.isEnabled() == now[identity]
            assert button.toolTip() == fresh.buttons[identity].toolTip()
            assert (_WAITS[identity] in button.toolTip()) == (not now[identity])


def test_buttons_that_stay_as_they_are_are_not_touched(qapp: QApplication, monkeypatch: pytest.MonkeyPatch) -> None:
    buttons, touched = CutButtons(lambda identity: None), []
    monkeypatch.setattr(cut_buttons, "enable", lambda button, on, waits: touched.append(button))
    now = dict.fromkeys(_WAITS, False)
    buttons.enable(now)
    buttons.enable(now)
    assert len(touched) == len(_WAITS)
    buttons.enable(now | {"cut": True})
    assert touched[-1] is buttons.buttons["cut"] and len(touched) == len(_WAITS) + 1
