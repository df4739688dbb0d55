"""The clock of playing and the sound behind it, with a device and a time that the tests move."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from fractions import Fraction
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.compositing import Layer
from agile_shadow.core.media import SAMPLE_RATE
from agile_shadow.core.playback import Clock, Player, SoundOutput
from agile_shadow.core.playback.heard import HeardSound
from agile_shadow.core.project import new_project
from agile_shadow.core.timeline import Block
from tests.until import until

BLOCK = 1024
RATE = Fraction(25)


class Time:
    """Seconds that pass when the test says so."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


class Device:
    """A sound library with one device that plays a block when it is told to."""

    class PortAudioError(Exception):
        pass

    def __init__(self, opens: bool = True) -> None:
        self.opens = opens
        self.callback: Any = None
        self.heard: list[np.ndarray] = []

    def OutputStream(self, callback: Any, **_settings: Any) -> Device:
        if not self.opens:
            raise self.PortAudioError("planted")
        self.callback = callback
        return self

    def __enter__(self) -> Device:
        return self

    def __exit__(self, *_error: object) -> None:
        self.callback = None

    def play(self, blocks: int = 1) -> None:
        for _ in range(blocks):
            until(lambda: self.callback is not None)
            out = np.zeros((BLOCK, 2), np.float32)
            self.callback(out, BLOCK, None, None)
            self.heard.append(out)


    def play_until(self, ready: Callable[[], object]) -> None:
        """Block after block; a run that ends takes the device away."""

        def played() -> object:
            callback = self.callback
            if callback is not None:
                callback(np.zeros((BLOCK, 2), np.float32), BLOCK, None, None)
            return ready()

        until(played)


class Ones:
    """Sound that is 1 everywhere, until it is told to break."""

    def __init__(self) -> None:
        self.error: Exception | None = None
        self.reads: list[int] = []
        self.closed = False

    def read(self, position: int, count: int) -> np.ndarray:
        if self.error is not None:
            raise self.error
        self.reads.append(position)
        return np.ones((count, 2), np.float32)

    def close(self) -> None:
        self.closed = True


@pytest.fixture
def playing() -> Iterator[SimpleNamespace]:
    """A clock that runs by a device from frame 50 on."""
    now, device, source = Time(), Device(), Ones()
    output = SoundOutput(device, now)
    clock = Clock(now)
    clock.start(50, Fraction(1), RATE, None, output.start(lambda: source, 0))
    yield SimpleNamespace(now=now, device=device, source=source, output=output, clock=clock)
    assert output.close(5) and source.closed


def test_the_clock_follows_what_the_device_has_played(playing: SimpleNamespace) -> None:
    playing.now.now += 3  # a device that takes its time to open: nothing is heard, nothing moves
    assert playing.clock.exactly() == 50
    playing.device.play(26)
    assert playing.clock.exactly() == 50 + Fraction(25 * BLOCK / SAMPLE_RATE) * RATE
    playing.now.now += 0.5  # no block comes: it runs on for one block at most
    assert playing.clock.exactly() == 50 + Fraction((25 * BLOCK / SAMPLE_RATE) + BLOCK / SAMPLE_RATE) * RATE


@pytest.mark.plants_errors
@pytest.mark.parametrize("what", ["its source breaks", "its callback breaks", "it stands still"])
def test_where_the_sound_fails_the_clock_goes_on_from_there(playing: SimpleNamespace, what: str) -> None:
    until(lambda: len(playing.source.reads) > 3)
    playing.device.play(2)
    before = playing.clock.exactly()
    assert before > 50
    if what == "its source breaks":
        playing.source.error = RuntimeError("planted")
        playing.device.play_until(lambda: playing.output.failed)  # what lies ready is played first
    elif what == "its callback breaks":
        playing.device.callback(np.zeros((BLOCK, 3), np.float32), BLOCK, None, None)  # of another shape
    else:
        playing.now.now += 5
        playing.clock.tick()
    until(lambda: playing.output.failed)
    failed_at = playing.clock.exactly()
    assert failed_at >= before
    playing.now.now += 2
    assert float(playing.clock.exactly()) == pytest.approx(float(failed_at) + 50)  # by the machine
    assert str(playing.output.problem).startswith("no sound: ")


def test_a_device_that_does_not_open_is_told_and_time_passes() -> None:
    now = Time()
    output = SoundOutput(Device(opens=False), now)
    clock = Clock(now)
    clock.start(10, Fraction(-1), RATE, None, output.start(Ones, 0))
    until(lambda: output.failed)
    clock.tick()
    now.now += 0.2
    assert clock.exactly() == pytest.approx(5) and output.problem == "no sound: the sound device does not open"


def test_a_failure_belongs_to_its_run(playing: SimpleNamespace) -> None:
    playing.source.error = RuntimeError("planted")
    playing.device.play_until(lambda: playing.output.failed)
    until(lambda: playing.device.callback is None)
    playing.source.error = None
    playing.clock.start(0, Fraction(1), RATE, None, playing.output.start(lambda: playing.source, 0))
    assert not playing.output.failed
    until(lambda: playing.device.callback is not None)
    playing.device.play(11)
    assert playing.clock.exactly() == Fraction(10 * BLOCK / SAMPLE_RATE) * RATE


@given(st.lists(st.floats(0, 2), max_size=20), st.integers(0, 19), st.sampled_from([-2, -1, 1, 2]))
def test_it_never_leaps_or_runs_back_whatever_the_device_says(steps: list[float], fails: int, speed: int) -> None:
    now, sound = Time(), SimpleNamespace(failed="", heard=0.0)
    sound.elapsed = lambda: sound.heard
    clock = Clock(now)
    clock.start(0, Fraction(speed), RATE, None, sound)
    last = clock.exactly()
    for number, step in enumerate(steps):
        now.now += step
        sound.heard += step
        if number == fails:
            sound.failed = "planted"
            sound.heard -= step  # a device that dies says an earlier time than before
        at = clock.exactly()
        moved = (at - last) / speed
        assert 0 <= moved <= Fraction(step) * RATE + Fraction(1, 1000)
        last = at


class Row:
    """A program of sound alone, with the layers it is given."""

    rate, length, aspect, pixels = RATE, 100, Fraction(16, 9), (160, 90)

    def __init__(self, *clips: str) -> None:
        self.clips = clips

    def steps(self, frame: int) -> tuple[()]:
        return ()

    def baked(self, frame: int) -> None:
        return None

    def sounds(self, frame: int) -> tuple[Layer, ...]:
        return tuple(
            Layer(Block(clip, 0, 100, Fraction(0), Fraction(4), id=clip), frame / RATE) for clip in self.clips
        )


def test_what_is_muted_while_it_plays_falls_silent(monkeypatch: pytest.MonkeyPatch) -> None:
    """The mixer asks for the program of the moment; its files stand in here."""
    asked: list[str] = []
    monkeypatch.setattr(HeardSound, "choice", lambda _heard, layer: asked.append(layer.block.clip))
    now, device = Time(), Device()
    player = Player(lambda: None, SoundOutput(device, now), Clock(now))
    try:
        project = new_project("p")
        player.show(Row("guitar", "voice"), project)
        player.play()
        until(lambda: "guitar" in asked and "voice" in asked)
        player.update_project(project, Row("voice"))
        device.play(14)  # what was mixed before
        asked.clear()
        device.play(6)
        until(lambda: asked)
        assert set(asked) == {"voice"} and player.playing
    finally:
        player.heard.stop()
        assert player.close(5)


def test_a_loop_counts_its_rounds(playing: SimpleNamespace) -> None:
    now = Time()
    player = Player(lambda: None, None, Clock(now))
    try:
        player.show(Row("a"), new_project("p"))
        player.set_loop((10, 20))
        player.play(Fraction(2))
        assert player.position == 10  # from outside it begins at its start
        now.now += 0.5
        assert player.position == 10 + 25 % 10 and not player.at_end()
        player.stop()
        assert (player.playing, player.position) == (False, 15)
    finally:
        assert player.close(5)


def test_it_ends_at_the_end_in_both_directions() -> None:
    now = Time()
    player = Player(lambda: None, None, Clock(now))
    try:
        player.show(Row("a"), new_project("p"), 90)
        player.play()
        now.now += 0.3
        assert not player.at_end()
        now.now += 0.2
        assert player.at_end() and player.position == 99
        player.play(Fraction(-1))
        now.now += 3.9
        assert not player.at_end() and player.position == 1
        now.now += 0.2
        assert player.at_end() and player.position == 0
    finally:
        assert player.close(5)


def test_threads_that_wait_for_room_end_with_the_player() -> None:
    player = Player(lambda: None, None)
    player.show(Row("a"), new_project("p"))
    player.play()
    threads = [one for one in threading.enumerate() if one.name.startswith("frames ")]
    assert player.close(5) and not any(one.is_alive() for one in threads[-2:])
