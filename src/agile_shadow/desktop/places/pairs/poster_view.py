"""The clips of the ledger as posters; the pointer looks through a proxy, or through the sketch of an original that has
none."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from functools import partial
from pathlib import Path

from PySide6.QtCore import QItemSelectionModel, Signal
from PySide6.QtGui import QPixmap

from ....core.errors import Cancelled
from ....core.media.sketch import kept_sketch
from ....core.media.strip import StripRequest, strip
from ....core.project import Clip
from ...poster_grid import Cell, PosterGrid
from ...tables import Index
from ...work import Work
from .ledger import LedgerModel
from .rows import Group, Pair

_KEPT = 40  # proxies looked through that are kept
_LIMIT = 20.0  # seconds without a sign of life
Pictures = list[tuple[float, bytes]]
_GRAVE = ("doubtful", "refused", "original missing", "proxy missing")


class Strips:
    """Pictures along proxies, made in a worker when one is first looked through. For the interface thread."""

    def __init__(self, work: Work, came: Callable[[], None]) -> None:
        self._work, self._came = work, came
        self._pool = work.machine.shared("wanted")
        self._known: OrderedDict[str, list[QPixmap]] = OrderedDict()

    def of(self, pair: Pair) -> list[QPixmap]:
        """The pictures of a pair's proxy, or of the sketch of a clip that has none; none while they are not there."""
        proxy, project = pair.proxy, self._work.session.project
        if proxy is None:
            return self._sketch(pair.clip, project.place_or_none(pair.clip.original.file))
        if pair.proxy_missing or proxy.info.kind == "still":
            return []
        key = f"{proxy.file.shelf} {proxy.file.path} {proxy.size}"
        if key not in self._known:
            self._begin(key)
            path = project.place_or_none(proxy.file)
            if path is not None:
                future: Future[Pictures] = self._pool.submit(strip, StripRequest(path), stalled_after=_LIMIT)
                future.add_done_callback(partial(self._tell_of, key))
        return self._known[key]

    def _sketch(self, clip: Clip, path: Path | None) -> list[QPixmap]:
        if clip.id not in self._known:
            self._begin(clip.id)
            if path is not None and clip.original.info.kind == "video":

                def look() -> Pictures:
                    found = kept_sketch(path)
                    return found.spread(StripRequest(path).count) if found is not None else []

                self._work.in_background(look, lambda found: self._keep(clip.id, found))
        return self._known[clip.id]

    def _begin(self, key: str) -> None:
        self._known[key] = []
        while len(self._known) > _KEPT:
            self._known.popitem(last=False)

    def forget(self, clip: str) -> None:
        """Look for the sketch of a clip again."""
        self._known.pop(clip, None)

    def _tell_of(self, key: str, future: Future[Pictures]) -> None:
        self._work.call_here(lambda: self._made(key, future))

    def _made(self, key: str, future: Future[Pictures]) -> None:
        try:
            pictures = future.result()
        except Cancelled:
            return
        except Exception:  # a proxy that cannot be looked through still has its poster
            return
        self._keep(key, pictures)

    def _keep(self, key: str, pictures: Pictures) -> None:
        found = []
        for _place, data in pictures:
            pixmap = QPixmap()
            if pixmap.loadFromData(data):
                found.append(pixmap)
        self._known[key] = found
        self._came()


class PosterView(PosterGrid):
    """``picked`` gives the clips that were selected here."""

    picked = Signal(object)

    def __init__(self, work: Work, model: LedgerModel) -> None:
        super().__init__(
            "Pairs as posters",
            "Each clip with its marks; move the pointer across a poster to look through its proxy, or through the key "
            "frames of its original",
        )
        self._strips = Strips(work, lambda: self.viewport().update())
        self._quiet = False
        self._pairs = model
        self.setModel(model)

    def cell_of(self, index: Index) -> Cell:
        """What is shown of a row."""
        row = self._pairs.rows[index.row()]
        if isinstance(row, Group):
            return Cell(row.title, heading=True)
        kinds = ["missing" if row.original_missing else "original"]
        kinds += ["missing" if row.proxy_missing else "proxy"] if row.proxy is not None else []
        word = "sound" if row.clip.original.info.kind == "sound" else ""
        looked_through = self.picture(row)
        picture = looked_through or self._pairs.large(row)
        state = "; ".join([row.state, *([", ".join(row.clip.tags)] if row.clip.tags else [])])
        if looked_through is not None and row.proxy is None:
            state = "key frames of the original"
        return Cell(row.clip.name, state, tuple(kinds), picture, word, row.kind in _GRAVE)

    def picture(self, pair: Pair) -> QPixmap | None:
        """The picture of its proxy at the place of the pointer, None where its poster is to be seen."""
        if self.over is None or self.over[0] >= len(self._pairs.rows) or self._pairs.rows[self.over[0]] is not pair:
            return None
        pictures = self._strips.of(pair)
        return pictures[min(len(pictures) - 1, int(self.over[1] * len(pictures)))] if pictures else None

    def sketch_came(self, clip: str) -> None:
        """A clip without a proxy can be looked through."""
        self._strips.forget(clip)
        self.viewport().update()

    def choose(self, clips: set[str]) -> None:
        """Select the cells of some clips."""
        selection = self.selectionModel()
        self._quiet = True
        selection.clearSelection()
        for number, row in enumerate(self._pairs.rows):
            if isinstance(row, Pair) and row.clip.id in clips:
                selection.select(self._pairs.index(number, 0), QItemSelectionModel.SelectionFlag.Select)
        self._quiet = False

    def selectionChanged(self, new: object, old: object) -> None:
        super().selectionChanged(new, old)  # type: ignore[arg-type]
        if not self._quiet:
            rows = [self._pairs.rows[index.row()] for index in self.selectionModel().selectedIndexes()]
            self.picked.emit({row.clip.id for row in rows if isinstance(row, Pair)})
