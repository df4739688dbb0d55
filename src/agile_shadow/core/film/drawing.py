"""The pictures of a film, one after the other, as its encoder wants them; and which files were opened for them."""

from __future__ import annotations

import time
from datetime import date
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from ..compositing import Compositor, Layer, Step, Window, picture_steps
from ..compositing.clear import may_be_clear
from ..errors import ExportError
from ..media import filter_chain, fit_rectangle
from ..media.sequence import exists
from ..playback import TimelineProgram
from ..presets import Mark
from ..project import Clip, Project
from ..proxies.marks import MarkPainter
from ..proxies.picture import is_rgb, matrix_name
from ..switch import Choice, Presence, choose
from ..timeline import NO_COLOUR, PLAIN, Side
from .formats import format_named
from .request import FilmRequest

_EXACT = "bicubic+accurate_rnd+full_chroma_int"
_BETWEEN = "yuv444p10le"  # in which marks are painted on pictures that are R G B in the end


class Drawing:
    """Draws frames of a film by number; for one thread. A picture that is one original, only fitted into the frame,
    goes past the compositor in its own depth and colours.
    """

    def __init__(self, request: FilmRequest, marked: bool = True) -> None:
        assert request.settings.picture is not None
        self._request = request
        self._format = format_named(request.settings.picture.format)
        self._only: Side | None = None if request.draft else "originals"
        self._project = request.project.but(showing="proxies" if request.draft else "originals")
        self._program = TimelineProgram.of(self._project) if request.draft else TimelineProgram(request.line)
        self._presence = Presence()
        self._compositor = Compositor(self._presence, limit=1, deep=True, only=self._only)
        self._graphs: dict[tuple[Any, ...], Graph] = {}
        self._painter = _painter(request) if marked and request.marks else None
        self._opened: dict[Path, str] = {}

    @property
    def opened(self) -> dict[Path, str]:
        """Every picture file that was opened so far, and whether as ``original``, ``proxy`` or ``baked``."""
        return {**self._compositor.files.opened, **self._opened}

    def close(self) -> None:
        """Let go of all files."""
        self._compositor.close()

    def frame(self, number: int) -> VideoFrame:
        """Frame ``number`` of the film. Raises ExportError, MediaError."""
        shown = self._request.frame_at(number)
        frame = self._baked(shown) if self._request.draft else None
        if frame is None:
            steps = picture_steps(self._request.line, shown)
            frame = self._plain(steps[0][0]) if self._is_plain(steps) else self._composed(steps)
        if self._painter is not None:
            self._paint(frame := self._paintable(frame), number)
            if frame.format.name != self._format.pixel_format:
                frame = frame.reformat(format=self._format.pixel_format, src_colorspace=Colorspace.ITU709,
                                       src_color_range=ColorRange.MPEG, dst_color_range=ColorRange.JPEG)  # fmt: skip
        return frame

    def _is_plain(self, steps: tuple[Step, ...]) -> bool:
        """Whether the picture is one clip as it is, in a format that keeps brightness and colour apart."""
        if self._format.is_rgb or len(steps) != 1 or len(steps[0]) != 1:
            return False
        layer = steps[0][0]
        effects = layer.block.effects
        untouched = layer.placement == PLAIN and effects.colour == NO_COLOUR and layer.shape == "fit"
        clip = self._project.clip(layer.block.clip)
        clear = clip is not None and may_be_clear(clip.original.info)
        return untouched and not clear and layer.weight >= 1 and layer.block.title is None

    # Composed pictures

    def _composed(self, steps: tuple[Step, ...]) -> VideoFrame:
        inner = self._request.inner
        size = (inner.width, inner.height)
        line = self._request.line
        drawn = self._compositor.picture(
            self._project, steps, Fraction(line.width, line.height), Window.all_of(size)
        )
        for one in drawn.shown:
            if one.problem or one.choice.path is None:
                raise ExportError(one.problem or one.choice.note, one.choice.clip.name, "Bring the original back.")
        return self._converted(drawn.pixels)

    def _baked(self, frame: int) -> VideoFrame | None:
        baked = self._program.baked(frame)
        if baked is None or not baked.path.exists():
            return None
        self._opened[baked.path] = "baked"
        inner = self._request.inner
        aspect = Fraction(self._request.line.width, self._request.line.height)
        window = Window.all_of((inner.width, inner.height))
        pixels = self._compositor.baked(baked.path, frame - baked.start, aspect, window)
        return self._converted(pixels)

    def _converted(self, pixels: NDArray[Any]) -> VideoFrame:
        """R G B of 16 bits as the encoder wants it, or as marks are painted on it."""
        wide, high = self._request.size
        inner = self._request.inner
        if (inner.width, inner.height) != (wide, high):
            whole = np.zeros((high, wide, 3), np.uint16)
            whole[inner.y : inner.y + inner.height, inner.x : inner.x + inner.width] = pixels
            pixels = whole
        picture = VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgb48le")
        if self._format.is_rgb and self._painter is None:
            return picture.reformat(format=self._format.pixel_format)
        wanted = _BETWEEN if self._format.is_rgb else self._format.pixel_format
        return picture.reformat(
            format=wanted,
            src_color_range=ColorRange.JPEG,
            dst_colorspace=Colorspace.ITU709,
            dst_color_range=ColorRange.MPEG,
        )

    # Pictures that are one file

    def _plain(self, layer: Layer) -> VideoFrame:
        choice = self._choice(layer)
        if choice is None or choice.path is None:
            name = choice.clip.name if choice is not None else None
            raise ExportError("its file is missing", name, "Bring it back.")
        rate = choice.clip.original.info.frame_rate or Fraction(25)
        self._compositor.files.begin()
        seconds = layer.seconds - choice.lead
        reader = self._compositor.files.open(self._project, choice, int(seconds * rate)).reader
        frame = reader.frame(reader.index.frame_at(seconds))
        return self._fitted(choice, frame, reader.index.time_base)

    def _choice(self, layer: Layer) -> Choice | None:
        """The file of a layer: the original, or for a draft what is there, the proxy first."""
        clip = self._project.clip(layer.block.clip)
        if clip is None:
            return None
        if not self._request.draft:
            return choose(self._project, clip, self._presence, only=self._only)
        return quickest(self._project, clip, self._presence, layer)

    def _fitted(self, choice: Choice, frame: VideoFrame, time_base: Fraction) -> VideoFrame:
        key = (choice.path, frame.width, frame.height, frame.format.name, int(frame.colorspace))
        graph = self._graphs.get(key)
        if graph is None:
            graph = self._graphs[key] = self._graph(choice, frame, time_base)
        copy = frame.reformat(format=frame.format.name)  # the graph takes its input; the reader may show it again
        copy.pts = None
        graph.push(copy)
        fitted = graph.pull()
        assert isinstance(fitted, VideoFrame)
        return fitted

    def _graph(self, choice: Choice, frame: VideoFrame, time_base: Fraction) -> Graph:
        info = choice.clip.original.info
        rotation = 0 if choice.kind == "proxy" else info.rotation
        inner, (wide, high) = self._request.inner, self._request.size
        place = fit_rectangle(info.display_aspect, inner.width, inner.height)
        width, height = max(2, place.width // 2 * 2), max(2, place.height // 2 * 2)
        stored = (height, width) if rotation % 180 else (width, height)
        turn = {0: [], 90: ["transpose=clock"], 180: ["hflip", "vflip"], 270: ["transpose=cclock"]}[rotation]
        x = inner.x + (inner.width - width) // 4 * 2
        y = inner.y + (inner.height - height) // 4 * 2
        matrix = "" if is_rgb(frame) else f":in_color_matrix={matrix_name(frame)}"
        steps = [
            f"scale={stored[0]}:{stored[1]}:flags={_EXACT}{matrix}:out_color_matrix=bt709:out_range=limited",
            *turn,
            "setsar=1",
            f"format={self._format.pixel_format}",
            f"pad={wide}:{high}:{x}:{y}",
        ]
        return filter_chain(frame, time_base, steps)

    # Marks

    def _paintable(self, frame: VideoFrame) -> VideoFrame:
        frame.color_range = ColorRange.MPEG
        frame.colorspace = Colorspace.ITU709
        return frame

    def _paint(self, frame: VideoFrame, number: int) -> None:
        assert self._painter is not None
        self._painter.paint(frame, self._request.timecode(number))


def quickest(project: Project, clip: Clip, presence: Presence, layer: Layer) -> Choice:
    """The file of a draft's layer: the one that is shown, the other half where that is not there."""
    while True:
        choice = choose(project, clip, presence, layer.seconds, layer.block)
        if choice.path is None or exists(choice.path):
            return choice
        presence.tell(choice.path, False)


def _painter(request: FilmRequest) -> MarkPainter:
    values = {
        "name": request.line.name,
        "project": request.project.name,
        "preset": request.settings.name,
        "date": date.fromtimestamp(time.time()).isoformat(),
        "reel": request.settings.reel,
    }
    marks: tuple[Mark, ...] = request.marks
    return MarkPainter(marks, values, request.timecode(0), request.size)
