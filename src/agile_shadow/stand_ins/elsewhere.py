"""Drawn originals, and proxies as they come from elsewhere: renamed, trimmed, graded, packed hard, and strangers.

Made from a seed; what belongs together is known. Small pictures, so that hundreds are drawn in a minute.
"""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Literal

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from ..core.time import timecode_at

Pixels = NDArray[np.uint8]
Motion = Literal["still", "objects", "pan", "handheld"]
_SOUND_RATE = 48_000
_CURVES = 4  # looks a proxy may be graded with


@dataclass(frozen=True)
class DrawnClip:
    """One drawn original. ``scene`` gives the background and ``take`` what moves; ``start`` in frames of timecode."""

    name: str
    scene: int
    take: int
    frames: int
    rate: Fraction
    motion: Motion
    size: tuple[int, int] = (320, 180)
    start: int | None = None
    reel: str = ""
    sound: bool = True
    grain: float = 3.0


@dataclass(frozen=True)
class Derived:
    """One file beside the originals: of which one it is made (None: of a stranger) and what was done to it.

    ``trim`` and ``tail``: frames left out at the start and the end. ``dropped``: a frame left out in the middle, the
    last one shown once more; ``astray``: (frame, the one shown in its place); ``exchanged``: the sound channels changed
    places. ``group``: frames from one key frame to the next.
    """

    name: str
    of: int | None
    trim: int = 0
    tail: int = 0
    hard: bool = False
    graded: int | None = None
    burnt: bool = False
    timecode: bool = True
    packed_sound: bool = False
    stranger: DrawnClip | None = None
    shift: int = 0
    dropped: int | None = None
    astray: tuple[int, int] | None = None
    exchanged: bool = False
    scale: Fraction = Fraction(1, 2)
    group: int = 12


@dataclass(frozen=True)
class Elsewhere:
    """The whole set: ``proxies[i].of`` says which of ``originals`` it is truly of."""

    originals: list[DrawnClip] = field(default_factory=list)
    proxies: list[Derived] = field(default_factory=list)


def plan(seed: int, count: int = 200, size: tuple[int, int] = (320, 180)) -> Elsewhere:
    """Originals in groups of takes, and proxies with everything that happens to them."""
    rng = np.random.default_rng(seed)
    originals: list[DrawnClip] = []
    while len(originals) < count:
        originals.extend(_takes(rng, len(originals), size))
    originals = originals[:count]
    proxies = [_proxy(rng, number, one) for number, one in enumerate(originals)]
    proxies = _with_wrong_names(rng, originals, proxies)
    for number in range(count // 12):
        base = originals[int(rng.integers(count))]
        stranger = replace(base, scene=900_000 + seed * 1000 + number, take=int(rng.integers(1 << 30)), start=None)
        name = f"others/UNKNOWN_{number:03d}.mov" if number % 2 else f"others/{Path(base.name).stem}_x.mov"
        proxies.append(Derived(name, None, stranger=stranger, timecode=False, hard=bool(rng.random() < 0.3)))
    return Elsewhere(originals, proxies)


def _takes(rng: np.random.Generator, first: int, size: tuple[int, int]) -> list[DrawnClip]:
    """One to five takes of a scene, from one camera."""
    camera = int(rng.integers(4))
    rate = (Fraction(25), Fraction(25), Fraction(24000, 1001), Fraction(50))[camera]
    motion: Motion = ("objects", "objects", "pan", "handheld")[int(rng.integers(4))]
    scene, reel = int(rng.integers(1 << 30)), f"{'ABCD'[camera]}{first // 40 + 1:03d}"
    day_time = int(rng.integers(20 * 3600))
    found = []
    for take in range(int(rng.integers(1, 6))):
        number = first + take + 1
        name = (
            f"{reel}/{reel}C{number:04d}.mov",
            f"CAM_B/CLIP{number:04d}.mov",
            f"{reel}/take_{take + 1}_{number:03d}.mov",
            f"D{number // 25:02d}/{number % 25:04d}.mov",
        )[camera]
        frames = int(rng.integers(90, 150))
        start = None if camera == 1 else round((day_time + take * 40) * rate) if camera else 90_000 + take * 400
        found.append(
            DrawnClip(name, scene, int(rng.integers(1 << 30)), frames, rate, motion, size, start,
                  reel if camera in (0, 2) else "", sound=camera != 3)
        )  # fmt: skip
    return found


def _proxy(rng: np.random.Generator, number: int, original: DrawnClip) -> Derived:
    stem, folder = Path(original.name).stem, Path(original.name).parent.as_posix()
    way = int(rng.integers(6))
    name = (
        f"{folder}/{stem}_prx.mov",
        f"mirror/{folder}/{stem}.mov.mov",
        f"small/{folder}/S_{stem}_{number % 3 + 1}.mov",
        f"mail/{int(rng.integers(1 << 40)):010x}.mov",
        f"{folder}/{stem}.mov",
        f"dailies/{number + 500:05d}.mov",
    )[way]
    trimmed = rng.random() < 0.35
    return Derived(
        name, number,
        trim=int(rng.integers(1, 51)) if trimmed else 0,
        tail=int(rng.integers(0, 8)) if rng.random() < 0.3 else 0,
        hard=bool(rng.random() < 0.35),
        graded=int(rng.integers(_CURVES)) if rng.random() < 0.35 else None,
        burnt=bool(rng.random() < 0.35),
        timecode=bool(rng.random() < 0.5),
        packed_sound=bool(rng.random() < 0.5),
    )  # fmt: skip


def _with_wrong_names(rng: np.random.Generator, originals: list[DrawnClip], proxies: list[Derived]) -> list[Derived]:
    """Some take the name of another clip: names that lie."""
    found = list(proxies)
    for number in rng.permutation(len(proxies))[: len(proxies) // 15]:
        other = originals[int(rng.integers(len(originals)))]
        found[number] = replace(found[number], name=f"swapped/{Path(other.name).stem}_prx_{number}.mov")
    return found


# Pictures


def _background(scene: int, width: int, height: int) -> Pixels:
    rng = np.random.default_rng(scene)
    plane = np.zeros((height, width, 3))
    top, bottom = rng.integers(40, 220, 3), rng.integers(20, 160, 3)
    plane += np.linspace(0, 1, height, dtype=np.float32)[:, None, None] * (bottom - top) + top
    for cells, strength in ((6, 60), (14, 40), (40, 22)):
        coarse = rng.normal(0, 1, (cells, cells * 2, 3)).astype(np.float32)
        image = [Image.fromarray(coarse[..., c]).resize((width, height), Image.Resampling.BICUBIC) for c in range(3)]
        plane += np.stack([np.asarray(one) for one in image], axis=2) * strength * rng.uniform(0.4, 1)
    return np.asarray(np.clip(plane, 0, 255), np.uint8)


class ClipScene:
    """Draws frame after frame of one original."""

    def __init__(self, clip: DrawnClip) -> None:
        self.clip = clip
        self._width, self._height = clip.size
        self._margin = self._width // 6
        self._ground = _background(clip.scene, self._width + 2 * self._margin, self._height + 2 * self._margin)
        rng = self._rng = np.random.default_rng(clip.take)
        looks = np.random.default_rng(clip.scene + 1)
        count = 0 if clip.motion == "still" else int(looks.integers(1, 4))
        self._looks = [(int(looks.integers(5, 16)), looks.integers(0, 255, 3)) for _ in range(count)]
        self._paths = [rng.uniform((0, 0, 0.4, 0.3, 0, 0), (1, 1, 1.6, 1.4, 6.3, 6.3)) for _ in range(count)]
        self._pan = rng.uniform(0.3, 1, 2), rng.uniform(0, 6.3, 2)
        self._walk = np.cumsum(rng.normal(0, 0.8, (clip.frames + 64, 2)), axis=0)
        self._noise = rng.normal(0, clip.grain, (self._height + 32, self._width + 32, 1)).astype(np.int16)

    def frame(self, number: int) -> Pixels:
        """uint8 (height, width, 3), red first."""
        seconds = number / float(self.clip.rate)
        x, y = self._camera(number, seconds)
        picture = self._ground[y : y + self._height, x : x + self._width].copy()
        for (radius, colour), path in zip(self._looks, self._paths, strict=True):
            self._draw(picture, radius, colour, path, seconds)
        rng = np.random.default_rng((self.clip.take, number))
        dx, dy = rng.integers(0, 32, 2)
        noisy = picture.astype(np.int16) + self._noise[dy : dy + self._height, dx : dx + self._width]
        return np.asarray(np.clip(noisy, 0, 255), np.uint8)

    def _camera(self, number: int, seconds: float) -> tuple[int, int]:
        x = y = 0.0
        if self.clip.motion == "pan":
            x, y = np.sin(self._pan[0] * seconds + self._pan[1]) * self._margin * (0.9, 0.4)
        elif self.clip.motion == "handheld":
            x, y = self._walk[number]
        limit = self._margin
        return (round(float(np.clip(x, -limit, limit))) + limit, round(float(np.clip(y, -limit, limit))) + limit)

    def _draw(
        self, picture: Pixels, radius: int, colour: NDArray[np.int64], path: NDArray[np.float64], seconds: float
    ) -> None:
        x = int((0.5 + 0.45 * np.sin(path[2] * seconds + path[4] + path[0])) * self._width)
        y = int((0.5 + 0.4 * np.sin(path[3] * seconds + path[5] + path[1])) * self._height)
        top, left = max(0, y - radius), max(0, x - radius)
        patch = picture[top : y + radius, left : x + radius]
        rows, columns = np.ogrid[top - y : top - y + patch.shape[0], left - x : left - x + patch.shape[1]]
        patch[rows * rows + columns * columns < radius * radius] = colour


def graded(picture: Pixels, look: int) -> Pixels:
    """A picture with one of some looks laid over it: a curve for each colour, and some of them mixed."""
    levels = np.arange(256) / 255
    gammas = ((0.7, 0.75, 0.85), (1.35, 1.2, 1.3), (0.8, 1.0, 1.25), (1.0, 1.0, 1.0))[look]
    curves = [255 * (0.03 + 0.94 * levels**gamma) for gamma in gammas]
    if look == 3:
        curves = [255 / (1 + np.exp(-6 * (levels - 0.5)))] * 3
    mixed: NDArray[np.float64] = np.stack([curve[picture[..., c]] for c, curve in enumerate(curves)], axis=2)
    if look >= 2:
        grey = mixed.mean(axis=2, keepdims=True)
        mixed = grey + (mixed - grey) * 0.6
    return np.asarray(np.clip(mixed, 0, 255), np.uint8)


def burnt(picture: Pixels, text: str) -> Pixels:
    """A picture (height, width, 3) with white letters on black burnt in below, on the left."""
    image = Image.fromarray(picture)
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(max(8, picture.shape[0] // 9))
    box = draw.textbbox((4, picture.shape[0] * 4 // 5), text, font=font)
    draw.rectangle(box, fill=(0, 0, 0))
    draw.text((4, picture.shape[0] * 4 // 5), text, font=font, fill=(240, 240, 240))
    draw.text((picture.shape[1] * 2 // 3, 2), "PROXY", font=font, fill=(240, 240, 240))
    return np.asarray(image)


# Sound


def sound_of(clip: DrawnClip, count: int) -> NDArray[np.float32]:
    """float32 (2, count) at 48 kHz: two channels with blows at their own times over a murmur."""
    rng = np.random.default_rng(clip.take + 7)
    found = np.empty((2, count), np.float32)
    for channel in range(2):
        murmur = np.convolve(rng.normal(0, 1, count // 8 + 9), np.ones(6) / 6, "same")
        wave = np.repeat(murmur, 8)[:count] * 0.02
        for at in np.cumsum(rng.exponential(0.4, 40)):
            first = int(at * _SOUND_RATE)
            if first >= count:
                break
            length = min(9000, count - first)
            ramp = np.arange(length)
            wave[first : first + length] += (
                0.3 * np.exp(-ramp / 1500) * np.sin(ramp * 2 * np.pi * rng.uniform(150, 1800) / _SOUND_RATE)
            )
        found[channel] = wave
    return np.clip(found, -1, 1)


# Files


def write_original(clip: DrawnClip, folder: Path) -> Path:
    """Draw one original below a folder."""
    scene = ClipScene(clip)
    timecode = timecode_at(clip.start, clip.rate) if clip.start is not None else ""
    sound = sound_of(clip, round(clip.frames / clip.rate * _SOUND_RATE)) if clip.sound else None
    frames = (scene.frame(number) for number in range(clip.frames))
    return _write(folder / clip.name, frames, clip.size, clip.rate, timecode, clip.reel, sound, crf=14, pcm=True)


def write_proxy(proxy: Derived, originals: list[DrawnClip], folder: Path) -> Path:
    """Draw one proxy below a folder, from what it is of."""
    clip = proxy.stranger if proxy.stranger is not None else originals[proxy.of or 0]
    scene = ClipScene(clip)
    numbers = [number + proxy.shift for number in range(proxy.trim, clip.frames - proxy.tail)]
    if proxy.dropped is not None:
        middle = proxy.dropped - proxy.trim
        numbers = [*numbers[:middle], *numbers[middle + 1 :], numbers[-1]]
    if proxy.astray is not None:
        numbers[proxy.astray[0] - proxy.trim] = proxy.astray[1]
    numbers = [min(max(0, number), clip.frames - 1) for number in numbers]
    width, height = (round(side * proxy.scale) // 2 * 2 for side in clip.size)
    frames = (_shrunk(scene.frame(number), width, height, proxy, clip, number) for number in numbers)
    timecode = ""
    if proxy.timecode and clip.start is not None:
        timecode = timecode_at(clip.start + proxy.trim, clip.rate)
    sound = None
    if clip.sound:
        whole = sound_of(clip, round(clip.frames / clip.rate * _SOUND_RATE))
        first = round(proxy.trim / clip.rate * _SOUND_RATE)
        sound = whole[::-1] if proxy.exchanged else whole
        sound = sound[:, first : first + round(len(numbers) / clip.rate * _SOUND_RATE)]
    crf = 36 if proxy.hard else 22
    reel = clip.reel if timecode else ""
    place = folder / proxy.name
    size, packed = (width, height), proxy.packed_sound
    return _write(place, frames, size, clip.rate, timecode, reel, sound, crf, not packed, proxy.group)


def _shrunk(picture: Pixels, width: int, height: int, proxy: Derived, clip: DrawnClip, number: int) -> Pixels:
    small = np.asarray(Image.fromarray(picture).resize((width, height), Image.Resampling.BOX))
    if proxy.graded is not None:
        small = graded(small, proxy.graded)
    return burnt(small, timecode_at((clip.start or 0) + number, clip.rate)) if proxy.burnt else small


def _write(
    path: Path,
    frames: Iterable[Pixels],
    size: tuple[int, int],
    rate: Fraction,
    timecode: str,
    reel: str,
    sound: NDArray[np.float32] | None,
    crf: int,
    pcm: bool,
    group: int = 12,
) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(path), "w", format="mov", options={"movflags": "use_metadata_tags"}) as out:
        options = {"preset": "ultrafast" if crf < 30 else "veryfast", "g": str(group), "crf": str(crf)}
        stream = out.add_stream("libx264", rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        stream.codec_context.thread_count = 1
        if timecode:
            stream.metadata["timecode"] = timecode
        if reel:
            stream.metadata["reel_name"] = reel
        tone = None
        if sound is not None:
            tone = out.add_stream("pcm_s16le" if pcm else "aac", rate=_SOUND_RATE, layout="stereo")
        for number, pixels in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgb24")
            frame.pts, frame.time_base = number, 1 / rate
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if tone is not None and sound is not None:
            _write_sound(out, tone, sound, pcm)
    return path


def _write_sound(out: object, tone: object, sound: NDArray[np.float32], pcm: bool) -> None:
    position = 0
    for piece in np.array_split(sound, max(1, sound.shape[1] // 1024), axis=1):
        if pcm:
            packed = np.ascontiguousarray((piece * 32767).astype(np.int16).T.reshape(1, -1))
            samples = av.AudioFrame.from_ndarray(packed, format="s16", layout="stereo")
        else:
            samples = av.AudioFrame.from_ndarray(np.ascontiguousarray(piece), format="fltp", layout="stereo")
        samples.sample_rate, samples.pts, samples.time_base = _SOUND_RATE, position, Fraction(1, _SOUND_RATE)
        position += piece.shape[1]
        out.mux(tone.encode(samples))  # type: ignore[attr-defined]
    out.mux(tone.encode(None))  # type: ignore[attr-defined]


def write_all(whole: Elsewhere, originals: Path, proxies: Path, processes: int = 2) -> None:
    """Draw the whole set into two folders."""
    with ProcessPoolExecutor(processes) as pool:
        list(pool.map(partial(write_original, folder=originals), whole.originals, chunksize=8))
        list(pool.map(partial(write_proxy, originals=whole.originals, folder=proxies), whole.proxies, chunksize=8))
