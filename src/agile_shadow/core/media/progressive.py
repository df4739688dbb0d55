"""Interlaced files read as progressive pictures, one per frame."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
from av.filter import Graph
from av.video.frame import VideoFrame

from ..errors import MediaError
from .chain import filter_chain
from .frames import FrameReader
from .index import FrameIndex
from .lightening import Light

_READ_THROUGH = 8  # frames that are filtered and left out rather than starting anew


class ProgressiveReader:
    """Like :class:`FrameReader`, with the fields of each frame woven into one picture (filter bwdif)."""

    def __init__(self, path: Path) -> None:
        self._reader = FrameReader(path)
        self._graph: Graph | None = None
        self._fed = 0  # number of the next frame to feed
        self._position = -2
        self._last: VideoFrame | None = None

    @property
    def path(self) -> Path:
        """The file."""
        return self._reader.path

    @property
    def index(self) -> FrameIndex:
        """Number and time of every frame."""
        return self._reader.index

    @property
    def position(self) -> int:
        """Number of the last frame given; negative before the first."""
        return self._position

    def close(self) -> None:
        """Let go of the file."""
        self._reader.close()

    def frame(self, number: int, overtaken: Callable[[], bool] = lambda: False) -> VideoFrame:
        """Frame ``number`` as a progressive picture. Errors as of :meth:`FrameReader.frame`."""
        if number == self._position and self._last is not None:
            return self._last
        if self._graph is None or not self._position < number <= self._position + _READ_THROUGH:
            self._begin(max(0, number - 1))
        while self._position < number:
            self._last = self._next(overtaken)
            self._position += 1
        assert self._last is not None
        return self._last

    def _begin(self, first: int) -> None:
        frame = self._reader.frame(first)
        graph = filter_chain(frame, Fraction(1, 25), ["bwdif=mode=send_frame:deint=all"])
        self._graph, self._fed, self._position = graph, first, first - 1

    def _next(self, overtaken: Callable[[], bool]) -> VideoFrame:
        assert self._graph is not None
        while True:
            try:
                frame = self._graph.pull()
            except av.error.BlockingIOError:
                self._feed(overtaken)
                continue
            except av.error.EOFError as error:
                self._graph = None
                raise MediaError("ends before its last frame", self.path, "Check the file.") from error
            assert isinstance(frame, VideoFrame)
            return frame

    def _feed(self, overtaken: Callable[[], bool]) -> None:
        assert self._graph is not None
        if self._fed >= len(self.index):
            self._graph.push(None)
            return
        frame = self._reader.frame(self._fed, overtaken)
        frame.pts = self._fed
        self._graph.push(frame)
        self._fed += 1


def open_reader(
    path: Path, interlaced: bool, rate: Fraction | None = None, light: Light = Light.WHOLE, device: str = ""
) -> FrameReader | ProgressiveReader:
    """The reader that gives progressive pictures of a file, or of a sequence at ``rate``; interlaced ones are always
    decoded whole and in software. Raises MediaError."""
    return ProgressiveReader(path) if interlaced else FrameReader(path, rate, light, device)
