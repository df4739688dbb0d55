"""The picture of a frame: its layers found, decoded, coloured, placed and laid over one another."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ShadowError, sentence
from ..late import cv2
from ..media.lightening import Light
from ..media.pictures import to_pixels
from ..media.sequence import exists
from ..project import Clip, Project
from ..switch import Choice, Presence, choose
from ..timeline import PLAIN, Block, Side, Timeline
from .clear import may_be_clear
from .colours import Pixels, grade_of
from .files import OpenPicture, OpenPictures, Reader
from .layers import Layer, Step, picture_steps
from .lettering import rolled, stand_in, title_picture
from .overlay import Drawn, black, in_place, laid, seen_part
from .placing import Spot, laid_as, spot, spot_once
from .sketched import Sketches
from .window import Window

_LARGEST_TITLE = (4096, 4096)  # pixels at which text is drawn; beyond that it is enlarged
_HELPERS = 2  # layers drawn side by side
_PACE_OVER, _PACE_FROM = 50, 5  # frames
_STILL = Fraction(0)
_CHOICES = 64  # kept


def step_of(speed: Fraction) -> int:
    """Frames from one that is shown to the next: above double speed not all are."""
    return max(1, abs(speed).__floor__() // 2) * (1 if speed > 0 else -1)


@dataclass(frozen=True)
class Shown:
    """A layer as it was drawn: the file it came from and the number of its frame there, -1 for none."""

    block: Block
    choice: Choice
    file_frame: int = -1
    problem: str = ""


@dataclass(frozen=True)
class Composite:
    """``pixels``: uint8 (height, width, 4) B G R A, or uint16 (height, width, 3) R G B of a deep one; ``shown`` the
    layers of clips, the lowest first."""

    pixels: Pixels
    shown: tuple[Shown, ...]


@dataclass(frozen=True)
class _Found:
    """The file chosen for a layer, open where it can be; ``problem``: why it cannot."""

    choice: Choice | None = None
    file: OpenPicture | None = None
    problem: str = ""


_Result = tuple[Shown | None, Drawn | None]


class Paces:
    """How much of its own time each file takes to decode, over the last frames read in order."""

    def __init__(self) -> None:
        self._parts: dict[Path, tuple[float, int]] = {}  # mean part of a frame's time, frames counted

    def tell(self, path: Path, part: float) -> None:
        """A frame took ``part`` of its time on the screen."""
        mean, count = self._parts.get(path, (part, 0))
        weight = max(1 / (count + 1), 1 / _PACE_OVER)
        self._parts[path] = (mean + (part - mean) * weight, count + 1)

    def ratio(self, path: Path) -> float | None:
        """How many times its own rate a file decodes; None before enough frames were read."""
        mean, count = self._parts.get(path, (0.0, 0))
        return 1 / mean if count >= _PACE_FROM and mean > 0 else None


class Compositor:
    """Draws frames; for one thread. ``limit``: files kept open. ``deep``: pictures of 16 bits a colour, for the film.

    ``only``: this side of every clip and no other, whatever the switch and pins say.
    """

    def __init__(self, presence: Presence, limit: int = 6, deep: bool = False, only: Side | None = None) -> None:
        self.presence = presence
        self.files = OpenPictures(presence, limit)
        self._deep = deep
        self._only: Side | None = only
        self._helpers: ThreadPoolExecutor | None = None
        self.paces = Paces()
        self._sketches = Sketches()
        self._chosen_in: tuple[Project | None, int] = (None, -1)
        self._chosen: dict[tuple[str, Side | None, Fraction], Choice] = {}

    def close(self) -> None:
        """Let go of all files."""
        self.files.close()
        if self._helpers is not None:
            self._helpers.shutdown()
            self._helpers = None

    def picture(
        self,
        project: Project,
        steps: tuple[Step, ...],
        aspect: Fraction,
        window: Window,
        overtaken: Callable[[], bool] = lambda: False,
        light: Light = Light.WHOLE,
    ) -> Composite:
        """The picture of ``steps`` (from :func:`picture_steps`) in a window on a frame of ``aspect``.

        ``light``: what decoding originals leaves out. Raises Overtaken when ``overtaken`` says so. A
        file that cannot be shown is stood in for by a picture in words.
        """
        self.files.begin()
        found = [(layer, self._found(project, layer, light)) for step in steps for layer in step]
        results = self._drawn(project, found, aspect, window, overtaken)
        return self._composed(steps, results, window.size)

    def _composed(self, steps: tuple[Step, ...], results: list[_Result], size: tuple[int, int]) -> Composite:
        """The layers' results, in their order, laid over each other."""
        left = iter(results)
        canvas: Pixels | None = None
        for step in steps:
            there = [one for _layer in step if (one := next(left)[1]) is not None]
            canvas = laid(canvas, there, size, self._deep)
        shown = tuple(result[0] for result in results if result[0] is not None)
        return Composite(canvas if canvas is not None else black(size, self._deep), shown)

    def sketched(
        self, project: Project, steps: tuple[Step, ...], aspect: Fraction, window: Window, speed: Fraction = _STILL
    ) -> Composite | None:
        """The same of key frames from sketches, where a picture is going to take its time; None where it is of
        titles only, or one of its files has no sketch, is a proxy, or is quick: while playing at a ``speed``, quick
        enough for that. Nothing is opened and decoded."""
        results: list[_Result] = []
        for layer in (layer for step in steps for layer in step):
            clip = project.clip(layer.block.clip)
            weight = layer.weight * layer.placement.opacity
            if layer.block.title is not None or clip is None:
                titled = layer.block.title is not None
                results.append((None, _title(layer, aspect, window, weight, self._deep) if titled else None))
                continue
            choice = self._choice(project, clip, layer)
            picture = self._sketch_for(choice, layer.seconds - choice.lead, speed)
            if picture is None:
                return None
            place = _place_of(choice, layer, aspect, window, (picture.shape[1], picture.shape[0]))
            if place is None or weight <= 0:
                results.append((Shown(layer.block, choice), None))
                continue
            pixels = _graded(layer, cv2.resize(picture, place.size, interpolation=cv2.INTER_CUBIC))
            results.append((Shown(layer.block, choice), in_place(pixels, place, None, weight)))
        of_clips = any(shown is not None for shown, _drawn in results)
        return self._composed(steps, results, window.size) if of_clips else None

    def _sketch_for(self, choice: Choice, seconds: Fraction, speed: Fraction) -> Pixels | None:
        if choice.path is None or choice.kind != "original" or choice.clip.original.info.kind != "video":
            return None
        if speed:
            return self._sketches.picture(choice.path, float(seconds)) if self._is_slow(choice.path, speed) else None
        file = self.files.last(choice.path)
        steps = file.reader.index.frame_at(seconds) - file.reader.position if file is not None else None
        if not self._sketches.wanted(choice.path, steps):
            return None
        return self._sketches.picture(choice.path, float(seconds))

    def _is_slow(self, path: Path, speed: Fraction) -> bool:
        """Whether a file is known not to keep up with a speed; backward every frame may be a leap."""
        file = self.files.last(path)
        if speed < 0:
            return self._sketches.wanted(path, None)
        pace, alone = self.paces.ratio(path), file is not None and file.reader.index.intra
        return pace is not None and pace < (speed / abs(step_of(speed)) if alone else speed)

    def _drawn(
        self, project: Project, found: list[tuple[Layer, _Found]], aspect: Fraction, window: Window,
        overtaken: Callable[[], bool],
    ) -> list[_Result]:  # fmt: skip
        """All layers, side by side where there are several: decoding and scaling leave other threads to run."""

        def draw(one: tuple[Layer, _Found]) -> _Result:
            return self._layer(project, *one, aspect, window, overtaken)

        if sum(one.file is not None for _layer, one in found) < 2:
            return [draw(one) for one in found]
        if self._helpers is None:
            self._helpers = ThreadPoolExecutor(_HELPERS, "layers")
        drawing = [self._helpers.submit(draw, one) for one in found]
        wait(drawing)  # all of them, also when one is overtaken: a file must not be read by two threads at a time
        return [one.result() for one in drawing]

    def prepare(self, project: Project, steps: tuple[Step, ...]) -> None:
        """Open the files of a picture without decoding anything; those that cannot be opened are left for later."""
        self.files.begin()
        for layer in (layer for step in steps for layer in step):
            clip = project.clip(layer.block.clip)
            choice = choose(project, clip, self.presence, layer.seconds, layer.block) if clip is not None else None
            if choice is not None and choice.path is not None:
                with suppress(ShadowError):
                    self._file(project, choice, layer.seconds)

    def baked(self, path: Path, number: int, aspect: Fraction, window: Window) -> Pixels:
        """Frame ``number`` of a file that holds whole frames of ``aspect``, in a window. Raises ShadowError."""
        self.files.begin()
        file = self.files.open_plain(path)
        frame = file.reader.frame(number)
        place = spot(PLAIN, float(aspect), float(aspect), window, (frame.width, frame.height))
        if place is None:
            return black(window.size, self._deep)
        drawn = in_place(to_pixels(frame, *place.size, file.converter, self._deep), place, None, 1.0)
        whole = laid(None, [drawn], window.size, self._deep)
        assert whole is not None
        return whole

    def only_file(self, drawn: Composite) -> tuple[Reader, Fraction] | None:
        """The open file of a picture that was made of one, and the seconds of the clip before its first frame."""
        if len(drawn.shown) != 1 or drawn.shown[0].choice.path is None:
            return None
        file = self.files.last(drawn.shown[0].choice.path)
        return (file.reader, drawn.shown[0].choice.lead) if file is not None else None

    def _choice(self, project: Project, clip: Clip, layer: Layer) -> Choice:
        """The file of a layer. Asked twice for a picture that stands, for its sketch and for itself, and again for each
        frame of a stretch: the last ones are kept for as long as the project and what is there are the same."""
        state = project, self.presence.version
        if self._chosen_in[0] is not project or self._chosen_in[1] != state[1] or len(self._chosen) > _CHOICES:
            self._chosen_in, self._chosen = state, {}
        key = clip.id, layer.block.pin, layer.seconds
        if key not in self._chosen:
            self._chosen[key] = choose(project, clip, self.presence, layer.seconds, layer.block, self._only)
        return self._chosen[key]

    def _found(self, project: Project, layer: Layer, light: Light) -> _Found:
        """The file of a layer, open; what is missing is told and the other side taken."""
        clip = project.clip(layer.block.clip)
        if layer.block.title is not None or clip is None:
            return _Found()
        while True:
            choice = self._choice(project, clip, layer)
            if choice.path is None:
                return _Found(choice)
            try:
                return _Found(choice, self._file(project, choice, layer.seconds, light))
            except ShadowError as error:
                if exists(choice.path):
                    return _Found(choice, None, sentence(error))
                self.presence.tell(choice.path, False)

    def _layer(
        self,
        project: Project,
        layer: Layer,
        found: _Found,
        aspect: Fraction,
        window: Window,
        overtaken: Callable[[], bool],
    ) -> _Result:
        weight = layer.weight * layer.placement.opacity
        if layer.block.title is not None:
            return None, _title(layer, aspect, window, weight, self._deep)
        if found.choice is None:
            return None, None
        number, frame, problem = -1, None, found.problem
        if found.file is not None:
            number = found.file.reader.index.frame_at(layer.seconds - found.choice.lead)
            try:
                frame = self._frame(found.file, found.choice, number, overtaken)
            except ShadowError as error:
                problem = sentence(error)
        shown = Shown(layer.block, found.choice, number, problem)
        if weight <= 0:
            return shown, None
        return shown, self._placed((shown, found.file, frame), layer, aspect, window, weight)

    def _frame(self, file: OpenPicture, choice: Choice, number: int, overtaken: Callable[[], bool]) -> Any:
        """Decode a frame; how long it took is remembered where it is one of the next ones."""
        steps = number - file.reader.position
        begun = time.perf_counter()
        frame = file.reader.frame(number, overtaken)
        rate = choice.clip.original.info.frame_rate
        took = time.perf_counter() - begun
        self._sketches.tell(file.path, steps, took)
        if 0 < steps <= 2 and rate:
            self.paces.tell(file.path, took / steps * float(rate))
        return frame

    def _file(
        self, project: Project, choice: Choice, seconds: Fraction, light: Light = Light.WHOLE
    ) -> OpenPicture:
        rate = choice.clip.original.info.frame_rate or Fraction(25)
        return self.files.open(project, choice, int((seconds - choice.lead) * rate), light)

    def _placed(
        self, found: tuple[Shown, OpenPicture | None, Any], layer: Layer, aspect: Fraction, window: Window,
        weight: float,
    ) -> Drawn | None:  # fmt: skip
        shown, file, frame = found
        native = window.size if frame is None else (frame.width, frame.height)
        if frame is not None and frame.rotation % 180:
            native = native[::-1]
        place = _place_of(shown.choice, layer, aspect, window, native)
        if place is None:
            return None
        opacity = None
        if frame is None or file is None:
            pixels = _as(stand_in(shown.choice.clip.name, shown.problem or shown.choice.note, place.size), self._deep)
        else:
            pixels, opacity = file.pixels(frame, place.size, self._deep, may_be_clear(shown.choice.clip.original.info))
            pixels = _graded(layer, pixels)
        drawn = in_place(pixels, place, opacity, weight)
        return drawn if opacity is None else seen_part(drawn)


def _place_of(choice: Choice, layer: Layer, aspect: Fraction, window: Window, native: tuple[int, int]) -> Spot | None:
    """Where a clip's picture of ``native`` (width, height) pixels lies in the window; None where it is out of sight."""
    info = choice.clip.original.info
    shape = float(info.display_aspect or aspect)
    placement = laid_as(layer.shape, layer.placement, shape, float(aspect), info.display_width, layer.across)
    return (spot_once if layer.moves else spot)(placement, shape, float(aspect), window, native)


def _graded(layer: Layer, pixels: Pixels) -> Pixels:
    grade = grade_of(layer.block.effects.colour)
    return grade.apply(pixels) if grade is not None else pixels


def picture_of(
    project: Project, line: Timeline, frame: int, size: tuple[int, int], side: Side, deep: bool = False
) -> Composite:
    """A timeline's picture at ``size`` (width, height) from one side of every clip, whatever switch and pins say."""
    compositor = Compositor(Presence(), deep=deep, only=side)
    try:
        aspect = Fraction(line.width or 16, line.height or 9)
        return compositor.picture(
            project.but(showing=side), picture_steps(line, frame), aspect, Window.all_of(size)
        )
    finally:
        compositor.close()


def _as(pixels: NDArray[np.uint8], deep: bool) -> Pixels:
    """An 8-bit picture, B G R A, as it is or as a deep one."""
    return np.ascontiguousarray(pixels[..., 2::-1].astype(np.uint16) * 257) if deep else pixels


def _title(layer: Layer, aspect: Fraction, window: Window, weight: float, deep: bool) -> Drawn | None:
    assert layer.block.title is not None
    find = spot_once if layer.moves else spot
    place = find(layer.placement, float(aspect), float(aspect), window, _LARGEST_TITLE)
    if place is None or weight <= 0:
        return None
    title = layer.block.title
    colours, opacity = rolled(title, place.size, layer.part) if title.roll else title_picture(title, place.size)
    drawn = seen_part(in_place(colours, place, opacity, weight))
    if drawn is None:
        return None
    if deep:
        return replace(drawn, pixels=drawn.pixels.astype(np.uint16) * 257)
    return replace(drawn, pixels=cv2.cvtColor(np.ascontiguousarray(drawn.pixels), cv2.COLOR_RGB2BGRA))
