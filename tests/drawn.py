"""Small clips drawn for single tests."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

RATE = Fraction(25)


def draw(
    path: Path, frames: int, first: int = 0, timecode: str = "", size: tuple[int, int] = (128, 72), sound: bool = False
) -> Path:
    """A clip whose frame k has the grey value of frame ``first`` + k; see :func:`values`."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(path), "w", format="mov") as out:
        stream = out.add_stream("libx264", rate=RATE, options={"preset": "ultrafast", "g": "8", "crf": "12"})
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        if timecode:
            stream.metadata["timecode"] = timecode
        tone = out.add_stream("pcm_s16le", rate=48_000, layout="mono") if sound else None
        for number in range(frames):
            grey = 20 + (first + number) * 4 % 216
            frame = av.VideoFrame.from_ndarray(np.full((size[1], size[0], 3), grey, np.uint8))
            frame.pts, frame.time_base = number, 1 / RATE
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if tone is not None:
            samples = av.AudioFrame.from_ndarray(np.zeros((1, 1920 * frames), np.int16), layout="mono")
            samples.sample_rate = 48_000
            out.mux(tone.encode(samples))
    return path


LATE = 4  # frames after which the sound of the late clip begins


def draw_full_and_late(folder: Path, frames: int = 25) -> None:
    """Two clips in which a bar crosses: FULL_0001.MP4 with all levels from 0 to 255, and LATE_0001.MOV, whose sound, a
    loud tone, begins ``LATE`` frames after its picture."""
    folder.mkdir(parents=True, exist_ok=True)
    for path, form in ((folder / "FULL_0001.MP4", "yuvj420p"), (folder / "LATE_0001.MOV", "yuv420p")):
        with av.open(str(path), "w", format=path.suffix[1:].lower()) as out:
            stream = out.add_stream("libx264", rate=RATE, options={"preset": "ultrafast", "g": "8", "crf": "12"})
            stream.width, stream.height, stream.pix_fmt = 320, 180, form
            stream.codec_context.color_range = 2 if form == "yuvj420p" else 1
            stream.codec_context.colorspace = stream.codec_context.color_primaries = stream.codec_context.color_trc = 1
            late = path.name.startswith("LATE")
            tone = out.add_stream("pcm_s16le", rate=48_000, layout="mono") if late else None
            for number in range(frames):
                grey = np.tile(np.linspace(0, 255, 320).astype(np.uint8), (180, 1))
                grey[:, 10 * number : 10 * number + 30] = 255 - grey[:, 10 * number : 10 * number + 30]
                levels = 1 if late else 2
                frame = av.VideoFrame.from_ndarray(grey, format="gray").reformat(
                    format=form, dst_colorspace="itu709", src_color_range=2, dst_color_range=levels
                )
                frame.pts, frame.time_base = number, 1 / RATE
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
            if tone is not None:
                whole = np.arange(1920 * (frames - LATE))
                samples = (20_000 * np.sin(whole / 20 + 0.5)).astype(np.int16)
                heard = av.AudioFrame.from_ndarray(samples[None], format="s16", layout="mono")
                heard.sample_rate, heard.pts, heard.time_base = 48_000, 1920 * LATE, Fraction(1, 48_000)
                out.mux(tone.encode(heard))
                out.mux(tone.encode(None))


def values(path: Path) -> list[int]:
    """Numbers of the frames of a file made from a drawn clip, read from its pixels."""
    from agile_shadow.core.media import FrameReader, to_bgra

    with FrameReader(path) as reader:
        greys = [int(to_bgra(reader.frame(k), 64, 36)[18, 32, 1]) for k in range(len(reader.index))]
    return [round((grey - 19) / 4) for grey in greys]
