"""Probing: what a file is, found by opening it and decoding its first frame."""

from __future__ import annotations

import os
import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.stream import AudioStream as AvAudioStream
from av.container import InputContainer
from av.video.stream import VideoStream

from ..errors import MediaError
from ..texts import whole_text
from ..time import frame_of, is_drop_frame, timecode_at
from .clock import since_midnight
from .edits import refuse_other_speeds, timecode_shift
from .index import FrameIndex, read_index
from .info import JOINED, SEQUENCE, AudioStream, MediaInfo
from .joined import parts_of
from .oddities import damage_of, picture_oddities
from .opening import ODD_FILE, open_media
from .recording import form_of, is_joined, is_sequence
from .sequence import status

VIDEO_NAMES = frozenset(
    [
        ".mov",
        ".mp4",
        ".m4v",
        ".mxf",
        ".mts",
        ".m2ts",
        ".m2t",
        ".ts",
        ".mpg",
        ".mpeg",
        ".avi",
        ".mkv",
        ".webm",
        ".3gp",
        ".mjpeg",
        ".dv",
        ".mod",
        ".tod",
        ".vob",
    ]
)
SOUND_NAMES = frozenset([".wav", ".bwf", ".aif", ".aiff", ".flac", ".mp3", ".m4a", ".ogg", ".opus", ".w64", ".rf64"])
STILL_NAMES = frozenset([".jpg", ".jpeg", ".png", ".tif", ".tiff", ".dpx", ".exr", ".bmp", ".webp", ".heic"])
SMALL_COPY_NAMES = frozenset([".lrv", ".lrf"])  # video that cameras keep beside a clip for looking at it
MADE_BY = "agile-shadow "  # begins the comment in the files this program makes
_KINDS = {
    ending: kind
    for kind, endings in (("video", VIDEO_NAMES), ("sound", SOUND_NAMES), ("still", STILL_NAMES))
    for ending in endings
}
_DATE = re.compile(r"^(\d{4})[-:](\d{2})[-:](\d{2})(?:[T ](\d{2}:\d{2}:\d{2}))?")
_LONGEST = 500  # letters of what a file says of itself
_STILL_FORMATS = ("image2", "_pipe")


def is_known_media_name(name: str) -> str | None:
    """``"video"``, ``"sound"`` or ``"still"`` by the ending of a file name, None for anything else."""
    return _KINDS.get(os.path.splitext(name)[1].lower())


def is_small_copy_name(name: str) -> bool:
    """Whether the ending of a file name says that it is a camera's small copy of a clip."""
    return Path(name).suffix.lower() in SMALL_COPY_NAMES


def probe(path: Path, rate: Fraction | None = None) -> MediaInfo:
    """Everything the program wants to know about a file, or a sequence at ``rate``. Raises MediaError in words."""
    with open_media(path, rate) as container:
        try:
            if "mov" in container.format.name or form_of(path) == "parts":
                for part in parts_of(path):
                    refuse_other_speeds(part)
            if container.streams.video:
                return _sensible(_probe_picture(path, container, container.streams.video[0]), path)
            if container.streams.audio:
                return _sensible(_probe_sound(path, container), path)
        except av.error.FFmpegError as error:
            raise MediaError(f"cannot be decoded ({error.strerror})", path, "Check the file.") from error
        except ODD_FILE as error:
            raise MediaError(
                "is damaged or not a supported media file", path, "Check the file."
            ) from error
    raise MediaError("has neither picture nor sound", path, "Leave it out.")


def _sensible(info: MediaInfo, path: Path) -> MediaInfo:
    """What can be kept in a project, and read from it again. Raises MediaError for what no footage is."""
    info = replace(
        info, camera=_short(info.camera), recorded=_short(info.recorded), made_as=_short(info.made_as),
        reel=_short(info.reel) if info.reel is not None else None,
        start_timecode=_short(info.start_timecode) if info.start_timecode is not None else None,
    )  # fmt: skip
    try:
        return MediaInfo.from_json(info.to_json())
    except (ValueError, TypeError, ArithmeticError) as error:
        raise MediaError("says impossible things of itself", path, "Check the file.") from error


def _short(text: str) -> str:
    return whole_text(text)[:_LONGEST]


def _probe_sound(path: Path, container: InputContainer) -> MediaInfo:
    stream = container.streams.audio[0]
    if next(container.decode(stream), None) is None:
        raise MediaError("has no sound that can be decoded", path, "Check the file.")
    duration = Fraction(container.duration or 0, 1_000_000)
    return MediaInfo(
        kind="sound",
        container=container.format.name,
        size=path.stat().st_size,
        duration=duration,
        codec=stream.codec_context.name,
        start_timecode=None,
        audio=_audio_streams(container),
        recorded=recorded_in(container),
        damage=damage_of(path, container, None, None),
        since_midnight=since_midnight(path, container, stream.codec_context.sample_rate),
    )


def _probe_picture(path: Path, container: InputContainer, stream: VideoStream) -> MediaInfo:
    sequence = is_sequence(path)
    is_still = not sequence and any(mark in container.format.name for mark in _STILL_FORMATS)
    index = _still_index(stream) if is_still else read_index(path, stream)
    frame = next(container.decode(stream), None)
    if frame is None:
        raise MediaError("has no frame that can be decoded", path, "Check the file.")
    rotation = -frame.rotation % 360
    aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
    upright = (round(frame.width * aspect), frame.height)
    if aspect < 1:
        upright = (frame.width, round(frame.height / aspect))
    rate = index.rate()
    plain = not is_still and form_of(path) == "file"
    timecode, reel = timecode_and_reel(container)
    if timecode and plain and "mov" in container.format.name:
        timecode = _shifted(timecode, timecode_shift(path), rate)
    return MediaInfo(
        kind="still" if is_still else "video",
        container=SEQUENCE if sequence else JOINED if is_joined(path) else container.format.name,
        size=status(path)[0],
        duration=Fraction(0) if is_still else index.seconds(len(index)),
        codec=_codec_name(stream),
        width=frame.width,
        height=frame.height,
        display_width=upright[rotation % 180 == 90],
        display_height=upright[rotation % 180 == 0],
        frame_rate=Fraction(0) if is_still else rate,
        frames=len(index),
        variable_rate=not is_still and len(index) > 1 and index.constant_rate() is None,
        start_timecode=timecode,
        reel=reel,
        rotation=rotation,
        interlaced=bool(frame.interlaced_frame),
        pixel_format=frame.format.name,
        bit_depth=max(component.bits for component in frame.format.components),
        audio=_audio_streams(container),
        pixel_aspect=aspect,
        made_as=_made_as(container),
        recorded=recorded_in(container),
        camera=camera_in(container),
        odd=picture_oddities(path, container, stream, index, frame) if not is_still else (),
        damage=damage_of(path, container, stream, index) if plain else "",
    )


def _shifted(timecode: str, seconds: Fraction, rate: Fraction) -> str:
    """The timecode of the first frame that is shown, so many seconds after the one that the file begins with."""
    frames = round(seconds * rate)
    if not frames:
        return timecode
    try:
        return timecode_at(frame_of(timecode, rate) + frames, rate, is_drop_frame(timecode))
    except ValueError:
        return timecode


def _made_as(container: InputContainer) -> str:
    note = str(container.metadata.get("comment", ""))
    return note.removeprefix(MADE_BY) if note.startswith(MADE_BY) else ""


def recorded_in(container: InputContainer) -> str:
    """``2026-10-12 09:31:42`` as the file says when it was recorded, or an empty text."""
    for key in ("com.apple.quicktime.creationdate", "creation_time", "date", "DateTimeOriginal"):
        match = _DATE.match(str(container.metadata.get(key, "")))
        if match and match[1] > "1971":
            return f"{match[1]}-{match[2]}-{match[3]} {match[4] or '00:00:00'}"
    return ""


def camera_in(container: InputContainer) -> str:
    """The camera as the file names it, or an empty text."""
    for key in ("camera_id", "com.apple.quicktime.model", "model", "device"):
        if container.metadata.get(key):
            return str(container.metadata[key]).strip()
    return ""


def _still_index(stream: VideoStream) -> FrameIndex:
    one = np.zeros(1, np.int64)
    return FrameIndex(one, one, stream.time_base or Fraction(1, 25))


def _codec_name(stream: VideoStream) -> str:
    """The codec's own name: ``hevc``, ``h264``, ``dnxhd``, ``prores``, whatever decoder reads it."""
    return str(stream.codec_context.codec.canonical_name)


def _audio_streams(container: InputContainer) -> tuple[AudioStream, ...]:
    return tuple(_audio_stream(stream) for stream in container.streams.audio if stream.codec_context is not None)


def _audio_stream(stream: AvAudioStream) -> AudioStream:
    context = stream.codec_context
    bits = context.format.bits if context.format is not None else 16
    if context.name.startswith("pcm_s24"):
        bits = 24
    return AudioStream(context.name, context.layout.nb_channels, context.sample_rate, bits)


def timecode_and_reel(container: InputContainer) -> tuple[str | None, str | None]:
    """Timecode of the first frame, and the reel, as the container or a stream says."""
    timecode = container.metadata.get("timecode")
    reel = container.metadata.get("reel_name")
    for stream in container.streams:
        timecode = timecode or stream.metadata.get("timecode")
        reel = reel or stream.metadata.get("reel_name")
    return timecode, reel
