import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from agile_shadow.core.compositing import Compositor, Mixer, files
from agile_shadow.core.playback import (
    ClipProgram,
    MeterReading,
    Picture,
    Player,
    Reason,
    TimelineProgram,
    lane,
    player,
    why_late,
)
from agile_shadow.core.playback.meter import Meter
from agile_shadow.core.project import Clip, Project, load_project
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.timeline import append
from agile_shadow.stand_ins import read_code
from tests.footage import NUMBERS


class Watched:
    """A player with the waiting done."""

    def __init__(self) -> None:
        self._came = threading.Event()
        self.player = Player(self._came.set)
        self.player.set_view(960, 540)

    def picture(self) -> Picture:
        while True:
            assert self._came.wait(20)
            self._came.clear()
            picture = self.player.take_due()
            if picture is not None:
                return picture


@pytest.fixture
def watched() -> Iterator[Watched]:
    made = Watched()
    yield made
    made.player.close()


@pytest.fixture
def project(film: Path) -> Project:
    return load_project(film)


def named(project: Project, name: str) -> Clip:
    return next(clip for clip in project.clips if clip.name == name)


def code(picture: Picture) -> tuple[int, int] | None:
    assert picture.pixels is not None
    return read_code(picture.pixels[..., 1])


def test_the_switch_keeps_frame_and_rectangle(project: Project, watched: Watched) -> None:
    for clip in (clip for clip in project.clips if clip.proxies):
        watched.player.show(ClipProgram.of(clip), project, 7)
        original = watched.picture()
        watched.player.update_project(project.but(showing="proxies"))
        proxy = watched.picture()
        assert original.choice and proxy.choice
        assert (original.choice.kind, proxy.choice.kind) == ("original", "proxy")
        assert original.pixels is not None and proxy.pixels is not None
        assert original.pixels.shape == proxy.pixels.shape
        assert code(original) == code(proxy) == (NUMBERS[clip.name], original.file_frame)
        step = original.pixels[::8, ::8, 1].astype(int) - proxy.pixels[::8, ::8, 1]
        assert np.abs(step).mean() < 8


def test_the_other_side_is_kept_warm_once_the_hand_rests(
    project: Project, watched: Watched, monkeypatch: pytest.MonkeyPatch
) -> None:
    warmed: queue.SimpleQueue[Fraction] = queue.SimpleQueue()
    monkeypatch.setattr(Compositor, "prepare", lambda _self, _project, steps: warmed.put(steps[0][0].seconds))
    monkeypatch.setattr(lane, "_REST", 60.0)
    clip, moved = named(project, "A001C002"), watched.player
    moved.show(ClipProgram.of(clip), project.but(showing="proxies"))
    for frame in range(1, 6):
        moved.seek(frame)
        watched.picture()
    assert warmed.empty()
    monkeypatch.setattr(lane, "_REST", 0.02)
    moved.seek(7)
    rate = clip.original.info.frame_rate
    assert rate and warmed.get(timeout=20) == 7 / rate and warmed.empty()
    monkeypatch.setattr(lane, "_REST", 60.0)
    moved.seek(8)
    assert moved.close(10) and warmed.empty()  # who rests hears that it is over


def test_missing_files_fall_back_and_then_a_stand_in_names_the_shelf(project: Project, watched: Watched) -> None:
    clip = named(project, "A001C002")
    proxy, original = project.path(clip.proxies[0].file), project.path(clip.original.file)
    assert proxy and original
    original.unlink()
    watched.player.show(ClipProgram.of(clip), project, 3)
    picture = watched.picture()
    assert picture.choice and picture.choice.mark == "PROXY 480 x 270, original missing"
    proxy.unlink()
    watched.player.release()
    watched.player.show(ClipProgram.of(clip), project, 3)
    picture = watched.picture()
    assert picture.choice and picture.choice.kind == "missing" and "Boathouse" in picture.choice.note


def test_a_pin_overrides_the_switch(project: Project) -> None:
    clip = replace(named(project, "PCK_0007"), pin="proxies")
    assert choose(project, clip, Presence()).kind == "proxy"
    assert choose(project.but(showing="proxies"), replace(clip, pin="originals"), Presence()).kind == "original"


def test_a_timeline_plays_each_frame_once_in_order(project: Project, watched: Watched) -> None:
    project = project.but(showing="proxies").with_timeline_settings_of(named(project, "A001C002"))
    line = project.timeline
    for name in ("A001C002", "PCK_0008"):
        clip = named(project, name)
        line = append(line, clip.piece(Fraction(1, 5), Fraction(2, 5)))
    project = project.but(timeline=line)
    watched.player.show(TimelineProgram(line), project)
    watched.picture()
    watched.player.play()
    tick = threading.Event()  # never set: lets the decoding threads run, as the window's event loop does
    seen: list[tuple[int, int] | None] = []
    while not watched.player.at_end():
        picture = watched.player.take_due()
        if picture is not None:
            seen.append(code(picture))
        tick.wait(0.003)
    whole = [(NUMBERS["A001C002"], 5 + n) for n in range(10)] + [(NUMBERS["PCK_0008"], 10 + 2 * n) for n in range(10)]
    assert seen == [shown for shown in whole if shown in seen]  # in order, none twice, none that is not on the timeline
    assert {shown[0] for shown in seen if shown} == {NUMBERS["A001C002"], NUMBERS["PCK_0008"]}  # of both, few if busy


def test_the_sound_of_a_timeline_comes_from_its_blocks(project: Project) -> None:
    clip = named(project, "PCK_0007")
    project = project.with_timeline_settings_of(clip)
    line = append(project.timeline, clip.piece(Fraction(1, 2), Fraction(2, 5)))
    line = append(line, clip.piece(Fraction(0), Fraction(2, 5)))
    sound = Mixer(TimelineProgram(line), lambda layer: choose(project, clip, Presence(), layer.seconds))
    whole = sound.read(0, 48_000 * 4 // 5)
    pieces = np.concatenate([sound.read(at, 960) for at in range(0, 48_000 * 4 // 5, 960)])
    sound.close()
    assert np.abs(whole - pieces).max() < 0.02
    loud = int(np.argmax(np.abs(whole[:, 0]) > 0.1))
    assert abs(loud - 48_000 * 2 // 5) < 100  # the clunk of frame 0 begins with the second block


def test_the_meter_counts_what_was_not_on_screen_in_its_time() -> None:
    meter = Meter(Fraction(25), 0, 0.0)
    for frame in range(25):
        if frame % 5:
            meter.picture_shown(frame, frame + (frame % 5 == 1), frame / 25)
    reading = meter.read(25, 1.0)
    assert (reading.late, reading.frames) == (10, 25)
    assert reading.shown == pytest.approx(20, abs=1)


def test_late_pictures_are_explained_with_what_mends_them(project: Project) -> None:
    clip = named(project, "A001C002")
    bare = project.but(clips=tuple(replace(one, proxies=()) for one in project.clips))
    slow, good = MeterReading(9, Fraction(25), 30, 60), MeterReading(25, Fraction(25), 0, 60)

    def explained(project: Project, paces: dict[str, float], layers: int = 1, **more: object) -> Reason | None:
        shown = [choose(project, found, Presence()) for found in project.clips if found.id == clip.id] * layers

        def pace(path: Path) -> float | None:
            return next((value for name, value in paces.items() if name in str(path)), None)

        reading = more.get("reading", slow)
        assert isinstance(reading, MeterReading)
        return why_late(reading, project, shown, Fraction(1), pace)

    heavy = {"Boathouse": 0.42, "Laptop": 9.3}
    assert explained(project, heavy, reading=good) is None
    first = explained(project, heavy)
    assert first is not None and first.mend == "show proxies" and first.clip == clip.id
    assert first.text == "the original of A001C002 decodes at 0.4 of its rate; its proxy at 9"
    pinned = project.but(showing="proxies", clips=tuple(replace(one, pin="originals") for one in project.clips))
    unpin, make = explained(pinned, heavy), explained(bare, heavy)
    assert unpin is not None and unpin.mend == "unpin"
    assert make is not None and make.mend == "make a proxy" and "no proxy" in make.text
    many, large = explained(project, {"Boathouse": 7.0}, layers=3), explained(project, {"Boathouse": 7.0})
    assert many is not None and many.mend == "bake" and many.text.startswith("3 layers")
    assert large is not None and large.mend == "less detail"


def test_the_meter_counts_backward_and_only_what_is_to_be_shown_when_faster() -> None:
    backward = Meter(Fraction(25), 100, 0.0, -1)
    for frame in range(100, 75, -1):
        backward.picture_shown(frame, frame, (100 - frame) / 25)
    assert (backward.read(75, 1.0).late, backward.read(75, 1.0).frames) == (0, 25)
    fast = Meter(Fraction(100), 0, 0.0, 2)  # four times 25, every other frame
    for frame in range(0, 100, 2):
        fast.picture_shown(frame, frame + 1, frame / 100)
    reading = fast.read(100, 1.0)
    assert (reading.late, reading.frames, reading.wanted) == (0, 50, 50)


def test_a_loop_goes_round_without_a_gap(project: Project, watched: Watched) -> None:
    clip = named(project, "PCK_0007")
    watched.player.show(ClipProgram.of(clip), project.but(showing="proxies"), 12)
    watched.picture()
    watched.player.set_loop((10, 16))
    watched.player.play()
    tick, seen = threading.Event(), []
    while len(seen) < 15:
        picture = watched.player.take_due()
        if picture is not None:
            assert code(picture) == (NUMBERS["PCK_0007"], picture.frame)
            seen.append(picture)
        tick.wait(0.003)
    ticks = [picture.tick for picture in seen]
    assert ticks == sorted(ticks) and all(picture.frame == 10 + (picture.tick - 10) % 6 for picture in seen)
    assert {picture.frame for picture in seen} == set(range(10, 16)) and not watched.player.at_end()


class Unanswered:
    """Opening the file waits until it is let go, as on a drive that does not answer."""

    def __init__(self, path: Path, open_reader: Callable[..., object]) -> None:
        self.waits, self.free = threading.Event(), threading.Event()
        self._path, self._open = path, open_reader

    def __call__(self, path: Path, *more: object) -> object:
        if path == self._path:
            self.waits.set()
            assert self.free.wait(60)
        return self._open(path, *more)


@pytest.mark.parametrize("plays", [False, True])
def test_a_thread_that_waits_for_a_drive_is_left_behind(
    project: Project, watched: Watched, monkeypatch: pytest.MonkeyPatch, plays: bool
) -> None:
    clip = named(project, "A001C002")
    original = project.path(clip.original.file)
    assert original
    unanswered = Unanswered(original, files.open_reader)
    monkeypatch.setattr(files, "open_reader", unanswered)
    monkeypatch.setattr(player, "_WAITS", 0.0)
    try:
        watched.player.show(ClipProgram.of(clip), project, 3)
        assert unanswered.waits.wait(20)
        if plays:
            watched.player.play()
        watched.player.presence.tell(original, False)  # the shelf is away
        watched.player.look_again()
        assert watched.player.playing == plays
        if plays:
            watched.player.stop()
        picture = watched.picture()
        assert picture.choice and picture.choice.kind == "proxy" and code(picture) is not None
    finally:
        unanswered.free.set()
