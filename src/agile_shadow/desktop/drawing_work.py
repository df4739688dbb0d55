"""Drawing what is missing of the demo card in the background, light clips first."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ..core.amounts import counted
from ..core.errors import Cancelled, sentence
from ..core.jobs import Machine
from ..stand_ins import CLIPS, draw_clip, missing_from_card
from ..stand_ins.card import draw_damaged, draw_small_things
from .job_lines import JobLine

log = logging.getLogger(__name__)


class DrawingWork(QObject):
    """``grew``: another file lies on the card; ``failed`` with a sentence. Both on the drawing's thread."""

    grew = Signal()
    failed = Signal(str)

    def __init__(self, machine: Machine, card: Path) -> None:
        super().__init__()
        self.total = len(CLIPS)
        self.done = self.total - len(missing_from_card(card))
        self.active = True
        self._card = card
        self._machine = machine
        self._pool = machine.hire("wanted", 2)
        self._parts: dict[str, float] = {}
        self._thread = threading.Thread(target=self._draw, name="drawing", daemon=True)

    def begin(self) -> None:
        """Draw from now on."""
        self._thread.start()

    def _noter(self, path: str) -> Callable[[float], None]:
        return lambda done: self._parts.__setitem__(path, done)

    def _draw(self) -> None:
        try:
            draw_small_things(self._card)
            missing = missing_from_card(self._card)
            futures = [self._pool.submit(draw_clip, (plan, self._card), self._noter(plan.path)) for plan in missing]
            self.grew.emit()
            for future in futures:
                future.result()
                self.done += 1
                draw_damaged(self._card)
                self.grew.emit()
        except Cancelled:
            pass
        except Exception as error:  # the boundary to the user
            log.warning("drawing", exc_info=True)
            self.failed.emit(sentence(error))
        self.active = False
        self._machine.dismiss(self._pool)
        self._pool.close()
        self.grew.emit()

    def line(self) -> JobLine:
        """The row for the drawer."""
        parts = sum(part for part in self._parts.copy().values() if part < 1)
        fraction = min(1.0, (self.done + parts) / self.total)
        detail = f"{self.done} of {counted(self.total, 'clip')}"
        return JobLine("drawing", "Drawing the demo card", detail, fraction, "drawing", True)

    def wait(self, limit: float) -> bool:
        """Whether it had ended within ``limit`` seconds; it ends with the machine."""
        self._thread.join(limit)
        return not self._thread.is_alive()
