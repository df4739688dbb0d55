import threading
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from agile_shadow.core.compositing import Mixer
from agile_shadow.core.playback import ClipProgram, Picture, Player, Presence, TimelineProgram, choose
from agile_shadow.core.playback.meter import Meter
from agile_shadow.core.project import Clip, Project, load_project
from agile_shadow.core.stand_ins import read_code
from agile_shadow.core.timeline import append
from tests.footage import NUMBERS, ingest


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
def project(card: Path, tmp_path: Path) -> Project:
    ingest(card, tmp_path / "film" / "p.otio")
    return load_project(tmp_path / "film" / "p.otio")


def named(project: Project, name: str) -> Clip:
    return next(clip for clip in project.clips if clip.name == name)


def code(picture: Picture) -> tuple[int, int] | None:
    assert picture.pixels is not None
    return read_code(picture.pixels[..., 1])


def test_the_switch_keeps_frame_and_rectangle(project: Project, watched: Watched) -> None:
    for clip in (clip for clip in project.clips if clip.proxies):
        watched.player.show(ClipProgram.of(clip), project, 7)
        original = watched.picture()
        watched.player.update_project(replace(project, showing="proxies"))
        proxy = watched.picture()
        assert original.choice and proxy.choice
        assert (original.choice.kind, proxy.choice.kind) == ("original", "proxy")
        assert original.pixels is not None and proxy.pixels is not None
        assert original.pixels.shape == proxy.pixels.shape
        assert code(original) == code(proxy) == (NUMBERS[clip.name], original.file_frame)
        step = original.pixels[::8, ::8, 1].astype(int) - proxy.pixels[::8, ::8, 1]
        assert np.abs(step).mean() < 8


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
    assert choose(replace(project, showing="proxies"), replace(clip, pin="originals"), Presence()).kind == "original"


def test_a_timeline_plays_each_frame_once_in_order(project: Project, watched: Watched) -> None:
    project = replace(project, showing="proxies").with_timeline_settings_of(named(project, "A001C002"))
    line = project.timeline
    for name in ("A001C002", "PCK_0008"):
        clip = named(project, name)
        line = append(line, clip.piece(Fraction(1, 5), Fraction(2, 5)))
    project = replace(project, timeline=line)
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
    assert len(seen) >= 10


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
