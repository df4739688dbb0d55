"""The judge: reads what came out with the library alone, by nothing of the program's own."""

from __future__ import annotations

import shutil
import subprocess
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from .drawing import BITS, PATCHES

_WEIGHTS = {1: (0.2126, 0.0722), 5: (0.299, 0.114), 6: (0.299, 0.114), 7: (0.212, 0.087), 9: (0.2627, 0.0593)}


@dataclass(frozen=True)
class Seen:
    """A film's frames: ``numbers`` in their pixels, ``times`` in seconds after the first, ``colours`` of the patches
    by the container's matrix and by the stream's own, float (8, 3); ``aspect`` as shown."""

    numbers: tuple[int, ...]
    times: tuple[float, ...]
    by_container: NDArray[np.float64]
    by_stream: NDArray[np.float64]
    aspect: float
    timecode: str


def number_in(grey: NDArray[np.uint8]) -> int:
    """The number in an upright picture: (height, width)."""
    height, width = grey.shape
    rows = grey[height * 13 // 16 : height * 15 // 16].astype(float).mean(axis=0)
    number = 0
    for bit in range(BITS):
        left, right = width * bit / BITS, width * (bit + 1) / BITS
        middle = rows[int(left + (right - left) * 0.3) : max(int(left + (right - left) * 0.7), int(left) + 1)]
        number |= int(middle.mean() > 127) << bit
    return number


def patches_in(rgb: NDArray[np.generic]) -> NDArray[np.float64]:
    """Mean colours of the patches of an upright picture (height, width, 3): float (8, 3)."""
    height, width = rgb.shape[:2]
    rows = rgb[height * 7 // 16 : height * 11 // 16].astype(np.float64)
    found = []
    for k in range(len(PATCHES)):
        left, right = width * (k + 0.3) / 8, width * (k + 0.7) / 8
        found.append(rows[:, int(left) : max(int(right), int(left) + 1), :3].mean(axis=(0, 1)))
    return np.array(found)


def off_colour(colours: NDArray[np.float64]) -> float:
    """Mean distance of the patches from what was drawn, of 255."""
    return float(np.abs(colours - PATCHES).mean())


def see(path: Path) -> Seen:
    """All frames of a film."""
    numbers, times = [], []
    container_colours = stream_colours = np.zeros((8, 3))
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        said = int(stream.codec_context.colorspace)
        aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
        for frame in container.decode(stream):
            turn = (-frame.rotation % 360) // 90
            numbers.append(number_in(np.rot90(_grey(frame), -turn)))
            times.append(float(frame.pts * frame.time_base))
            if len(numbers) == 4:
                own = said if said in _WEIGHTS else int(frame.colorspace)
                container_colours = patches_in(np.rot90(_rgb(frame, own), -turn))
                stream_colours = patches_in(np.rot90(_rgb(frame, _by_stream(path, own)), -turn))
        width, height = frame.width * float(aspect), frame.height
        timecode = stream.metadata.get("timecode") or container.metadata.get("timecode") or ""
    shown = height / width if turn % 2 else width / height
    return Seen(
        tuple(numbers), tuple(one - times[0] for one in times), container_colours, stream_colours, shown, timecode
    )


def _grey(frame: av.VideoFrame) -> NDArray[np.uint8]:
    return frame.reformat(format="gray").to_ndarray()


def _rgb(frame: av.VideoFrame, matrix: int) -> NDArray[np.float64]:
    """Red, green and blue by formula (ITU-T H.273, clause 8.3): float (height, width, 3)."""
    if frame.format.is_rgb or frame.format.name.startswith("gbr"):
        return frame.reformat(format="rgb24").to_ndarray().astype(np.float64)
    full = frame.format.name.startswith("yuvj") or int(frame.color_range) == 2
    planes = frame.reformat(format="yuvj444p" if full else "yuv444p").to_ndarray().astype(np.float64)
    y, cb, cr = planes.reshape(3, frame.height, frame.width)
    y, cb, cr = (
        (y, cb - 128, cr - 128) if full else ((y - 16) * 255 / 219, (cb - 128) * 255 / 224, (cr - 128) * 255 / 224)
    )
    red, blue = _WEIGHTS.get(matrix, _WEIGHTS[1] if frame.height >= 720 else _WEIGHTS[5])
    r, b = y + 2 * (1 - red) * cr, y + 2 * (1 - blue) * cb
    g = (y - red * r - blue * b) / (1 - red - blue)
    return np.clip(np.stack([r, g, b], axis=2), 0, 255)


def _by_stream(path: Path, otherwise: int) -> int:
    """The matrix that the stream itself says, its container unheard."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        context = av.CodecContext.create(stream.codec_context.name, "r")
        context.extradata = stream.codec_context.extradata
        for packet in container.demux(stream):
            for frame in context.decode(packet if packet.size else None):
                return int(frame.colorspace) if int(frame.colorspace) in _WEIGHTS else otherwise
    return otherwise


def clicks_in(path: Path, at: tuple[float, ...]) -> list[float]:
    """Milliseconds of each click from where it should be; 999 for one that is not there, 998 for one too many."""
    with av.open(str(path)) as container:
        video = container.streams.video[0]
        first = next(container.decode(video))
        origin = float(first.pts * first.time_base)
        sound = container.streams.audio[0]
        rate = sound.sample_rate
    out = np.zeros(rate * 8, np.float32)
    with av.open(str(path)) as container:
        for frame in container.decode(audio=0):
            samples = _rows(frame)
            scale = {"s16": 2**15, "s16p": 2**15, "s32": 2**31, "s32p": 2**31}.get(frame.format.name, 1)
            place = round((float(frame.pts * frame.time_base) - origin) * rate)
            mono = np.abs(samples[0]) / scale
            low, high = max(0, place), min(len(out), place + len(mono))
            if high > low:
                out[low:high] = mono[low - place : high - place]
    return away(out, rate, at)


def _rows(frame: av.AudioFrame) -> NDArray[np.float32]:
    """Samples, a row a channel; through packed ones, for the library cannot give more than seven planes."""
    if frame.format.is_planar:
        frame = av.AudioResampler(format=frame.format.packed).resample(frame)[0]
    return frame.to_ndarray().astype(np.float32).reshape(-1, frame.layout.nb_channels).T


def away(loudness: NDArray[np.float32], rate: int, at: tuple[float, ...]) -> list[float]:
    """Like :func:`clicks_in`, of the absolute values of one channel from the first frame on."""
    found = []
    level = max(0.2, float(loudness.max(initial=0.0)) * 0.5)
    for click in at:
        low = max(0, round((click - 0.1) * rate))
        window = loudness[low : round((click + 0.1) * rate)]
        loud = np.flatnonzero(window > level)
        middle = (loud[0] + loud[-1]) / 2 + low if len(loud) else -1.0
        found.append((middle / rate - click - 24 / 48_000) * 1000 if len(loud) else 999.0)
    every = np.flatnonzero(loudness > level)
    count = 1 + int((np.diff(every) > rate // 20).sum()) if len(every) else 0
    return [*found, *([998.0] if count > len(at) else [])]


def command_counts(path: Path) -> int | None:
    """Frames as the ffmpeg command counts them where it is installed; None where it is not."""
    if shutil.which("ffprobe") is None:
        return None
    done = subprocess.run(
        [
            "ffprobe",
            "-v",
            "error",
            "-count_frames",
            "-select_streams",
            "v:0",
            "-show_entries",
            "stream=nb_read_frames",
            "-of",
            "csv=p=0",
            str(path),
        ],
        capture_output=True,
        text=True,
        timeout=120,
    )
    text = done.stdout.strip().split("\n")[0].strip(",")
    return int(text) if text.isdigit() else None
