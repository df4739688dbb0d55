"""The film: every frame of the timeline from its original, encoded into a file that gets its name when it is whole."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from av.video.stream import VideoStream

from ..compositing import Compositor, Layer, Mixer, Step, Window, picture_steps
from ..errors import ExportError, from_os_error
from ..files import flush, partial_path
from ..jobs import Report
from ..media import SAMPLE_RATE, MediaInfo, filter_chain, fit_rectangle, probe
from ..playback import TimelineProgram
from ..project import Project
from ..project.guarding import refuse_footage
from ..proxies.picture import is_rgb, matrix_name
from ..switch import Choice, Presence, choose
from ..timeline import NO_COLOUR, PLAIN
from .check import final_check, used_blocks

_LAYOUT = "stereo"
_EXACT = "bicubic+accurate_rnd+full_chroma_int"


@dataclass(frozen=True)
class _Format:
    container: str
    video: str
    pixel_format: str
    options: dict[str, str]
    audio: str


FORMATS = {
    ".mp4": _Format("mp4", "libx264", "yuv420p", {"preset": "veryfast", "crf": "18"}, "aac"),
    ".mov": _Format("mov", "prores_ks", "yuv422p10le", {"profile": "2", "vendor": "apl0"}, "pcm_s24le"),
}


@dataclass(frozen=True)
class ExportRequest:
    """Render the project's timeline to ``out``; its ending chooses H.264 in .mp4 or ProRes in .mov."""

    project: Project
    out: Path


@dataclass(frozen=True)
class ExportResult:
    """The finished film: ``seconds`` is its length, ``sources`` the originals it was made from."""

    path: Path
    frames: int
    seconds: Fraction
    sources: tuple[Path, ...]

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        sources = [{"path": str(path), "kind": "original"} for path in self.sources]
        return {"path": str(self.path), "frames": self.frames, "seconds": float(self.seconds), "sources": sources}


def run_export(request: ExportRequest, report: Report) -> ExportResult:
    """Check, render and prove the film: a task for a worker. An older file of that name is replaced at the end.

    Raises ExportError: for an original that is missing or changed, an unknown ending, a name that is an original's,
    no room, or a film that does not have the frames of the timeline.
    """
    project = request.project
    chosen = FORMATS.get(request.out.suffix.lower())
    if chosen is None:
        raise ExportError("its ending says no format", request.out, "Name it .mp4 for H.264 or .mov for ProRes.")
    final_check(project).refuse_if_not_ready()
    sources = _sources(project)
    refuse_footage(project, request.out)
    partial = partial_path(request.out)
    try:
        request.out.parent.mkdir(parents=True, exist_ok=True)
        with av.open(str(partial), "w", format=chosen.container) as container:
            _Render(project, chosen, container, report).run()
        flush(partial)
        _prove(partial, project)
        refuse_footage(project, request.out)  # once more: it may have come to lie there meanwhile
        partial.replace(request.out)
        flush(request.out.parent)
    except av.error.FFmpegError as error:
        raise ExportError(f"the film could not be written ({error.strerror})", request.out, "Try again.") from error
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    finally:
        with suppress(OSError):  # its folder may be none, or gone
            partial.unlink(missing_ok=True)
    length = Fraction(project.timeline.length) / project.timeline.rate
    return ExportResult(request.out, project.timeline.length, length, tuple(sources.values()))


def _sources(project: Project) -> dict[str, Path]:
    found: dict[str, Path] = {}
    for block in used_blocks(project.timeline):
        clip = project.clip(block.clip)
        path = project.path(clip.original.file) if clip is not None else None
        assert path is not None
        found[block.clip] = path
    return found


def _prove(film: Path, project: Project) -> None:
    info: MediaInfo = probe(film)
    if info.frames != project.timeline.length or info.frame_rate != project.timeline.rate:
        raise ExportError(
            f"the film came out with {info.frames} frames instead of {project.timeline.length}", film, "Try again."
        )


class _Render:
    """One pass over the timeline."""

    def __init__(self, project: Project, chosen: _Format, container: OutputContainer, report: Report) -> None:
        self._timeline = project.timeline
        self._project = project.but(showing="originals")
        self._format = chosen
        self._container = container
        self._report = report
        self._presence = Presence()
        self._compositor = Compositor(self._presence, limit=1, deep=True, only="originals")
        self._mixer = Mixer(TimelineProgram(project.timeline), self._original, _refuse_silence)
        self._graphs: dict[tuple[Any, ...], Graph] = {}
        self._samples = 0

    def run(self) -> None:
        video, audio = self._add_streams()
        try:
            for number, frame in enumerate(self._frames()):
                frame.pts = number
                frame.time_base = 1 / self._timeline.rate
                frame.pict_type = 0
                for packet in video.encode(frame):
                    self._container.mux(packet)
                self._write_sound(number, audio)
                self._report((number + 1) / self._timeline.length)
            for stream in (video, audio):
                for last in stream.encode(None):
                    self._container.mux(last)
        finally:
            self._compositor.close()
            self._mixer.close()

    def _add_streams(self) -> tuple[VideoStream, AudioStream]:
        video = self._container.add_stream(self._format.video, rate=self._timeline.rate, options=self._format.options)
        assert isinstance(video, VideoStream)
        video.width, video.height = self._timeline.width, self._timeline.height
        video.pix_fmt = self._format.pixel_format
        video.codec_context.time_base = 1 / self._timeline.rate
        context = video.codec_context
        context.color_primaries = context.color_trc = context.colorspace = 1
        context.color_range = 1
        audio = self._container.add_stream(self._format.audio, rate=SAMPLE_RATE, layout=_LAYOUT)
        assert isinstance(audio, AudioStream)
        return video, audio

    def _frames(self) -> Iterator[VideoFrame]:
        for number in range(self._timeline.length):
            steps = picture_steps(self._timeline, number)
            if _is_plain(steps):
                yield self._plain(steps[0][0])
            else:
                yield self._composed(steps)

    def _composed(self, steps: tuple[Step, ...]) -> VideoFrame:
        size = (self._timeline.width, self._timeline.height)
        drawn = self._compositor.picture(self._project, steps, Fraction(*size), Window.all_of(size))
        for one in drawn.shown:
            if one.problem or one.choice.path is None:
                raise ExportError(one.problem or one.choice.note, one.choice.clip.name, "Bring the original back.")
        picture = VideoFrame.from_ndarray(drawn.pixels, format="rgb48le")
        return picture.reformat(
            format=self._format.pixel_format,
            src_color_range=ColorRange.JPEG,
            dst_colorspace=Colorspace.ITU709,
            dst_color_range=ColorRange.MPEG,
        )

    def _plain(self, layer: Layer) -> VideoFrame:
        """A picture that only has to be fitted into the frame, in its own depth and colours."""
        choice = self._original(layer)
        assert choice is not None and choice.path is not None
        rate = choice.clip.original.info.frame_rate or Fraction(25)
        self._compositor.files.begin()
        reader = self._compositor.files.open(self._project, choice, int(layer.seconds * rate)).reader
        frame = reader.frame(reader.index.frame_at(layer.seconds))
        return self._fitted(layer.block.clip, frame, reader.index.time_base)

    def _original(self, layer: Layer) -> Choice | None:
        clip = self._project.clip(layer.block.clip)
        return choose(self._project, clip, self._presence, only="originals") if clip is not None else None

    def _fitted(self, clip: str, frame: VideoFrame, time_base: Fraction) -> VideoFrame:
        key = (clip, frame.width, frame.height, frame.format.name)
        graph = self._graphs.get(key)
        if graph is None:
            graph = self._graphs[key] = self._graph(clip, frame, time_base)
        copy = frame.reformat(format=frame.format.name)  # the graph takes its input; the reader may show it again
        copy.pts = None
        graph.push(copy)
        fitted = graph.pull()
        assert isinstance(fitted, VideoFrame)
        return fitted

    def _graph(self, clip: str, frame: VideoFrame, time_base: Fraction) -> Graph:
        found = self._project.clip(clip)
        assert found is not None
        info = found.original.info
        place = fit_rectangle(info.display_aspect, self._timeline.width, self._timeline.height)
        width, height = place.width // 2 * 2, place.height // 2 * 2
        stored = (height, width) if info.rotation % 180 else (width, height)
        turn = {0: [], 90: ["transpose=clock"], 180: ["hflip", "vflip"], 270: ["transpose=cclock"]}[info.rotation]
        x, y = (self._timeline.width - width) // 4 * 2, (self._timeline.height - height) // 4 * 2
        matrix = "" if is_rgb(frame) else f":in_color_matrix={matrix_name(frame)}"
        steps = [
            f"scale={stored[0]}:{stored[1]}:flags={_EXACT}{matrix}:out_color_matrix=bt709:out_range=limited",
            *turn,
            "setsar=1",
            f"format={self._format.pixel_format}",
            f"pad={self._timeline.width}:{self._timeline.height}:{x}:{y}",
        ]
        return filter_chain(frame, time_base, steps)

    def _write_sound(self, number: int, audio: AudioStream) -> None:
        until = round(Fraction(number + 1) / self._timeline.rate * SAMPLE_RATE)
        samples = np.clip(self._mixer.read(self._samples, until - self._samples), -1, 1)
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.T), format="fltp", layout=_LAYOUT)
        frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, self._samples, Fraction(1, SAMPLE_RATE)
        for packet in audio.encode(frame):
            self._container.mux(packet)
        self._samples = until


def _refuse_silence(path: Path, why: str) -> None:
    """A film has no silence where its original sounds."""
    raise ExportError(f"no film is made: {why}", path, "Mute its blocks, or bring a whole copy of it.")


def _is_plain(steps: tuple[Step, ...]) -> bool:
    """Whether the picture is one clip as it is."""
    if len(steps) != 1 or len(steps[0]) != 1:
        return False
    layer = steps[0][0]
    effects = layer.block.effects
    untouched = effects.placement == PLAIN and effects.colour == NO_COLOUR
    return untouched and layer.weight >= 1 and layer.block.title is None
