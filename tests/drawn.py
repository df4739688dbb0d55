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


def values(path: Path) -> list[int]:
    """Numbers of the frames of a file made from a drawn clip, read from its pixels."""
    from agile_shadow.core.media import FrameReader, to_bgra

    with FrameReader(path) as reader:
        greys = [int(to_bgra(reader.frame(k), 64, 36)[18, 32, 1]) for k in range(len(reader.index))]
    return [round((grey - 19) / 4) for grey in greys]
