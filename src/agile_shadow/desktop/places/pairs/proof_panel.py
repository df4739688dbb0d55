"""Beside the pictures: what the proof says, what differs, likeness along the clip, what can be done."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ....core.media import MediaInfo
from ....core.pairs import Proof, Proxy
from ....core.project import Clip
from ....core.time import rate_label
from ... import theme, words
from ...flow import Flow
from ...labels import set_look
from .offers import OfferRow

_WIDTH = 316
_LABELS = 32  # pixels to the left of the curve


_STEP_TIPS = {
    "offset": "Keep the pair, with the offset that the proof found",
    "accept": "Keep the pair as it is; the doubt stays on record",
    "make": "Make this proxy anew from its original",
    "choose": "Choose the proxy of this clip by hand",
    "prove": "Compare the proxy with its original again",
    "find": "Search a folder for files that have moved",
}


class LikenessCurve(QWidget):
    """Likeness over the clip's length; ``chosen`` gives the frame of the original where it was clicked."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(50)
        self.setAccessibleName("Likeness along the clip")
        self.setToolTip("Likeness (SSIM) of each place that was looked at. Click to go there.")
        self.curve: tuple[tuple[int, float], ...] = ()
        self.frames = 1
        self.position = 0

    def show_curve(self, curve: tuple[tuple[int, float], ...], frames: int) -> None:
        """Points (frame, likeness) of a clip of so many frames."""
        self.curve, self.frames = curve, max(1, frames)
        self.update()

    def set_position(self, frame: int) -> None:
        """Where the player stands."""
        self.position = frame
        self.update()

    def _x(self, frame: int) -> float:
        return _LABELS + (self.width() - _LABELS - 6) * frame / max(1, self.frames - 1)

    def _low(self) -> float:
        return min(0.9, *(value for _frame, value in self.curve)) if self.curve else 0.9

    def _y(self, value: float) -> float:
        low = self._low() - 0.02
        return 6 + (self.height() - 14) * (1 - (value - low) / max(0.01, 1 - low))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The place nearest to the click."""
        if self.curve:
            nearest = min(self.curve, key=lambda point: abs(self._x(point[0]) - event.position().x()))
            self.chosen.emit(nearest[0])

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("raised"))
        if not self.curve:
            painter.setPen(theme.colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "not proven yet")
            return
        painter.setPen(theme.colour("quiet"))
        painter.setFont(theme.mono(7))
        painter.drawText(QPointF(4, 11), "1.00")
        painter.drawText(QPointF(4, self.height() - 4), f"{self._low():.2f}")
        painter.fillRect(QRectF(self._x(self.position) - 0.75, 0, 1.5, self.height()), theme.colour("line"))
        points = [QPointF(self._x(frame), self._y(value)) for frame, value in self.curve]
        painter.setPen(theme.colour("text"))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(theme.colour("text"))
        for point in points:
            painter.drawEllipse(point, 2.2, 2.2)


def data_lines(original: MediaInfo, proxy: MediaInfo | None, offset: int = 0) -> list[tuple[str, str, str, bool]]:
    """(what, the original's, the proxy's, whether it differs where it should not) of what is compared."""

    def of(info: MediaInfo | None) -> list[str]:
        if info is None:
            return [""] * 7
        return [
            words.frame_size(info), words.codec(info), rate_label(info.frame_rate) if info.frame_rate else "",
            str(info.frames), info.start_timecode or "none", info.reel or "none", f"{info.audio_channels} channels",
        ]  # fmt: skip

    names = ("Picture", "Codec", "Rate", "Frames", "Timecode", "Reel", "Sound")
    mine, theirs = of(original), of(proxy)
    if proxy is not None and offset:
        theirs[3] = f"{theirs[3]}, from {offset}"
    must = (False, False, True, True, True, True, True)
    return [
        (name, a, b, matters and proxy is not None and a != b)
        for name, a, b, matters in zip(names, mine, theirs, must, strict=True)
    ]


class ProofPanel(QFrame):
    """For one pair. Signals name what is to be done with it."""

    seek = Signal(int)
    step = Signal(str)  # "offset", "accept", "make", "choose", "prove", "unpair", "find"

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFixedWidth(_WIDTH)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        scroll = QScrollArea()
        scroll.setAccessibleName("Proof of the selected pair")
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        inner.setObjectName("place")
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(4)
        self.title = QLabel("")
        self.title.setObjectName("part")
        self.state = QLabel("")
        self.state.setWordWrap(True)
        self.reasons = QLabel("")
        self.reasons.setWordWrap(True)
        self.reasons.setObjectName("quiet")
        heading = QHBoxLayout()
        heading.setSpacing(8)
        heading.addWidget(self.title)
        heading.addWidget(self.state, 1)
        layout.addLayout(heading)
        layout.addWidget(self.reasons)
        self._steps = QVBoxLayout()
        layout.addLayout(self._steps)
        self.likeness = QLabel("")
        self.curve = LikenessCurve()
        self.curve.chosen.connect(self.seek)
        layout.addWidget(self.likeness)
        layout.addWidget(self.curve)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(0)
        self._cells: list[tuple[QLabel, QLabel, QLabel]] = []
        for row in range(8):
            cells = QLabel(""), QLabel(""), QLabel("")
            for column, cell in enumerate(cells):
                self._grid.addWidget(cell, row, column)
            self._cells.append(cells)
        layout.addLayout(self._grid)
        layout.addStretch(1)
        scroll.setWidget(inner)
        outer.addWidget(scroll)
        self.buttons: dict[str, QPushButton] = {}
        for name, text in (
            ("offset", "Use the offset"), ("accept", "Accept as is"), ("make", "Make proxy again"),
            ("choose", "Pair another file…"), ("prove", "Prove again"), ("find", "Find missing files…"),
        ):  # fmt: skip
            button = QPushButton(text)
            button.setProperty("small", True)
            button.setToolTip(_STEP_TIPS[name])
            button.clicked.connect(lambda _checked=False, name=name: self.step.emit(name))
            self.buttons[name] = button
        self._steps.addWidget(Flow(*self.buttons.values()))
        self.show_clip(None, None, "", 0)

    def show_clip(self, clip: Clip | None, proxy: Proxy | None, state: str, many: int) -> None:
        """A clip and its proxy; ``state`` in words; ``many`` are chosen."""
        self.title.setText("" if clip is None else clip.name if many < 2 else f"{many} selected, first {clip.name}")
        self.state.setText(state)
        proof = proxy.proof if proxy is not None else None
        grave = proof is not None and not proof.accepted and proof.state in ("doubtful", "refused")
        grave = grave or "missing" in state
        set_look(self.state, "warn" if grave else "")
        self._show_proof(proof, words.oddities(clip.original.info) if clip is not None else [])
        for name, shown in self._possible(clip, proxy, state).items():
            self.buttons[name].setVisible(shown)
        self.buttons["make"].setText("Make proxy" if proxy is None else "Make proxy again")
        if proof is not None and proof.better_offset is not None:
            self.buttons["offset"].setText(f"Use offset {proof.better_offset}")
        info = clip.original.info if clip is not None else None
        self.curve.show_curve(proof.curve if proof is not None else (), info.frames if info is not None else 1)
        self.curve.setVisible(proxy is not None)
        self._show_data(clip, proxy)

    def show_offer(self, row: OfferRow, clip: Clip | None) -> None:
        """What speaks for and against a file that a search found, and both files' data."""
        self.title.setText(row.path.name)
        self.state.setText(f"{row.becomes} {row.clip}".strip())
        set_look(self.state, "")
        lines = [f"{weight:+.1f}  {says}" for _kind, weight, says in sorted(row.evidence, key=lambda one: -one[1])]
        self.reasons.setText("\n".join([*([f"{row.verdict}: {row.why}"] if row.why else []), *lines]))
        self.reasons.setVisible(True)
        self.likeness.setText("+ speaks for the match, - against it (log odds)." if lines else "")
        for button in self.buttons.values():
            button.setVisible(False)
        self.curve.setVisible(False)
        info = getattr(row.thing, "info", None)
        if clip is None or info is None:
            self._fill([])
            return
        original, proxy = (clip.original.info, info) if row.kind == "proxy" else (info, clip.original.info)
        self._fill([("", "Original", "Proxy", False), *data_lines(original, proxy, row.offset)])

    def _show_proof(self, proof: Proof | None, about: list[str]) -> None:
        """What the proof found, and below it what is odd ``about`` the original."""
        if proof is None:
            self.reasons.setText("\n".join(about))
            self.reasons.setVisible(bool(about))
            self.likeness.setText("")
            return
        lines = [f"It {one}." if not one.startswith(("its", "no ", "the ")) else f"{one[0].upper()}{one[1:]}."
                 for one in (*proof.reasons, *proof.notes)]  # fmt: skip
        self.reasons.setText("\n".join([*lines, *about]))
        self.reasons.setVisible(bool(lines or about))
        places = len(proof.curve)
        self.likeness.setText(f"Likeness {proof.likeness:.3f}, mean of {places} places" if places else "")

    @staticmethod
    def _possible(clip: Clip | None, proxy: Proxy | None, state: str) -> dict[str, bool]:
        proof = proxy.proof if proxy is not None else None
        doubtful = proof is not None and proof.state in ("doubtful", "refused")
        video = clip is not None and clip.original.info.kind == "video"
        return {
            "offset": proof is not None and proof.better_offset is not None,
            "accept": doubtful and proof is not None and not proof.accepted,
            "make": video and (doubtful or proxy is None or "missing" in state),
            "choose": video,
            "prove": proof is not None,
            "find": "missing" in state,
        }

    def _show_data(self, clip: Clip | None, proxy: Proxy | None) -> None:
        lines: list[tuple[str, str, str, bool]] = []
        if clip is not None:
            info = proxy.info if proxy is not None else None
            lines = [("", "Original", "Proxy" if proxy is not None else "", False)]
            lines += data_lines(clip.original.info, info, proxy.offset if proxy is not None else 0)
        self._fill(lines)

    def _fill(self, lines: list[tuple[str, str, str, bool]]) -> None:
        for number, cells in enumerate(self._cells):
            line = lines[number] if number < len(lines) else ("", "", "", False)
            for cell, text in zip(cells, line[:3], strict=True):
                cell.setText(text)
            cells[0].setObjectName("quiet")
            for cell in cells[1:]:
                set_look(cell, "part" if line[3] else "quiet" if number == 0 else "")
                cell.setToolTip("differs" if line[3] else "")
