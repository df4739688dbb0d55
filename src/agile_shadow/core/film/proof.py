"""The proof of a film: read back as a whole, every picture against what was drawn, and against its originals anew.

Nothing of what was drawn is asked again: the film is opened by its name, as anybody would.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..compositing.mixer import Samples
from ..late import cv2
from ..media.likeness import ssim
from ..project import Project
from .drawing import Drawing
from .formats import format_named
from .request import FilmRequest
from .signature import Signature, luma_of, signature_of
from .sounding import Envelope, envelope_of, step_of

_APART = 3.0  # levels of 255: no encoder here moves the mean of a cell as far
_CLEAR = 1.4  # levels: further apart than that no encoder takes a picture half the way to its neighbour
_SLOW = 0.3  # how much more of the way it must be where pictures are as near as MOVED: encoders lag behind slow changes
MOVED = 0.35  # levels: how far a picture is from its neighbour so that it can be told from it
_SMALL = (192, 108)  # pixels at which pictures are compared with freshly drawn ones
_LIKE = 0.85  # SSIM of a film's picture and what its originals give, at that size
_PLACES, _MOST_PLACES = 3, 120
_WINDOW, _FAR = 4000, 250  # steps (milliseconds) of sound compared at once, and how far off it is looked for
_AUDIBLE = 0.003  # of an envelope's spread in a window that can be compared
Luma = NDArray[np.float32]
_NOTHING: Luma = np.zeros((8, 8), np.float32)
_PICTURES, _FRESH = 0.8, 0.2  # how much of the proof each takes


@dataclass(frozen=True)
class Rendering:
    """What is known of a film from its rendering: a signature for each picture, an envelope for each stream of sound,
    and the files that were opened, by what they are of their clips."""

    signatures: Sequence[Signature]
    envelopes: Sequence[Envelope]
    opened: dict[Path, str]


@dataclass(frozen=True)
class FilmProof:
    """What the proof found. ``apart``: the mean difference of the worst picture in levels of 255; ``places``:
    pictures that were drawn anew; ``likeness`` of the least like of them; ``sound_off`` in milliseconds."""

    frames: int
    apart: float
    places: int
    likeness: float
    sound_off: float
    problems: tuple[str, ...] = ()


def prove_film(path: Path, request: FilmRequest, drawn: Rendering, report: Callable[[float], None]) -> FilmProof:
    """Read the film at ``path`` back. Nothing is raised for what is found; MediaError and FFmpegError where it cannot
    be read at all."""
    problems = [] if request.draft else _proxies_among(drawn.opened, request.project)
    frames, apart, places, likeness = 0, 0.0, 0, 1.0
    if request.settings.picture is not None:
        film: dict[int, Luma] = dict.fromkeys(places_to_look(request), _NOTHING)
        frames, apart, found = _pictures(path, request, drawn.signatures, film, lambda part: report(part * _PICTURES))
        problems += found
        if not found:
            places = len(film)
            likeness, found = _fresh(film, request, lambda part: report(_PICTURES + part * _FRESH))
            problems += found
    off = 0.0
    if request.settings.sound is not None:
        off, found = _sound(path, request, drawn.envelopes)
        problems += found
    problems += _timecode(path, request)
    return FilmProof(frames, apart, places, likeness, off, tuple(problems))


def _proxies_among(opened: dict[Path, str], project: Project) -> list[str]:
    """Sentences for files that were opened and are no original: by what they were opened as, and by where they lie."""
    proxies = {
        path for clip in project.clips for proxy in clip.proxies
        if (path := project.place_or_none(proxy.file)) is not None
    }  # fmt: skip
    originals = {project.place_or_none(clip.original.file) for clip in project.clips}
    wrong = [path for path, kind in opened.items() if kind != "original" or (path in proxies and path not in originals)]
    return [f"it was made from {path.name}, which is not an original" for path in wrong]


# Pictures


def pictures_of(path: Path, request: FilmRequest) -> Iterator[VideoFrame]:
    """The pictures of a film in their order, decoded anew."""
    assert request.settings.picture is not None
    if request.settings.file in ("pictures", "still"):
        ending = format_named(request.settings.picture.format).ending
        files = [path] if request.settings.file == "still" else sorted(path.glob(f"*{ending}"))
        for file in files:
            with av.open(str(file)) as container:
                yield from container.decode(video=0)
        return
    with av.open(str(path)) as container:
        container.streams.video[0].thread_type = "AUTO"
        yield from container.decode(video=0)


def _pictures(
    path: Path, request: FilmRequest, drawn: Sequence[Signature], kept: dict[int, Luma],
    report: Callable[[float], None],
) -> tuple[int, float, list[str]]:  # fmt: skip
    """Frames there are, how far the worst is off, what is wrong; pictures whose number is in ``kept`` are put there."""
    count, worst = 0, 0.0
    moving = request.settings.file not in ("pictures", "still")
    for number, frame in enumerate(pictures_of(path, request)):
        count += 1
        if number >= len(drawn):
            continue
        if (frame.width, frame.height) != request.size:
            return count, worst, [f"its picture {number} has {frame.width} x {frame.height} pixels"]
        if moving and not _on_time(frame, number, request.rate):
            return count, worst, [f"its picture {number} does not lie at its time"]
        apart, why = _against(signature_of(frame), drawn, number)
        worst = max(worst, apart)
        if number in kept:
            kept[number] = _small(frame)
        if why:
            return count, worst, [f"picture {number} ({request.timecode(number)}) {why}"]
        report((number + 1) / request.count)
    if count != request.count:
        return count, worst, [f"it came out with {count} pictures instead of {request.count}"]
    return count, worst, []


def _on_time(frame: VideoFrame, number: int, rate: Fraction) -> bool:
    if frame.pts is None or frame.time_base is None:
        return False
    return abs(frame.pts * frame.time_base * rate - number) < Fraction(1, 4)


def _against(found: Signature, drawn: Sequence[Signature], number: int) -> tuple[float, str]:
    """How far a picture is from what was drawn for it, and why it is the wrong one; "" where it is right."""
    mine = drawn[number].astype(np.float32) / 256
    picture = found.astype(np.float32) / 256
    apart = float(np.abs(picture - mine).mean())
    if apart > _APART:
        return apart, "is not the one that was drawn"
    for other in (number - 1, number + 1):
        if not 0 <= other < len(drawn):
            continue
        way = drawn[other].astype(np.float32) / 256 - mine
        far = float(np.sqrt((way**2).mean()))
        if far < MOVED:
            continue
        along = float(((picture - mine) * way).sum() / (way**2).sum())
        if along > 0.5 + _SLOW * max(0.0, min(1.0, (_CLEAR - far) / (_CLEAR - MOVED))):
            return apart, f"shows what belongs to picture {other}"
    return apart, ""


# Places drawn anew


def places_to_look(request: FilmRequest) -> list[int]:
    """Frames of the film at which its originals are looked at again: spread over each block of a picture track."""
    line = request.line
    blocks = [
        (max(block.start, request.first), min(block.end, request.last))
        for track in line.pictures if not track.off
        for block in track.blocks if block.end > request.first and block.start < request.last
    ]  # fmt: skip
    each = max(1, min(_PLACES, _MOST_PLACES // max(1, len(blocks))))
    found = set()
    for start, end in blocks:
        for part in range(each):
            frame = start + (end - start) * (2 * part + 1) // (2 * each)
            found.add(min(request.count - 1, int((frame - request.first) / line.rate * request.rate)))
    return sorted(found)


def _fresh(
    film: dict[int, Luma], request: FilmRequest, report: Callable[[float], None]
) -> tuple[float, list[str]]:
    """Draw some places once more from files opened anew, and their neighbours, and compare them with the film."""
    least, problems = 1.0, []
    drawing = Drawing(request)
    try:
        for done, (number, picture) in enumerate(film.items()):
            alike = {
                other: ssim(picture, _small(drawing.frame(other)))
                for other in (number, number - 1, number + 1)
                if 0 <= other < request.count
            }
            least = min(least, alike[number])
            nearer = max(alike, key=lambda other: alike[other])
            if alike[number] < _LIKE:
                problems.append(f"picture {number} is not like what its originals give ({alike[number]:.2f})")
            elif alike[nearer] > alike[number] + 0.02:
                problems.append(f"picture {number} is more like the originals' picture {nearer}")
            report((done + 1) / len(film))
    finally:
        drawing.close()
    return least, problems[:3]


def _small(frame: VideoFrame) -> Luma:
    luma, bits = luma_of(frame)
    wide, high = frame.width, frame.height
    scale = min(1.0, _SMALL[0] / wide) if wide >= high else min(1.0, _SMALL[0] / high)
    size = (max(8, round(wide * scale)), max(8, round(high * scale)))
    small: Luma = cv2.resize(luma, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    return small * np.float32(255 / ((1 << bits) - 1))


# Sound


def _sound(path: Path, request: FilmRequest, drawn: Sequence[Envelope]) -> tuple[float, list[str]]:
    assert request.settings.sound is not None
    first, end = request.samples
    wanted = end - first
    with av.open(str(path)) as container:
        channels = 1 if request.settings.sound.channels == "channels" else 2
        together = request.settings.file == "wav"
        if len(container.streams.audio) != (1 if together else len(drawn)):
            return 0.0, [f"it has {len(container.streams.audio)} streams of sound instead of {len(drawn)}"]
        found = _heard(container, channels, wanted, request.sound_rate)
    worst, rate = 0.0, request.sound_rate
    step = 1000 * step_of(rate) / rate  # milliseconds
    for number, (heard, length) in enumerate(found):
        if abs(length - wanted) > 2048:  # packed sound ends with a whole packet
            return worst, [f"its sound {number + 1} lasts {length / rate:.3f} s, not {wanted / rate:.3f}"]
        off = sound_apart(heard, drawn[number])
        if off is not None:
            off *= step
            worst = max(worst, abs(off))
            if abs(off) > 1:
                return worst, [f"its sound {number + 1} is {abs(off):g} ms {'late' if off > 0 else 'early'}"]
    return worst, []


def _heard(container: InputContainer, channels: int, wanted: int, rate: int) -> list[tuple[Envelope, int]]:
    """Envelope and length in samples of each stream, its channels taken ``channels`` at a time."""
    pieces: dict[int, list[tuple[int, Samples]]] = {}
    for index, frame in _sounds(container):
        values = frame.to_ndarray()
        count = frame.layout.nb_channels
        values = values.reshape(-1, count).T if not frame.format.is_planar else values
        if values.dtype.kind == "i":
            values = values / np.float32(2 ** (8 * values.dtype.itemsize - 1))
        at = round((frame.pts or 0) * (frame.time_base or 0) * rate)
        pieces.setdefault(index, []).append((at, values.T.astype(np.float32)))
    found = []
    for stream in sorted(pieces):
        length = max(at + len(values) for at, values in pieces[stream])
        whole = np.zeros((max(length, wanted), pieces[stream][0][1].shape[1]), np.float32)
        for at, values in pieces[stream]:
            skipped = max(0, -at)
            whole[at + skipped : at + len(values)] = values[skipped:]
        for first in range(0, whole.shape[1], channels):
            found.append((envelope_of(whole[:wanted, first : first + channels], rate), length))
    return found


def _sounds(container: InputContainer) -> Iterator[tuple[int, av.AudioFrame]]:
    for packet in container.demux(*container.streams.audio):
        for frame in packet.decode():
            assert isinstance(frame, av.AudioFrame)
            yield packet.stream.index, frame


def sound_apart(heard: Envelope, drawn: Envelope) -> float | None:
    """Steps of an envelope by which sound comes late against what was mixed, the worst of all stretches in which enough
    happens to tell; None where nothing does."""
    worst: float | None = None
    count = min(len(heard), len(drawn))
    for start in range(0, max(1, count - _FAR), _WINDOW):
        mine = drawn[start : min(count, start + _WINDOW)]
        if len(mine) < 50 or float(mine.std()) < _AUDIBLE:
            continue
        off = _lag(heard[start : start + len(mine)], mine)
        if worst is None or abs(off) > abs(worst):
            worst = off
    return worst


def _lag(heard: Envelope, drawn: Envelope) -> float:
    size = 1 << (len(heard) + len(drawn)).bit_length()
    a, b = (np.fft.rfft(one - one.mean(), size) for one in (heard, drawn))
    like = np.fft.irfft(a * np.conj(b), size)
    far = min(_FAR, len(drawn) // 2)
    around = np.concatenate([like[-far:], like[: far + 1]])
    best = int(around.argmax()) - far
    return 0.0 if around[far] >= around.max() * 0.999 else float(best)


# Timecode


def _timecode(path: Path, request: FilmRequest) -> list[str]:
    if not request.can_hold_timecode or request.settings.picture is None:
        return []
    with av.open(str(path)) as container:
        found = [container.metadata.get("timecode"), *(stream.metadata.get("timecode") for stream in container.streams)]
    written = next((text for text in found if text), None)
    wanted = request.timecode(0)
    return [] if written == wanted else [f"its timecode begins at {written or 'nothing'} instead of {wanted}"]
