"""Large stills have proxies: PNG with their transparency, made on ingest and later, proven, shown in their place."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from agile_shadow.core.below import Anchor
from agile_shadow.core.compositing import Compositor, Window, picture_of, picture_steps
from agile_shadow.core.compositing.clear import may_be_clear
from agile_shadow.core.desk import Desk
from agile_shadow.core.errors import MediaError
from agile_shadow.core.film import FILM_SETTINGS, FilmRequest
from agile_shadow.core.film.drawing import Drawing
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import probe
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.pairs.pair import Stamp
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import Project, ProjectSession, load_project
from agile_shadow.core.proof.still import prove_still, still_pixels
from agile_shadow.core.proxies import ProxyRequest, make_or_take_proxy
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.timeline import Placement, Targets, add_track, append, overwrite, with_effects
from agile_shadow.core.upkeep.making import MakeRequest
from agile_shadow.core.upkeep.proving import due
from tests.footage import ingest
from tests.until import until

OVER_2 = Preset(name="Stills", proxies=Proxies(scale=Fraction(1, 4), codec="h264", stills_over=2))
STAMP = Stamp(0, 0, 0, 0, 0)


def still(path: Path, width: int = 2400, height: int = 1600, clear: bool = True, seed: int = 1) -> Path:
    """Fields of colour and fine lines, clear at one corner."""
    rng = np.random.default_rng(seed)
    small = rng.integers(0, 256, (height // 100, width // 100, 3), np.uint8)
    pixels = np.kron(small, np.ones((100, 100, 1), np.uint8))
    pixels[::7] //= 2
    if clear:
        ramp = np.clip(np.add.outer(np.arange(height), np.arange(width)) / 8, 0, 255).astype(np.uint8)
        pixels = np.dstack([pixels, ramp])
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray(pixels).save(path)
    return path


@pytest.fixture
def shot(tmp_path: Path) -> Path:
    """A card with a large still, a small one, and a large one without transparency."""
    card = tmp_path / "Card"
    still(card / "LARGE_1.png")
    still(card / "SMALL_1.png", 600, 400)
    still(card / "WIDE_1.tif", 3000, 1000, clear=False)
    return card


def test_large_stills_get_one_on_ingest_and_small_ones_none(shot: Path, tmp_path: Path) -> None:
    report = ingest(shot, tmp_path / "p.otio", OVER_2)
    assert report.all_well and report.paired == 2, report.headline()
    project = load_project(tmp_path / "p.otio")
    clips = {clip.name: clip for clip in project.clips}
    assert [len(clips[name].proxies) for name in ("LARGE_1", "SMALL_1", "WIDE_1")] == [1, 0, 1]
    proxy = clips["LARGE_1"].proxies[0]
    path, original = project.path(proxy.file), project.path(clips["LARGE_1"].original.file)
    assert path is not None and original is not None and path.suffix == ".png"
    assert (proxy.info.width, proxy.info.height) == (600, 400) and proxy.made
    first, second = (still_pixels(Half(one, probe(one)), 600, 400) for one in (original, path))
    assert np.abs(first[..., 3].astype(int) - second[..., 3].astype(int)).max() <= 2
    assert ssim(first[..., 1], second[..., 1]) >= 0.95
    assert Image.open(path).mode == "RGBA"
    wide = project.path(clips["WIDE_1"].proxies[0].file)
    assert wide is not None and Image.open(wide).mode == "RGB"


def picture(project: Project, side: str) -> np.ndarray:
    compositor = Compositor(Presence())
    shown = project.but(showing=side)
    try:
        drawn = compositor.picture(shown, picture_steps(shown.timeline, 3), Fraction(3, 2), Window.all_of((600, 400)))
        assert {one.choice.kind for one in drawn.shown} == {"proxy" if side == "proxies" else "original"}
        return drawn.pixels.copy()
    finally:
        compositor.close()


def test_the_proxy_in_the_timeline_agrees_with_the_original(shot: Path, tmp_path: Path) -> None:
    ingest(shot, tmp_path / "p.otio", OVER_2)
    project = load_project(tmp_path / "p.otio")
    clip = next(clip for clip in project.clips if clip.name == "LARGE_1")
    line = replace(project.timeline, rate=Fraction(25), width=600, height=400)
    project = project.but(timeline=append(line, clip.piece()))
    one, two = (picture(project, side)[..., :3].astype(float).mean(axis=2) for side in ("originals", "proxies"))
    assert ssim(one, two) >= 0.95


def test_they_are_made_later_and_proven(shot: Path, tmp_path: Path) -> None:
    ingest(shot, tmp_path / "p.otio", Preset(name="None", proxies=Proxies(codec="h264")))
    session = ProjectSession.open(tmp_path / "p.otio")
    desk = Desk(session, JobStore())
    try:
        assert not any(clip.proxies for clip in session.project.clips)
        desk.make(MakeRequest(tuple(clip.id for clip in session.project.clips), OVER_2, tmp_path / "Laptop"))
        until(lambda: not desk.runs, 60)
        paired = [clip for clip in session.project.clips if clip.proxies]
        assert {clip.name for clip in paired} == {"LARGE_1", "WIDE_1"}
        waiting, cannot = due(session.project)
        assert {one.clip.id for one in waiting} == {clip.id for clip in paired} and not cannot
        assert all(choose(session.project.but(showing="proxies"), clip, Presence()).kind == "proxy" for clip in paired)
    finally:
        assert desk.close(20)
        session.close()


def test_the_proof_tells_another_picture_and_another_transparency(tmp_path: Path) -> None:
    original, other = still(tmp_path / "a.png"), still(tmp_path / "b.png", seed=2)
    made = make_or_take_proxy(ProxyRequest(original, tmp_path / "x" / "a.png", OVER_2.proxies), lambda done: None)  # type: ignore[arg-type]
    half = Half(original, probe(original))
    good = prove_still(half, Half(made.path, made.info), STAMP)
    assert good.state == "proven" and good.likeness > 0.95
    wrong = make_or_take_proxy(ProxyRequest(other, tmp_path / "x" / "b.png", OVER_2.proxies), lambda done: None)  # type: ignore[arg-type]
    refused = prove_still(half, Half(wrong.path, wrong.info), STAMP)
    assert refused.state == "refused" and "another picture" in refused.reasons[0]
    solid = Image.open(made.path).convert("RGB")
    solid.save(tmp_path / "solid.png")
    clear = prove_still(half, Half(tmp_path / "solid.png", probe(tmp_path / "solid.png")), STAMP)
    assert clear.state == "refused" and any("transparency" in text for text in clear.reasons)


def test_what_was_made_here_is_taken_again_and_another_file_is_left(tmp_path: Path) -> None:
    original = still(tmp_path / "a.png")
    (tmp_path / "x").mkdir()
    request = ProxyRequest(original, tmp_path / "x" / "a.png", OVER_2.proxies, anchor=Anchor.of(tmp_path / "x"))  # type: ignore[arg-type]
    first = make_or_take_proxy(request, lambda done: None)
    again = make_or_take_proxy(request, lambda done: None)
    assert first.path == again.path and first.made is not None and again.made is None
    first.path.write_bytes(b"another")
    third = make_or_take_proxy(request, lambda done: None)
    assert third.path != first.path and first.path.read_bytes() == b"another"
    (tmp_path / "broken.png").write_bytes(original.read_bytes()[:5000])
    with pytest.raises(MediaError):
        make_or_take_proxy(replace(request, original=tmp_path / "broken.png", info=None), lambda done: None)


# Clear in places

RED, HIDDEN = (220, 20, 20), (255, 255, 255)


def emblem(path: Path, kind: str = "RGBA") -> Path:
    """A red disk on nothing, with white hidden in what is clear, and half clear in its middle."""
    y, x = np.mgrid[-1:1:480j, -1:1:640j]
    away = np.hypot(x * 4 / 3, y)
    pixels = np.where((away < 0.8)[..., None], RED, HIDDEN).astype(np.uint8)
    opacity = np.where(away < 0.25, 128, np.where(away < 0.8, 255, 0)).astype(np.uint8)
    path.parent.mkdir(parents=True, exist_ok=True)
    whole = Image.fromarray(np.dstack([pixels, opacity]), "RGBA")
    if kind == "P":
        whole.convert("P").save(path, transparency=b"\x00" * 250 + b"\xff" * 6)
    else:
        whole.save(path)
    return path


@pytest.fixture
def over_green(tmp_path: Path) -> Project:
    """The disk on a second track above a green field."""
    card = tmp_path / "Card"
    emblem(card / "EMBLEM.png")
    Image.new("RGB", (640, 480), (20, 160, 40)).save(card / "FIELD.png")
    ingest(card, tmp_path / "p.otio", OVER_2)
    project = load_project(tmp_path / "p.otio")
    clips = {clip.name: clip for clip in project.clips}
    line = replace(project.timeline, rate=Fraction(25), width=640, height=480)
    line = add_track(append(line, clips["FIELD"].piece()), "picture")
    line = overwrite(line, clips["EMBLEM"].piece(), 0, Targets(line.pictures[1].id))
    return project.but(timeline=line, showing="originals")


def composed(project: Project, size: tuple[int, int], deep: bool = False) -> np.ndarray:
    drawn = picture_of(project, project.timeline, 3, size, "originals", deep).pixels.astype(float)
    return drawn / 257 if deep else drawn[..., 2::-1]


@pytest.mark.parametrize("deep", [False, True])
@pytest.mark.parametrize("size", [(640, 480), (160, 120), (1280, 960)])
def test_what_is_clear_in_a_still_shows_what_is_below(over_green: Project, size: tuple[int, int], deep: bool) -> None:
    shown = composed(over_green, size, deep)
    high, wide = shown.shape[:2]
    for (x, y), colour in {
        (0.02, 0.02): (20, 160, 40), (0.5, 0.2): RED, (0.5, 0.5): (120, 90, 30), (0.98, 0.5): (20, 160, 40),
    }.items():  # fmt: skip
        assert np.abs(shown[int(y * high), int(x * wide)] - colour).max() <= 3, (x, y)
    assert shown[..., 2].max() <= 45  # nowhere any of the white that is hidden: no rim around the disk


def test_an_opacity_that_is_placed_turned_and_dissolved(over_green: Project) -> None:
    block = over_green.timeline.pictures[1].blocks[0]
    line = with_effects(over_green.timeline, [block.id], lambda old: replace(
        old, placement=Placement(scale=0.5, x=0.25, rotation=30, opacity=0.5)))  # fmt: skip
    shown = composed(over_green.but(timeline=line), (640, 480))
    assert np.abs(shown[240, 40] - (20, 160, 40)).max() <= 3 and np.abs(shown[240, 560] - (120, 90, 30)).max() <= 4
    assert np.abs(shown[240, 480] - (70, 125, 35)).max() <= 4 and shown[..., 2].max() <= 45


def test_a_film_shows_it_the_same(over_green: Project, tmp_path: Path) -> None:
    line = over_green.timeline
    alone = line.with_tracks(replace(line.pictures[0], blocks=line.pictures[1].blocks))
    alone = replace(alone, tracks=tuple(track for track in alone.tracks if track.id != line.pictures[1].id))
    settings = FILM_SETTINGS.find("Viewing copy")
    drawing = Drawing(FilmRequest(over_green.but(timeline=alone), tmp_path / "a.mp4", settings))
    try:
        shown = drawing.frame(3).to_ndarray(format="rgb24").astype(int)
    finally:
        drawing.close()
    assert shown[5, 5].max() <= 2 and np.abs(shown[100, 320] - RED).max() <= 4  # clear over nothing is black


def test_which_stills_may_be_clear(tmp_path: Path) -> None:
    for name, kind, clear in (("a.png", "RGBA", True), ("b.png", "P", True)):
        assert may_be_clear(probe(emblem(tmp_path / name, kind))) is clear
    Image.new("RGB", (64, 48)).save(tmp_path / "c.png")
    assert not may_be_clear(probe(tmp_path / "c.png"))
    assert not may_be_clear(replace(probe(tmp_path / "a.png"), kind="video"))
    assert not may_be_clear(replace(probe(tmp_path / "a.png"), pixel_format="no such thing"))
