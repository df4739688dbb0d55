"""Posters and sound waves of blocks: asked for as they come into sight, made in workers, kept."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap

from ....core.errors import Cancelled
from ....core.jobs import Rank
from ....core.media.peaks import peaks
from ....core.media.sketch import Sketch, kept_sketch
from ....core.media.strip import StripRequest, strip
from ....core.project import Clip, Project
from ...posters import Posters
from ...work import Work
from .waves import WaveImages

Strip = list[tuple[float, QPixmap]]
Pictures = list[tuple[float, bytes]]
_PICTURES = 24  # along a clip
_OF_ORIGINAL = 6  # along one that has no proxy yet
_HIGH = 72  # pixels of one, enough for a block on a fine screen
_STRIPS = 120  # clips whose pictures are kept, about half a megabyte each
_STRIP_LIMIT = 20.0  # seconds without a sign of life
_LIMIT = 600.0  # seconds that a file's sound may take


class Sights:
    """What is drawn on blocks. ``changed`` is called on the interface thread when more has come."""

    def __init__(self, work: Work, changed: Callable[[], None]) -> None:
        self._work = work
        self._changed = changed
        self._posters = Posters(work, self._poster_came)
        self._pictures: dict[str, QPixmap | None] = {}
        self._waves: dict[str, NDArray[np.uint8] | None] = {}
        self._strips: OrderedDict[str, Strip] = OrderedDict()
        self._closed = False
        self.wave_images = WaveImages()
        self.version = 0  # counts what has come

    def poster(self, project: Project, clip: Clip) -> QPixmap | None:
        """A clip's small picture, None while there is none."""
        if clip.id not in self._pictures:
            self._pictures[clip.id] = None
            info = clip.original.info
            self._posters.want(clip.id, _lightest(project, clip, info.kind == "still"), info.sequence_rate)
        return self._pictures[clip.id]

    def _poster_came(self, clip: str, picture: bytes | None) -> None:
        if picture is not None and not self._closed:
            pixmap = QPixmap()
            pixmap.loadFromData(picture)
            self._pictures[clip] = pixmap
            self.version += 1
            self._changed()

    def strip(self, project: Project, clip: Clip) -> Strip:
        """Small pictures along a clip, with their places from 0 to 1; none while there are none."""
        if clip.id not in self._strips:
            self._strips[clip.id] = []
            if clip.original.info.kind == "video" and not self._closed:
                self._draw_strip(project, clip)
        self._strips.move_to_end(clip.id)
        return self._strips[clip.id]

    def _draw_strip(self, project: Project, clip: Clip) -> None:
        """From its proxy; from an original only some key frames, and when nothing else is to be done: it may be
        heavy."""
        proxy = next((one for one in clip.proxies if not one.offset), None)
        path = project.place_or_none(proxy.file if proxy is not None else clip.original.file)
        if path is None:
            return
        if proxy is not None:
            self._ask_for_strip(clip.id, "wanted", StripRequest(path, _PICTURES), _STRIP_LIMIT)
        else:
            few = StripRequest(path, _OF_ORIGINAL, clip.original.info.sequence_rate)
            self._work.in_background(lambda: kept_sketch(path), lambda found: self._from_sketch(clip.id, found, few))

    def _from_sketch(self, clip: str, found: Sketch | None, few: StripRequest) -> None:
        if self._closed:
            return
        if found is not None:
            self._keep_strip(clip, found.spread(_PICTURES))
        else:
            self._ask_for_strip(clip, "measure", few, _LIMIT)

    def sketch_came(self, clip: str) -> None:
        """More is there of a clip than a few key frames."""
        self._strips.pop(clip, None)
        self._changed()

    def _ask_for_strip(self, clip: str, rank: Rank, request: StripRequest, limit: float) -> None:
        future: Future[Pictures] = self._work.machine.shared(rank).submit(strip, request, stalled_after=limit)
        future.add_done_callback(lambda done: self._work.call_here(lambda: self._stripped(clip, done)))

    def _stripped(self, clip: str, future: Future[Pictures]) -> None:
        if self._closed:
            return
        try:
            found = future.result()
        except Exception:  # whatever a file does to its reader, its block has its poster
            return
        self._keep_strip(clip, found)

    def _keep_strip(self, clip: str, found: Pictures) -> None:
        pictures = []
        for place, data in found:
            pixmap = QPixmap()
            if pixmap.loadFromData(data):
                smooth = Qt.TransformationMode.SmoothTransformation
                pictures.append((place, pixmap.scaledToHeight(_HIGH, smooth)))
        self._strips[clip] = pictures
        while len(self._strips) > _STRIPS:
            self._strips.popitem(last=False)
        self.version += 1
        self._changed()

    def wave(self, project: Project, clip: Clip) -> NDArray[np.uint8] | None:
        """A clip's peaks, fifty a second; None while there are none."""
        if clip.id not in self._waves:
            self._waves[clip.id] = None
            path = _with_sound(project, clip)
            if path is not None:
                self._measure(clip.id, path)
        return self._waves[clip.id]

    def _measure(self, clip: str, path: Path) -> None:
        if self._closed:
            return
        future: Future[NDArray[np.uint8]] = self._work.machine.shared("wanted").submit(
            peaks, path, stalled_after=_LIMIT
        )
        future.add_done_callback(lambda done: self._work.call_here(lambda: self._measured(clip, done)))

    def _measured(self, clip: str, future: Future[NDArray[np.uint8]]) -> None:
        if self._closed:
            return
        try:
            self._waves[clip] = future.result()
        except Cancelled:
            return
        except Exception:  # whatever a file does to its reader, its block has no wave
            return
        self.version += 1
        self._changed()

    def forget(self) -> None:
        """Files came or went: ask again for what there was none of."""
        self._posters.forget()
        self._pictures = {clip: one for clip, one in self._pictures.items() if one is not None}
        self._waves = {clip: one for clip, one in self._waves.items() if one is not None}
        self._strips = OrderedDict((clip, one) for clip, one in self._strips.items() if one)

    def close(self) -> None:
        """End the workers."""
        self._closed = True
        self._posters.close()


def _lightest(project: Project, clip: Clip, still: bool) -> Path | None:
    """The file that is quickest to look at; of the proxies one whose first frame is the clip's."""
    proxy = next((one for one in clip.proxies if not one.offset), None)
    return project.place_or_none(proxy.file if proxy is not None and not still else clip.original.file)


def _with_sound(project: Project, clip: Clip) -> Path | None:
    if not clip.original.info.audio:
        return None
    proxy = next((one for one in clip.proxies if not one.offset and one.info.audio), None)
    return project.place_or_none(proxy.file if proxy is not None else clip.original.file)
