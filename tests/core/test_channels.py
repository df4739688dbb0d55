"""Sound channels of a stretch, side by side: every sample in its place, over frames, seconds and gaps."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from agile_shadow.core.media import channels
from agile_shadow.core.media.channels import CHANNEL_RATE, channels_at

RATE = 48_000
TONES = 440.0, 997.0


def tone(hertz: float, count: int, rate: int, begin: float = 0.0) -> np.ndarray:
    return 0.5 * np.sin(2 * np.pi * hertz * (begin + np.arange(count) / rate)).astype(np.float32)


def half_a_sample(hertz: float) -> float:
    """What a tone differs when it lies half a sample off, at the most: stretches begin between two samples."""
    return 0.5 * np.pi * hertz / CHANNEL_RATE + 0.01


def write(path: Path, seconds: float, gap: tuple[float, float] | None = None) -> Path:
    """Two channels with a tone each; nothing is written between the two times of ``gap``."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("pcm_s16le", rate=RATE, layout="stereo")
        size = 1000
        for first in range(0, round(seconds * RATE), size):
            if gap is not None and gap[0] <= first / RATE < gap[1]:
                continue
            both = np.stack([tone(one, size, RATE, first / RATE) for one in TONES], axis=1)
            whole = np.round(both * 32767).astype(np.int16).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(whole, format="s16", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(("start", "seconds"), [(0.0, 2.5), (0.4, 1.0), (1.3, 2.0)])
def test_every_sample_lies_in_its_place_over_frames_and_seconds(tmp_path: Path, start: float, seconds: float) -> None:
    found = channels_at(write(tmp_path / "tones.mov", 4), start, seconds)
    assert found.shape == (2, round(seconds * CHANNEL_RATE))
    for row, hertz in zip(found, TONES, strict=True):
        off = np.abs(row - tone(hertz, len(row), CHANNEL_RATE, start))
        assert off[:20].max() < 0.5 and off[20:].max() < half_a_sample(hertz)


def test_the_last_sound_is_there_and_silence_after_it(tmp_path: Path) -> None:
    found = channels_at(write(tmp_path / "tones.mov", 2), 1.5, 1.0)[0]
    expected = tone(TONES[0], 4000, CHANNEL_RATE, 1.5)
    assert np.abs(found[20:3990] - expected[20:3990]).max() < half_a_sample(TONES[0])
    assert np.abs(found[3990:4000]).max() > 0.1 and not found[4020:].any()


def test_a_gap_stays_silent_and_what_follows_is_not_moved(tmp_path: Path) -> None:
    """Times in this container are kept, gaps too."""
    found = channels_at(write(tmp_path / "gap.mkv", 3, gap=(1.0, 1.5)), 0, 3.0)[1]
    whole = tone(TONES[1], len(found), CHANNEL_RATE)
    before, after = slice(20, 7970), slice(12_040, 23_970)
    assert np.abs(found[before] - whole[before]).max() < 0.01
    assert np.abs(found[after] - whole[after]).max() < 0.02  # the container counts milliseconds
    assert np.abs(found[8040:11_960]).max() == 0


def test_what_was_decoded_before_damage_is_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = write(tmp_path / "tones.mov", 3)
    decoded: list[float] = []

    class Damaged:
        """A container whose sound cannot be decoded from 1.5 s on."""

        def __init__(self, inner: av.container.InputContainer) -> None:
            self.inner = inner

        def decode(self, stream: av.AudioStream) -> Iterator[av.AudioFrame]:
            for frame in self.inner.decode(stream):
                if frame.time >= 1.5:
                    raise av.error.InvalidDataError(1, "damaged")
                decoded.append(frame.time + frame.samples / RATE)
                yield frame

    whole = channels._fill
    monkeypatch.setattr(channels, "_fill", lambda out, inner, *more: whole(out, Damaged(inner), *more))
    found = channels_at(path, 0, 3.0)[0]
    end = round(decoded[-1] * CHANNEL_RATE)
    assert 12_000 <= end < 20_000
    assert np.abs(found[20 : end - 20] - tone(TONES[0], end, CHANNEL_RATE)[20 : end - 20]).max() < 0.01
    assert not found[end + 20 :].any()
