"""The card of The Tern Ferry: which clips there are, and how each is drawn and encoded."""

from __future__ import annotations

import math
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.video.stream import VideoStream

from ..core.errors import from_os_error
from ..core.files import partial_path
from ..core.jobs import Report
from .canvas import Canvas
from .scenes import BEAT, SCENES
from .waves import clunks

_HEVC = {
    "preset": "ultrafast",
    "x265-params": "log-level=none:qp=26:rc-lookahead=0:scenecut=0:bframes=0:aq-mode=0:keyint=25",
}
_QUICK = {"preset": "ultrafast", "crf": "24", "bf": "0", "g": "25"}
_FIELDS = {"preset": "veryfast", "crf": "22", "bf": "2", "g": "12", "flags": "+ildct+ilme", "x264-params": "tff=1"}


@dataclass(frozen=True)
class ClipPlan:
    """One clip of the card: where it lies, its camera's picture, its scene. Sizes upright, in pixels. ``recorded``,
    ``camera``: what the file says of itself, where its container can."""

    number: int
    path: str
    scene: str
    width: int
    height: int
    rate: Fraction
    frames: int
    codec: str = "libx264"
    pixel_format: str = "yuv420p"
    options: dict[str, str] = field(default_factory=lambda: dict(_QUICK))
    container: str = "mov"
    grain: float = 2
    timecode: str | None = None
    reel: str | None = None
    sound: tuple[tuple[str, str], ...] = ()  # (codec, layout) of each stream
    portrait: bool = False
    variable: bool = False
    interlaced: bool = False
    sidecars: tuple[str, ...] = ()
    recorded: str = ""
    camera: str = ""


_PAL, _FILM, _FAST = Fraction(25), Fraction(24000, 1001), Fraction(50)
_POCKET = "POCKET/DCIM/100PCKT"
_MAIN = "MAIN_A001/CLIPS"

CLIPS = (
    ClipPlan(1, f"{_POCKET}/PCK_0007.MP4", "crank", 2704, 1520, _FAST, 200, container="mp4", timecode="09:12:04:10",
             sound=(("aac", "stereo"),), sidecars=(".THM",), recorded="2026-10-12T09:12:04"),
    ClipPlan(2, f"{_POCKET}/PCK_0008.MP4", "colony", 2704, 1520, _FAST, 200, container="mp4", timecode="09:20:31:02",
             sound=(("aac", "stereo"),), sidecars=(".THM",), recorded="2026-10-12T09:20:31"),
    ClipPlan(3, "PHONE/DCIM/VID_20261012_093142.mp4", "chick", 1080, 1920, Fraction(30), 150, container="mp4",
             sound=(("aac", "mono"),), portrait=True, variable=True, recorded="2026-10-12T09:31:42"),
    ClipPlan(4, "CAMCORDER/VIDEO/STREAM/00004.MTS", "jetty", 1920, 1080, _PAL, 125, options=_FIELDS, container="mpegts",
             sound=(("ac3", "stereo"),), interlaced=True, sidecars=(".IDX",)),
    ClipPlan(5, "CAMCORDER/VIDEO/STREAM/00005.MTS", "crossing", 1920, 1080, _PAL, 100, options=_FIELDS,
             container="mpegts", sound=(("ac3", "stereo"),), interlaced=True, sidecars=(".IDX",)),
    ClipPlan(6, "AERIAL/FLIGHT03/AIR_0012.MOV", "from_above", 5312, 2988, _FILM, 96, timecode="01:00:12:00",
             reel="AIR3", options={**_QUICK, "crf": "20"}, grain=3,
             recorded="2026-10-11T17:48:30", camera="Kite camera"),
    ClipPlan(7, f"{_MAIN}/A001C002/A001C002.MOV", "crossing", 3840, 2160, _PAL, 75, "libx265", "yuv420p10le", _HEVC,
             grain=9, timecode="10:14:20:05", reel="A001", sound=(("pcm_s24le", "mono"),) * 4, sidecars=(".XML",),
             recorded="2026-10-12T10:14:20", camera="Main camera"),
    ClipPlan(8, f"{_MAIN}/A001C001/A001C001.MOV", "colony", 4096, 2160, _PAL, 75, "libx265", "yuv420p10le", _HEVC,
             grain=9, timecode="10:02:11:18", reel="A001", sound=(("pcm_s24le", "mono"),) * 4, sidecars=(".XML",),
             recorded="2026-10-12T10:02:11", camera="Main camera"),
)  # fmt: skip

STILLS = (("STILLS/FERRY_0031.JPG", "jetty"), ("STILLS/FERRY_0032.JPG", "from_above"))
RECORDING = "RECORDER/TAKE_014.WAV"
EMPTY = f"{_POCKET}/PCK_0009.MP4"
CUT_OFF = f"{_POCKET}/PCK_0010.MP4"
NOTE = "ABOUT_THIS_CARD.TXT"
_NOTE_TEXT = "The Tern Ferry, day 3. All of this card was drawn by a program: no camera, person or place is real.\n"


def missing_from_card(card: Path) -> list[ClipPlan]:
    """The clips that are not on the card yet, light ones first."""
    return [plan for plan in CLIPS if not (card / plan.path).exists()]


def draw_card(
    card: Path,
    report: Callable[[str, float], None] = lambda name, done: None,
    shrink: int = 1,
    seconds: Fraction | None = None,
    draw: Callable[[tuple[ClipPlan, Path], Report], object] | None = None,
) -> None:
    """Draw the whole card into a folder; what is there already stays. ``report`` gets a file name and 0 to 1.

    ``shrink`` divides all frame sizes and ``seconds`` shortens all clips, for tests. Raises ShadowError for a folder
    that cannot be written.
    """
    try:
        draw_small_things(card, shrink)
    except OSError as error:
        raise from_os_error(error, card) from error
    for plan in missing_from_card(card):
        smaller = shrunk(plan, shrink, seconds)
        (draw or draw_clip)((smaller, card), lambda done, name=plan.path: report(name, done))
    draw_damaged(card)


def shrunk(plan: ClipPlan, shrink: int, seconds: Fraction | None = None) -> ClipPlan:
    """The same clip with smaller frames and at most so many seconds."""
    frames = plan.frames if seconds is None else min(plan.frames, math.ceil(seconds * plan.rate))
    return ClipPlan(
        **{
            **vars(plan),
            "width": _whole(plan.width // shrink),
            "height": _whole(plan.height // shrink),
            "frames": frames,
        }
    )


def _whole(value: int) -> int:
    return max(4, value // 4 * 4)  # fields of 4:2:0 need multiples of four


def draw_small_things(card: Path, shrink: int = 1) -> None:
    """Stills, the sound recording, sidecars and the note: all but the clips."""
    card.mkdir(parents=True, exist_ok=True)
    (card / NOTE).write_text(_NOTE_TEXT, encoding="utf-8")
    for number, (path, scene) in enumerate(STILLS):
        if not (card / path).exists():
            _draw_still(card / path, scene, 40 + number, _whole(6000 // shrink), _whole(4000 // shrink))
    if not (card / RECORDING).exists():
        _draw_recording(card / RECORDING)
    for plan in CLIPS:
        for ending in plan.sidecars:
            sidecar = (card / plan.path).with_suffix(ending)
            sidecar.parent.mkdir(parents=True, exist_ok=True)
            if not sidecar.exists():
                sidecar.write_text(
                    f"clip {Path(plan.path).stem}\nreel {plan.reel or '-'}\nscene {plan.scene}\n", encoding="utf-8"
                )
    empty = card / EMPTY
    empty.parent.mkdir(parents=True, exist_ok=True)
    empty.touch()


def draw_damaged(card: Path) -> None:
    """The clip whose recording broke off: the first half of another, under its own name."""
    whole, target = card / CLIPS[0].path, card / CUT_OFF
    if target.exists() or not whole.exists():
        return
    partial = partial_path(target)
    with whole.open("rb") as source, partial.open("wb") as half:
        half.write(source.read(whole.stat().st_size // 2))
    partial.replace(target)


def draw_clip(request: tuple[ClipPlan, Path], report: Report) -> None:
    """Draw one clip onto a card: a task for a worker. The file gets its name when it is whole."""
    plan, card = request
    target = card / plan.path
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = partial_path(target)
    try:
        with av.open(str(partial), "w", format=plan.container) as container:
            _encode(plan, container, report)
        shutil.move(partial, target)
    finally:
        partial.unlink(missing_ok=True)


def _encode(plan: ClipPlan, container: OutputContainer, report: Report) -> None:
    said = {"creation_time": plan.recorded, "model": plan.camera}
    container.metadata.update({name: value for name, value in said.items() if value})
    video = container.add_stream(plan.codec, rate=plan.rate, options=dict(plan.options))
    assert isinstance(video, VideoStream)
    video.width, video.height = (plan.height, plan.width) if plan.portrait else (plan.width, plan.height)
    video.pix_fmt = plan.pixel_format
    ticks = Fraction(1, 90_000) if plan.variable else 1 / plan.rate
    video.codec_context.time_base = ticks
    video.codec_context.color_primaries = video.codec_context.color_trc = video.codec_context.colorspace = 1
    if plan.portrait:
        video.set_display_rotation(-90)
    if plan.timecode:
        video.metadata["timecode"] = plan.timecode
    if plan.reel:
        video.metadata["reel_name"] = plan.reel
    sound = _Sound(plan, container)
    for number, frame in enumerate(_frames(plan)):
        frame.pts = _time(plan, number)
        frame.time_base = ticks
        for packet in video.encode(frame):
            container.mux(packet)
        sound.encode_until(float(Fraction(_time(plan, number + 1)) * ticks), container)
        report((number + 1) / plan.frames)
    for packet in video.encode(None):
        container.mux(packet)
    sound.finish(container)


def _time(plan: ClipPlan, number: int) -> int:
    """Presentation time in ticks; a variable-rate clip hesitates and now and then leaves a frame out."""
    if not plan.variable:
        return number
    return number * 3000 + (number * 7919 % 11) * 60 + (number // 40) * 3000


def _frames(plan: ClipPlan) -> Iterator[av.VideoFrame]:
    bits = 10 if "10" in plan.pixel_format else 8
    canvas = Canvas(plan.width, plan.height, bits, plan.number, plan.grain)
    scene = SCENES[plan.scene](canvas)
    ticks = Fraction(1, 90_000) if plan.variable else 1 / plan.rate
    for number in range(plan.frames):
        seconds = float(_time(plan, number) * ticks)
        scene.draw(seconds)
        if plan.interlaced:
            first = [plane.copy() for plane in canvas.planes]
            scene.draw(seconds + float(ticks) / 2)
            for plane, earlier in zip(canvas.planes, first, strict=True):
                plane[::2] = earlier[::2]
        canvas.finish(plan.number, number)
        yield _as_frame(canvas, plan, bits)


def _as_frame(canvas: Canvas, plan: ClipPlan, bits: int) -> av.VideoFrame:
    planes = [np.rot90(plane, 1) for plane in canvas.planes] if plan.portrait else canvas.planes
    frame = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], plan.pixel_format)
    for source, target in zip(planes, frame.planes, strict=True):
        view = np.frombuffer(target, np.uint16 if bits == 10 else np.uint8).reshape(target.height, -1)  # type: ignore[call-overload]
        view[:, : target.width] = source
    return frame


class _Sound:
    """The sound streams of a clip: a clunk with each flash of the lamp, another tone on each channel."""

    def __init__(self, plan: ClipPlan, container: OutputContainer) -> None:
        self._streams: list[tuple[AudioStream, str, range]] = []
        channel = 0
        for codec, layout in plan.sound:
            stream = container.add_stream(codec, rate=48_000, layout=layout)
            assert isinstance(stream, AudioStream)
            count = 2 if layout == "stereo" else 1
            self._streams.append((stream, layout, range(channel, channel + count)))
            channel += count
        self._position = 0

    def encode_until(self, seconds: float, container: OutputContainer) -> None:
        until = round(seconds * 48_000)
        if until <= self._position:
            return
        for stream, layout, channels in self._streams:
            wave = np.stack([clunks(self._position, until - self._position, channel, BEAT) for channel in channels])
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(wave), format="fltp", layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = 48_000, self._position, Fraction(1, 48_000)
            for packet in stream.encode(frame):
                container.mux(packet)
        self._position = until

    def finish(self, container: OutputContainer) -> None:
        for stream, _layout, _channels in self._streams:
            for packet in stream.encode(None):
                container.mux(packet)


def _draw_still(path: Path, scene: str, number: int, width: int, height: int) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    canvas = Canvas(width, height, 8, number, 1)
    SCENES[scene](canvas).draw(0.5)
    canvas.finish(number, 0)
    plan = ClipPlan(number, "", scene, width, height, Fraction(25), 1)
    partial = partial_path(path)
    with av.open(str(partial), "w", format="image2", options={"update": "1"}) as container:
        stream = container.add_stream("mjpeg", rate=25, options={"qmin": "4", "qmax": "4", "strict": "-1"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuvj420p"
        for packet in [*stream.encode(_as_frame(canvas, plan, 8).reformat(format="yuvj420p")), *stream.encode(None)]:
            container.mux(packet)
    partial.replace(path)


def _draw_recording(path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = partial_path(path)
    plan = ClipPlan(0, "", "crank", 2, 2, Fraction(25), 1, sound=(("pcm_s24le", "stereo"),))
    with av.open(str(partial), "w", format="wav") as container:
        container.metadata["date"] = "2026-10-12T09:11:30"
        sound = _Sound(plan, container)
        sound.encode_until(12.0, container)
        sound.finish(container)
    partial.replace(path)
