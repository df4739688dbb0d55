"""Sound proven all along: faults that are not found, and right ones that are doubted, on sounds drawn at random."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray
from scipy import signal

from agile_shadow.core.media.envelopes import envelopes_of
from agile_shadow.core.proof.hearing import listen
from agile_shadow.core.proof.throughout import Common, heard_throughout

Line = tuple[str, float, float, str]
Samples = NDArray[np.float32]  # (channels, samples)
_RATE = 48_000
_FRAME = 0.04  # seconds
_PACKED = {"pcm_s16le": "s16", "pcm_s24le": "s32", "aac": "fltp", "mp3": "fltp"}


def measure_sounds(folder: Path, count: int = 24) -> Iterator[Line]:
    """So many originals of 8 to 30 s, of each a right proxy's sound and one with each fault."""
    rng = np.random.default_rng(count)
    missed: Counter[str] = Counter()
    tried: Counter[str] = Counter()
    doubted = 0
    for number in range(count):
        kind = list(_KINDS)[number % len(_KINDS)]
        sound = _KINDS[kind](rng, round(rng.uniform(8, 30) * _RATE)).clip(-1, 1).astype(np.float32)
        original = _write(folder / "original.mov", sound, str(rng.choice(["pcm_s24le", "aac"])))
        right = _altered(sound, rng)
        packing = str(rng.choice(["pcm_s16le", "aac", "mp3"])), int(rng.choice([_RATE, 44_100]))
        wrong = _doubts(original, _write(folder / "proxy.mov", right, *packing), sound)
        doubted += bool(wrong)
        if wrong:
            print(f"  right and doubted: {kind}, {packing}: {wrong}", flush=True)
        for name, fault in _FAULTS.items():
            if kind == "tones" and fault in (_slipped, _exchanged):
                continue  # one moment of them is as loud as the next
            tried[name] += 1
            changed = fault(right, round(rng.uniform(1, sound.shape[1] / _RATE - 5) * _RATE), rng)
            missed[name] += not _doubts(original, _write(folder / "proxy.mov", changed, *packing), sound)
    for name in _FAULTS:
        yield f"sound: {name}, not found, of {tried[name]}", missed[name], 0, ""
    yield f"right sound that is doubted, of {count}", doubted, 0, ""


def _doubts(original: Path, proxy: Path, sound: Samples) -> tuple[str, ...]:
    seconds = Fraction(sound.shape[1], _RATE)
    heard = listen(original, proxy, Fraction(0), seconds, _FRAME)
    kept = envelopes_of(original)
    if (heard is not None and heard.wrong) or kept is None:
        return heard.wrong if heard is not None else ()
    late = heard.late if heard is not None and heard.late is not None else 0.0
    return heard_throughout(original, proxy, kept, Common(Fraction(0), seconds, _FRAME, late), lambda at: f"{at:.2f} s")


def _noise(rng: np.random.Generator, count: int) -> Samples:
    found = signal.lfilter(*signal.butter(2, rng.uniform(0.01, 0.5)), rng.normal(0, 1, (2, count)))
    return np.asarray(found / found.std() * 10 ** (rng.uniform(-40, -15) / 20), np.float32)


def _chords(rng: np.random.Generator, count: int) -> Samples:
    found, beat = np.zeros((2, count), np.float32), _RATE // 2
    time = np.arange(beat) / _RATE
    for channel in found:
        for first in range(0, count - beat, beat):
            tones = [np.sin(2 * np.pi * hertz * time) for hertz in rng.choice([220, 262, 330, 392, 440, 523], 3)]
            channel[first : first + beat] += 0.1 * np.exp(-4 * time) * np.sum(tones, axis=0)
    return found


def _talk(rng: np.random.Generator, count: int) -> Samples:
    loud = np.repeat(rng.choice([0.003, 0.02, 0.3, 1], count // 4800 + 1), 4800)[:count]
    smooth = signal.lfilter(*signal.butter(1, 0.0005), loud)
    found = signal.lfilter(*signal.butter(2, [0.01, 0.1], "band"), rng.normal(0, 1, (2, count))) * smooth
    return np.asarray(found / found.std() * 0.15, np.float32)


def _tones(rng: np.random.Generator, count: int) -> Samples:
    time = np.arange(count) / _RATE
    return np.stack([0.3 * np.sin(2 * np.pi * hertz * time) for hertz in (440, 1000)]).astype(np.float32)


_KINDS: dict[str, Callable[[np.random.Generator, int], Samples]] = {
    "noise": _noise, "chords": _chords, "talk": _talk, "tones": _tones,
}  # fmt: skip


def _altered(sound: Samples, rng: np.random.Generator) -> Samples:
    """What other tools do to sound that stays right: levelled, limited, moved by less than half a frame, cut short."""
    sound = sound * np.float32(rng.uniform(0.4, 1))
    if rng.random() < 0.3:
        sound = np.tanh(sound * 4) / 4
    if rng.random() < 0.3:
        sound = np.roll(sound, round(rng.uniform(-0.01, 0.01) * _RATE), axis=1)
    if rng.random() < 0.3:
        sound = sound[:, : -round(rng.uniform(0.01, 0.1) * _RATE)]
    return np.asarray(sound, np.float32)


def _silent(sound: Samples, first: int, rng: np.random.Generator) -> Samples:
    found = sound.copy()
    found[rng.integers(2), first : first + round(0.15 * _RATE)] = 0
    return found


def _slipped(sound: Samples, first: int, rng: np.random.Generator) -> Samples:
    found, by = sound.copy(), round(rng.choice([-0.08, 0.08]) * _RATE)
    found[:, first : first + 3 * _RATE] = sound[:, first - by : first - by + 3 * _RATE]
    return found


def _another(sound: Samples, first: int, rng: np.random.Generator) -> Samples:
    found = sound.copy()
    found[:, first : first + 3 * _RATE] = _talk(rng, 3 * _RATE)
    return found


def _exchanged(sound: Samples, first: int, rng: np.random.Generator) -> Samples:
    found = sound.copy()
    found[:, first : first + 3 * _RATE] = sound[::-1, first : first + 3 * _RATE]
    return found


_FAULTS: dict[str, Callable[[Samples, int, np.random.Generator], Samples]] = {
    "a channel silent for 0.15 s": _silent, "80 ms late or early for 3 s": _slipped, "another's for 3 s": _another,
    "channels exchanged for 3 s": _exchanged,
}  # fmt: skip


def _write(path: Path, sound: Samples, codec: str, rate: int = _RATE) -> Path:
    with av.open(str(path), "w", format="mov") as out:
        stream = out.add_stream(codec, rate=rate, layout="stereo")
        resampler = av.AudioResampler(format=_PACKED[codec], rate=rate, layout="stereo")
        for first in range(0, sound.shape[1], 1024):
            piece = np.ascontiguousarray(sound[:, first : first + 1024])
            frame = av.AudioFrame.from_ndarray(piece, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = _RATE, first, Fraction(1, _RATE)
            for ready in resampler.resample(frame):
                out.mux(stream.encode(ready))
        for ready in resampler.resample(None):
            out.mux(stream.encode(ready))
        out.mux(stream.encode(None))
    return path
