"""Drawing one original: every frame bears its number as bars and eight patches of colour, its sound clicks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

BITS = 9
PATCHES = np.array(
    [
        [191, 191, 191],
        [191, 191, 20],
        [20, 191, 191],
        [20, 191, 20],
        [191, 20, 191],
        [191, 20, 20],
        [20, 20, 191],
        [70, 110, 160],
    ],
    np.uint8,
)
CLICKS = (0.1, 0.6, 1.1, 1.6)  # seconds after the first frame
_BED = 0.03  # the noise that sounds throughout
_PIECE = 1024  # samples of a frame of sound


@dataclass(frozen=True)
class Voice:
    """One sound stream: seconds of its own clock by which it begins late, and (at, length) of gaps in it."""

    codec: str = "pcm_s16le"
    rate: int = 48_000
    layout: str = "stereo"
    late: float = 0.0
    gaps: tuple[tuple[float, float], ...] = ()
    bit_rate: int = 0


@dataclass(frozen=True)
class Drawn:
    """How an original is coded. ``times``: seconds of its frames where they are not even; ``colours``: primaries,
    transfer, matrix, range (ITU-T H.273), 2 for none said; ``begin``: seconds at which the file's clock starts."""

    ending: str = "mov"
    codec: str = "libx264"
    pixels: str = "yuv420p"
    width: int = 512
    height: int = 288
    rate: Fraction = Fraction(25)
    frames: int = 50
    options: dict[str, str] = field(default_factory=dict)
    muxer: dict[str, str] = field(default_factory=dict)
    format: str | None = None
    voices: tuple[Voice, ...] = ()
    timecode: str | None = None
    aspect: Fraction = Fraction(1)
    colours: tuple[int, int, int, int] = (1, 1, 1, 1)
    times: tuple[Fraction, ...] = ()
    begin: Fraction = Fraction(0)
    interlaced: bool = False
    tick: Fraction | None = None
    turn: int = 0  # degrees by which it is to be turned when shown: it is stored the other way round

    @property
    def seconds(self) -> list[Fraction]:
        """When each frame is shown, from the first one on."""
        return list(self.times) or [Fraction(k) / self.rate for k in range(self.frames)]


def picture(number: int, width: int, height: int) -> NDArray[np.uint8]:
    """RGB (height, width, 3): moving texture above, patches of colour in the middle, the number below."""
    rng = np.random.default_rng(7)
    coarse = rng.integers(60, 190, (height // 8 + 1, width // 8 + 1)).astype(np.uint8)
    texture = np.kron(coarse, np.ones((8, 8), np.uint8))[:height, :width]
    shown = np.repeat(np.roll(texture, (2 * number, 5 * number), (0, 1))[:, :, None], 3, axis=2)
    top, bottom = height * 3 // 8, height * 6 // 8
    for k, colour in enumerate(PATCHES):
        shown[top:bottom, width * k // 8 : width * (k + 1) // 8] = colour
    for bit in range(BITS):
        left, right = width * bit // BITS, width * (bit + 1) // BITS
        shown[bottom:, left:right] = 235 if number >> bit & 1 else 20
    return shown


def frame_of(number: int, how: Drawn) -> av.VideoFrame:
    """The picture in the pixels and by the matrix of a kind."""
    upright = (how.height, how.width) if how.turn % 180 else (how.width, how.height)
    stored = np.ascontiguousarray(np.rot90(picture(number, *upright), how.turn // 90))
    rgb = av.VideoFrame.from_ndarray(stored, format="rgb24")
    if how.pixels in ("rgb24", "gbrp", "gbrp10le", "bgr0", "rgb48le", "rgb48be", "gbrpf32le", "bgra", "rgba"):
        return rgb.reformat(format=how.pixels)
    matrix = how.colours[2]
    if matrix == 2:
        matrix = 1 if how.height >= 720 else 5
    matrix = {6: 5, 10: 9}.get(matrix, matrix)
    full = how.colours[3] == 2 or how.pixels.startswith("yuvj")
    return rgb.reformat(format=how.pixels, dst_colorspace=matrix, dst_color_range=2 if full else 1)


def bed(voice: Voice, seconds: float) -> NDArray[np.float32]:
    """float32 (channels, samples): noise, clicks, every channel another, silence in the gaps' place."""
    channels = len(av.AudioLayout(voice.layout).channels)
    count = int(seconds * voice.rate)
    rng = np.random.default_rng(11)
    out = rng.standard_normal((channels, count)).astype(np.float32) * _BED
    for at in CLICKS:
        first = round(at * voice.rate)
        if first + 48 < count:
            out[:, first : first + 48] = 0.9
    return out


def draw(how: Drawn, path: Path) -> Path:
    """Write it; ``path`` without its extension. Returns the file."""
    path = path.with_name(f"{path.name}.{how.ending}")
    with av.open(str(path), "w", format=how.format, options=how.muxer) as out:
        stream = out.add_stream(how.codec, rate=how.rate, options=how.options)
        stream.width, stream.height, stream.pix_fmt = how.width, how.height, how.pixels
        tick = how.tick or (Fraction(1, 90_000) if how.times else 1 / how.rate)
        stream.codec_context.time_base = stream.time_base = tick
        stream.codec_context.sample_aspect_ratio = how.aspect
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace, context.color_range = how.colours
        if how.timecode:
            (out.metadata if how.ending == "mxf" else stream.metadata)["timecode"] = how.timecode
        voices = [(voice, out.add_stream(voice.codec, rate=voice.rate, layout=voice.layout)) for voice in how.voices]
        for voice, sound in voices:
            if voice.bit_rate:
                sound.bit_rate = voice.bit_rate
        shown = iter(_pictures(how, tick))
        sounds = [_Sounding(voice, sound, how) for voice, sound in voices]
        for number, frame in enumerate(shown):
            out.mux(stream.encode(frame))
            for one in sounds:
                one.until(float(how.seconds[number]) + 0.04, out)
        out.mux(stream.encode(None))
        for one in sounds:
            one.until(1e9, out)
            out.mux(one.stream.encode(None))
    return path


def _pictures(how: Drawn, tick: Fraction) -> Iterator[av.VideoFrame]:
    for number, seconds in enumerate(how.seconds):
        frame = frame_of(number, how)
        frame.pts, frame.time_base = round((seconds + how.begin) / tick), tick
        frame.color_primaries, frame.color_trc, frame.colorspace, frame.color_range = how.colours
        yield frame


class _Sounding:
    """One sound stream while it is written."""

    def __init__(self, voice: Voice, stream: av.AudioStream, how: Drawn) -> None:
        self.voice, self.stream, self._how = voice, stream, how
        self._samples = bed(voice, float(how.seconds[-1] + 1 / how.rate))
        self._at = round(max(0.0, voice.late) * voice.rate)
        self._resampler = av.AudioResampler(format=stream.codec_context.format, layout=voice.layout, rate=voice.rate)
        self._size = stream.codec_context.frame_size or _PIECE

    def until(self, seconds: float, out: av.container.OutputContainer) -> None:
        """Write what sounds before that time."""
        rate = self.voice.rate
        while self._at < min(self._samples.shape[1], seconds * rate):
            piece = self._samples[:, self._at : self._at + self._size]
            at, self._at = self._at, self._at + piece.shape[1]
            if any(begin <= at / rate < begin + length for begin, length in self.voice.gaps):
                continue
            packed = np.ascontiguousarray(piece.T).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(packed, format="flt", layout=self.voice.layout)
            frame.sample_rate, frame.time_base = rate, Fraction(1, rate)
            frame.pts = at + round(self._how.begin * rate)
            for ready in self._resampler.resample(frame):
                ready.pts, ready.time_base = frame.pts, frame.time_base
                out.mux(self.stream.encode(ready))


def but(how: Drawn, **changes: object) -> Drawn:
    """The same with something changed."""
    return replace(how, **changes)  # type: ignore[arg-type]
