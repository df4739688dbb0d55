"""Size against headroom for the usual sizes and codecs, on the chosen kind of original."""

from __future__ import annotations

import math
from fractions import Fraction

import pyqtgraph as pg
from PySide6.QtCore import QPointF, QSignalBlocker, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.estimates import Kind, ProxyCandidate, kept_candidates
from ....core.presets import CODECS, Preset, scale_words
from ... import theme, words
from ...measuring import Measuring

_SHAPES = dict(zip((codec.name for codec in CODECS), ("o", "s", "t", "d", "+", "x", "p", "h"), strict=True))
_LABELS = {codec.name: codec.label for codec in CODECS}


class CandidatesPlot(QWidget):
    """Each point is a size with a codec; a press on one chooses it. ``taken`` gives its codec and scale."""

    taken = Signal(str, str)

    def __init__(self, measuring: Measuring) -> None:
        super().__init__()
        self._measuring = measuring
        self._kinds: list[Kind] = []
        self._preset: Preset | None = None
        self._shown: list[ProxyCandidate] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        row = QHBoxLayout()
        self.kind = QComboBox()
        self.kind.setAccessibleName("Kind of original for the plot")
        self.kind.setToolTip("Which kind of footage the plot is for")
        self.kind.currentIndexChanged.connect(self._draw)
        self.measure = QPushButton("Measure all")
        self.measure.setToolTip("Measure every size and codec with this kind of footage, while nothing else runs")
        self.measure.clicked.connect(self._measure)
        row.addWidget(self.kind, 1)
        row.addWidget(self.measure)
        layout.addLayout(row)
        self.plot = pg.PlotWidget(background=None)
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        self.plot.setMouseEnabled(False, False)
        self.plot.setLogMode(True, True)
        self._items: dict[str, pg.ScatterPlotItem] = {}
        for codec in CODECS:
            item = pg.ScatterPlotItem(hoverable=True, tip=self._tip, symbol=_SHAPES[codec.name])
            item.sigClicked.connect(self._pressed)
            self.plot.addItem(item)
            self._items[codec.name] = item
        middle = QHBoxLayout()
        middle.addWidget(self.plot, 1)
        self.legend = _Legend()
        middle.addWidget(self.legend)
        layout.addLayout(middle, 1)
        self.says = QLabel("")
        self.says.setObjectName("quiet")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)

    def show_kinds(self, kinds: list[Kind], preset: Preset | None) -> None:
        """Offer the kinds of the project and mark the preset's own choice."""
        self._preset = preset
        if kinds is not self._kinds:
            self._kinds = kinds
            with QSignalBlocker(self.kind):
                self.kind.clear()
                for kind in kinds:
                    self.kind.addItem(f"{words.frame_size(kind.info)} {words.codec(kind.info)}")
        self._draw()

    def _kind(self) -> Kind | None:
        number = self.kind.currentIndex()
        return self._kinds[number] if 0 <= number < len(self._kinds) else None

    def _measure(self) -> None:
        kind = self._kind()
        if kind is not None and kind.samples:
            self._measuring.want_candidates(kind.samples[0])
            self.says.setText("Starts when nothing else is running; takes about half a minute.")

    def _draw(self) -> None:
        kind = self._kind()
        sample = kind.samples[0] if kind is not None and kind.samples else None
        self._shown = kept_candidates(sample.key, self._measuring.kept) if sample is not None else []
        self.measure.setEnabled(sample is not None and not self._shown)
        self.plot.setVisible(bool(self._shown))
        chosen = self._chosen()
        text, focus = theme.colour("text"), theme.colour("focus")
        for side, name in (("bottom", "GB per hour"), ("left", "headroom")):
            axis = self.plot.getAxis(side)
            axis.setPen(theme.colour("quiet"))
            axis.setTextPen(text)
            axis.setLabel(name, color=text.name())
        self.plot.setBackground(theme.colour("panel"))
        self.legend.setVisible(bool(self._shown))
        self.legend.update()
        for codec, item in self._items.items():
            item.setPen(pg.mkPen(text))
            item.setBrush(pg.mkBrush(theme.colour("raised")))
            item.setData(
                [
                    {
                        "pos": (math.log10(one.bytes_per_hour / 1e9), math.log10(one.headroom)),
                        "size": 15 if one is chosen else 9,
                        "pen": pg.mkPen(focus if one is chosen else text, width=2 if one is chosen else 1),
                        "brush": pg.mkBrush(focus if one is chosen else theme.colour("raised")),
                        "data": one,
                    }
                    for one in self._shown
                    if one.codec == codec
                ]
            )
        self._mark_axes()
        self.says.setText(self._words(kind, chosen))

    def _mark_axes(self) -> None:
        """Plain round numbers on both axes, as many as there is room for."""
        for side, values in (
            ("bottom", [one.bytes_per_hour / 1e9 for one in self._shown]),
            ("left", [one.headroom for one in self._shown]),
        ):
            if values:
                self.plot.getAxis(side).setTicks([_round_ticks(min(values), max(values))])

    @property
    def points(self) -> list[pg.SpotItem]:
        """All points on the plot."""
        return [point for item in self._items.values() for point in item.points()]

    def _chosen(self) -> ProxyCandidate | None:
        wanted = self._preset.proxies if self._preset is not None else None
        if wanted is None or wanted.scale is None:
            return None
        return next((c for c in self._shown if (c.codec, c.scale) == (wanted.codec, str(wanted.scale))), None)

    def _words(self, kind: Kind | None, chosen: ProxyCandidate | None) -> str:
        if kind is None or not kind.samples:
            return "Size and headroom appear here once the project has footage."
        if self._measuring.now.startswith("sizes and codecs"):
            return f"Measuring {self._measuring.now}"
        if not self._shown:
            return "Not measured yet for this kind of footage."
        text = "Higher plays easier, further left is smaller. Click a point to use it."
        return f"{text} Selected: {_name(chosen)}." if chosen is not None else text

    @staticmethod
    def _tip(x: float, y: float, data: ProxyCandidate) -> str:
        return _name(data)

    def _pressed(self, _plot: object, points: list[pg.SpotItem], _event: object) -> None:
        if len(points):
            one: ProxyCandidate = points[0].data()
            self.taken.emit(one.codec, one.scale)


def _round_ticks(low: float, high: float) -> list[tuple[float, str]]:
    """(place on a logarithmic axis, text): 1, 2, 5 and their tenfolds; only tenfolds where the span is wide."""
    steps = (1, 2, 5) if high / low < 60 else (1, 3) if high / low < 400 else (1,)
    ticks = []
    for power in range(-3, 6):
        for step in steps:
            value = step * 10.0**power
            if low * 0.8 <= value <= high * 1.25:
                ticks.append((math.log10(value), f"{value:g}"))
    return ticks


class _Legend(QWidget):
    """Which shape stands for which codec."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(126)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.sans(8))
        step = min(17.0, (self.height() - 4) / len(CODECS))
        for number, codec in enumerate(CODECS):
            middle = 4 + step * (number + 0.5)
            painter.save()
            painter.translate(9, middle)
            pen, brush = pg.mkPen(theme.colour("text")), pg.mkBrush(theme.colour("raised"))
            pg.graphicsItems.ScatterPlotItem.drawSymbol(painter, _SHAPES[codec.name], 9, pen, brush)
            painter.restore()
            painter.setPen(theme.colour("text"))
            painter.drawText(QPointF(20, middle + 4), codec.label)


def _name(one: ProxyCandidate | None) -> str:
    if one is None:
        return ""
    return (
        f"{_LABELS[one.codec]}, {_scale(one.scale)}: {one.width} x {one.height}, "
        f"{one.bytes_per_hour / 1e9:.1f} GB per hour, headroom {one.headroom:.0f}x"
    )


def _scale(text: str) -> str:

    return scale_words(Fraction(text))
