"""Faults planted into films on their way to the file, for tests and benchmarks of the proof."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from av.video.frame import VideoFrame

from agile_shadow.core.compositing.mixer import Samples
from agile_shadow.core.film import drawing, render
from agile_shadow.core.film.request import FilmRequest
from agile_shadow.core.film.writing import FileWriter
from agile_shadow.core.switch import choose

Order = Callable[[int], list[int]]  # of a number of pictures, in what order they are written


class Faulty(FileWriter):
    """Writes the pictures in another order, or the sound late by some samples."""

    order: Order = staticmethod(lambda count: list(range(count)))
    late = 0

    def __init__(self, request: FilmRequest, path: Path, sounds: int) -> None:
        super().__init__(request, path, sounds)
        self._frames: list[VideoFrame] = []
        self._delayed: list[Samples] = []

    def picture(self, frame: VideoFrame, number: int) -> None:
        self._frames.append(frame)

    def sound(self, first: int, streams: Iterable[Samples]) -> None:
        pieces = list(streams)
        if self.late:
            self._delayed = self._delayed or [np.zeros((self.late, one.shape[1]), np.float32) for one in pieces]
            joined = [np.concatenate(pair) for pair in zip(self._delayed, pieces, strict=True)]
            self._delayed = [one[len(piece) :] for one, piece in zip(joined, pieces, strict=True)]
            pieces = [one[: len(piece)] for one, piece in zip(joined, pieces, strict=True)]
        super().sound(first, pieces)

    def finish(self) -> None:
        for number, place in enumerate(self.order(len(self._frames))):
            copy = self._frames[place].reformat(format=self._frames[place].format.name)
            copy = VideoFrame.from_ndarray(copy.to_ndarray(), format=copy.format.name)
            super().picture(copy, number)
        super().finish()


@contextmanager
def writing(order: Order | None = None, late: int = 0) -> Iterator[None]:
    """Films are written in another order of pictures, or with their sound late by so many samples."""
    kind = type("Planted", (Faulty,), {"late": late, **({"order": staticmethod(order)} if order is not None else {})})
    before = render.FileWriter
    render.FileWriter = kind  # type: ignore[misc]
    try:
        yield
    finally:
        render.FileWriter = before  # type: ignore[misc]


@contextmanager
def from_proxy(clip: str) -> Iterator[None]:
    """One clip is drawn from its proxy."""

    def chosen(project: Any, wanted: Any, presence: Any, *more: Any, **named: Any) -> Any:
        if wanted.name == clip:
            return choose(project.but(showing="proxies"), wanted, presence)
        return choose(project, wanted, presence, *more, **named)

    before = drawing.choose
    drawing.choose = chosen
    try:
        yield
    finally:
        drawing.choose = before


def repeated(at: int) -> Order:
    """Picture ``at`` is the one before it once more."""
    return lambda count: [number - 1 if number == at else number for number in range(count)]


def dropped(at: int) -> Order:
    """Picture ``at`` is left out; the last one stands twice, so that the number is right."""
    return lambda count: [number for number in range(count) if number != at] + [count - 1]


def missing(at: int) -> Order:
    """Picture ``at`` is left out."""
    return lambda count: [number for number in range(count) if number != at]


def exchanged(first: int, middle: int, end: int) -> Order:
    """The pictures from ``middle`` to ``end`` come before those from ``first`` to ``middle``."""
    return lambda count: [*range(first), *range(middle, end), *range(first, middle), *range(end, count)]
