"""Sound at another speed that keeps its pitch."""

import wave
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from agile_shadow.core import timeline as edits
from agile_shadow.core.compositing import Mixer
from agile_shadow.core.compositing.layers import Layer, sound_steps
from agile_shadow.core.compositing.pitch import KeptPitch, at_tempo
from agile_shadow.core.timeline import Block, Effects, Timeline

RATE = 48_000
Samples = NDArray[np.float32]


class Tone:
    """A tone that is loud for a fifth of each second: its pitch and its moments can be heard."""

    def __init__(self, pitch: float = 440.0) -> None:
        self._pitch = pitch

    def read(self, first: int, count: int) -> Samples:
        places = np.arange(first, first + count)
        tone = 0.3 * np.sin(2 * np.pi * self._pitch * places / RATE)
        tone[(places % RATE) < RATE // 5] *= 3
        return np.stack([tone, tone], axis=1).astype(np.float32)


def pitch_of(samples: Samples) -> float:
    power = np.abs(np.fft.rfft(samples[:, 0] * np.hanning(len(samples))))
    power[: int(100 * len(samples) / RATE)] = 0
    return float(np.argmax(power) * RATE / len(samples))


@pytest.mark.parametrize("text", ["1/4", "1/2", "3/4", "5/4", "2", "4"])
def test_the_pitch_stays_and_the_moments_are_where_the_speed_puts_them(text: str) -> None:
    speed = Fraction(text)
    sound = KeptPitch(Tone(), speed)
    heard = sound.at(Fraction(1), 3 * RATE)
    assert pitch_of(heard) == pytest.approx(440, abs=4)
    assert float(np.abs(heard).mean()) > 0.1  # nowhere silent
    quiet = np.abs(heard).max(axis=1).reshape(-1, 480).max(axis=1)
    assert quiet.min() > 0.15, "a hole"
    loud = np.flatnonzero(np.abs(heard[:, 0]) > 0.6) / RATE
    wanted = [(moment - 1) / float(speed) for moment in range(2, 13) if 0.1 < (moment - 1) / float(speed) < 2.9]
    for moment in wanted:
        assert np.abs(loud - (moment + 0.1 / float(speed))).min() < 0.05
        assert np.abs(loud - (moment - 0.4 / float(speed))).min() > 0.2 / float(speed) - 0.06


@settings(max_examples=12, deadline=None)
@given(st.lists(st.integers(1, 30_000), min_size=2, max_size=6), st.sampled_from([Fraction(1, 2), Fraction(3, 2)]))
def test_the_samples_are_the_same_however_they_are_read(pieces: list[int], speed: Fraction) -> None:
    whole = KeptPitch(Tone(), speed).at(Fraction(7, 2), sum(pieces))
    sound, place, found = KeptPitch(Tone(), speed), Fraction(7, 2), []
    for piece in pieces:
        found.append(sound.at(place, piece))
        place += Fraction(piece, RATE) * speed
    assert np.allclose(np.concatenate(found), whole, atol=1e-6)
    late = KeptPitch(Tone(), speed)
    late.at(Fraction(40), 100)  # another place was read before
    some = min(2000, len(whole))
    assert np.allclose(late.at(Fraction(7, 2), some), whole[:some], atol=1e-6)


def test_nothing_gives_nothing() -> None:
    assert len(at_tempo(np.zeros((0, 2), np.float32), 2.0)) == 0
    assert not at_tempo(np.zeros((RATE, 2), np.float32), 0.1).any()


def test_a_block_at_half_speed_keeps_its_pitch_only_when_asked(tmp_path: Path) -> None:
    path = tmp_path / "tone.wav"
    tone = (Tone().read(0, 6 * RATE) * 20_000).astype("<i2")
    with wave.open(str(path), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(RATE)
        out.writeframes(tone.tobytes())

    def heard(keep: bool) -> Samples:
        block = Block("c", 0, 250, Fraction(0), Fraction(6), Fraction(1, 2), effects=Effects(keep_pitch=keep))
        line = edits.add_track(Timeline(rate=Fraction(25)), "sound")
        line = line.with_tracks(replace(line.sounds[0], blocks=(block,)))

        class Program:
            rate = Fraction(25)

            def sounds(self, frame: int) -> tuple[Layer, ...]:
                return sound_steps(line, frame)

        class Chosen:
            lead = Fraction(0)

        Chosen.path = path  # type: ignore[attr-defined]
        mixer = Mixer(Program(), lambda layer: Chosen())  # type: ignore[arg-type, return-value]
        try:
            return mixer.read(RATE, 3 * RATE)
        finally:
            mixer.close()

    assert pitch_of(heard(True)) == pytest.approx(440, abs=4)
    assert pitch_of(heard(False)) == pytest.approx(220, abs=4)
