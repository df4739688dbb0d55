import base64
import os
import zlib
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from agile_shadow.core import timeline as edits
from agile_shadow.core.compositing import (
    AtSpeed,
    Compositor,
    Looping,
    Mixer,
    Window,
    picture_of,
    picture_steps,
    window_of,
)
from agile_shadow.core.media import SoundReader
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.media.peaks import peaks
from agile_shadow.core.pairs import FileRef
from agile_shadow.core.playback import BakeRequest, TimelineProgram, bake, bake_states, stretch_digest
from agile_shadow.core.presets import Attached
from agile_shadow.core.project import Bake, Project, load_project
from agile_shadow.core.shelves import Shelf
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.timeline import Colour, Placement, Timeline, Title
from tests.effects import Picture, best_shift, luma, named, reduced, with_everything
from tests.footage import refusal


@pytest.fixture(scope="module")
def film(ingested: Path) -> Project:
    return load_project(ingested / "The Tern Ferry.otio")


def both_sides(project: Project, part: int, count: int) -> list[tuple[Picture, Picture]]:
    """A timeline's pictures from originals, reduced to the proxies' size, and from proxies."""
    line = project.timeline
    full = (line.width, line.height)
    small = (line.width // part, line.height // part)
    aspect = Fraction(*full)
    originals, proxies = (Compositor(Presence(), only=side) for side in ("originals", "proxies"))
    pairs = []
    for frame in range(0, line.length, max(1, line.length // count)):
        steps = picture_steps(line, frame)
        original = originals.picture(project, steps, aspect, Window.all_of(full))
        proxy = proxies.picture(project, steps, aspect, Window.all_of(small))
        kinds = {one.choice.kind for one in original.shown}, {one.choice.kind for one in proxy.shown}
        assert kinds <= ({"original"}, {"proxy"}) if original.shown else True
        pairs.append((reduced(original.pixels, small), luma(proxy.pixels)))
    originals.close()
    proxies.close()
    return pairs


def test_both_sides_of_the_switch_give_the_same_picture(film: Project) -> None:
    pairs = both_sides(with_everything(film), 2, 60)
    assert len(pairs) >= 60
    assert min(ssim(original, proxy) for original, proxy in pairs) >= 0.95
    assert {best_shift(original, proxy) for original, proxy in pairs} == {(0, 0)}
    moving = 0
    for (before, _p), (here, proxy), (after, _q) in zip(pairs, pairs[1:], pairs[2:], strict=False):
        here_is = ssim(here, proxy)
        moving += here_is > max(ssim(before, proxy), ssim(after, proxy)) + 1e-3
        assert here_is >= max(ssim(before, proxy), ssim(after, proxy)) - 1e-3
    assert moving > len(pairs) / 2  # most frames differ from their neighbours, so the best match means something


def seen(project: Project, line: Timeline, frame: int, size: tuple[int, int] = (480, 270)) -> NDArray[np.uint8]:
    return picture_of(project, line, frame, size, "originals").pixels


def one_block(film: Project, **effects: object) -> tuple[Project, Timeline, str]:
    project = film.with_timeline_settings_of(named(film, "A001C002"))
    line = edits.append(project.timeline, named(film, "A001C002").piece())
    block = line.pictures[0].blocks[0].id
    return project, edits.with_effects(line, [block], lambda e: replace(e, **effects)), block  # type: ignore[arg-type]


def test_each_effect_does_what_its_name_says(film: Project) -> None:
    project, plain, block = one_block(film)
    base = seen(project, plain, 5).astype(int)

    def with_placement(**values: float) -> NDArray[np.int_]:
        line = edits.with_effects(plain, [block], lambda e: replace(e, placement=Placement(**values)))
        return seen(project, line, 5).astype(int)

    def alike(one: NDArray[np.int_], other: NDArray[np.int_]) -> bool:
        return bool(np.abs(one - other).mean() < 2.5)

    half = with_placement(scale=0.5)
    assert alike(
        half[68:202, 120:360], cv2.resize(base.astype(np.uint8), (240, 135), interpolation=3)[:134].astype(int)
    )
    assert not half[:60, :, :3].any() and not half[:, :110, :3].any()
    moved = with_placement(x=0.25, y=-0.2)
    assert alike(moved[:216, 120:], base[54:, :360]) and not moved[:, :118, :3].any()
    cropped = with_placement(left=0.25, top=0.1)
    assert alike(cropped[27:, 120:], base[27:, 120:]) and not cropped[:, :118, :3].any()
    assert alike(with_placement(rotation=180), base[::-1, ::-1])
    assert alike(with_placement(opacity=0.5)[..., :3], base[..., :3] // 2)
    quarter = with_placement(rotation=90, scale=0.5)  # clockwise: what was on the left is above
    turned = np.rot90(half, -1)
    assert alike(quarter[60:210, 180:300], turned[165:315, 75:195])


def test_colours_change_as_asked(film: Project) -> None:
    project, plain, block = one_block(film)
    base = seen(project, plain, 5).astype(float)[..., :3]

    def with_colour(**values: object) -> NDArray[np.float64]:
        line = edits.with_effects(plain, [block], lambda e: replace(e, colour=Colour(**values)))  # type: ignore[arg-type]
        return seen(project, line, 5).astype(float)[..., :3]

    dark = base.max(axis=2) < 120
    brighter = with_colour(exposure=1.0)
    assert np.abs(brighter[dark] - base[dark] * 2 ** (1 / 2.2)).max() < 2
    grey = with_colour(saturation=0.0)
    assert np.ptp(grey, axis=2).max() <= 1
    assert np.abs(grey[..., 0] - base @ [0.0722, 0.7152, 0.2126]).mean() < 1
    warm = with_colour(temperature=1.0)
    assert warm[..., 2].mean() > base[..., 2].mean() and warm[..., 0].mean() < base[..., 0].mean()
    assert with_colour(contrast=2.0).std() > base.std()
    swap = "LUT_3D_SIZE 2\n" + "\n".join(f"{b} {g} {r}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    table = Attached(name="swap.cube", data=base64.b64encode(zlib.compress(swap.encode())).decode())
    assert np.abs(with_colour(lut=table) - base[..., ::-1]).max() <= 2
    deep = picture_of(project, plain, 5, (480, 270), "originals", deep=True).pixels
    assert np.abs(deep[..., ::-1] / 257 - base).mean() < 1.5 and len(np.unique(deep & 255)) > 100


def test_dissolves_fades_and_layers_add_up(film: Project) -> None:
    project = film.with_timeline_settings_of(named(film, "A001C002"))
    line = edits.append(project.timeline, named(film, "A001C002").piece(Fraction(0), Fraction(3, 5)))
    line = edits.append(line, named(film, "PCK_0007").piece(Fraction(1, 5), Fraction(3, 5)))
    second = line.pictures[0].blocks[1]
    soft = edits.with_dissolve(line, second.id, 9)
    assert soft.block(second.id).dissolve == edits.Dissolve(4, 5)  # type: ignore[union-attr]
    longer = edits.trim(line, second.id, "start", -5)
    first = seen(project, edits.append(project.timeline, named(film, "A001C002").piece()), 15).astype(float)
    there = seen(project, longer, 20).astype(float)
    middle = seen(project, soft, 15).astype(float)
    assert np.abs(middle - (first + there) / 2).mean() < 1.5
    part = edits.with_effects(soft, [second.id], lambda e: replace(e, placement=Placement(scale=0.5)))
    small = edits.with_effects(
        longer, [longer.pictures[0].blocks[1].id], lambda e: replace(e, placement=Placement(scale=0.5))
    )
    alone, mixed = seen(project, small, 20).astype(float), seen(project, part, 15).astype(float)
    inside = (slice(80, 190), slice(140, 340), slice(0, 3))
    assert (
        np.abs(mixed[:60, :, :3] - first[:60, :, :3] / 2).mean() < 1.5
    )  # only the leaving picture is there, half gone
    assert np.abs(mixed[inside] - (first[inside] + alone[inside]) / 2).mean() < 1.5
    faded = edits.with_effects(line, [line.pictures[0].blocks[0].id], lambda e: replace(e, fade_in=4))
    assert np.abs(seen(project, faded, 1)[..., :3] - seen(project, line, 1)[..., :3] * 0.4).mean() < 1.5
    hidden = edits.with_track(line, line.pictures[0].id, off=True)
    assert not seen(project, hidden, 3)[..., :3].any()
    titled = edits.add_title(edits.add_track(line, "picture"), "", 0, 10, Title())
    titled = edits.add_title(titled, edits.add_track(line, "picture").pictures[1].id, 0, 10, Title())
    assert titled.length == line.length  # a track of another timeline is none of this one
    two = edits.add_track(line, "picture")
    two = edits.add_title(two, two.pictures[1].id, 0, 10, Title("WWWW", spot="upper left"))
    change = np.abs(seen(project, two, 3).astype(int) - seen(project, line, 3)).sum(axis=2)
    assert change[:60, :200].max() > 200 and change[140:].max() == 0


def test_what_cannot_be_shown_is_stood_in_for_in_words(film: Project, tmp_path: Path) -> None:
    project, line, _block = one_block(film)
    gone = project.but(shelves=tuple(replace(shelf, root=tmp_path / shelf.name) for shelf in project.shelves))
    drawn = picture_of(gone, line, 3, (480, 270), "originals")
    assert drawn.shown[0].choice.kind == "missing" and "Boathouse" in drawn.shown[0].choice.note
    assert 10 < drawn.pixels[..., :3].std() < 90


def test_sound_follows_speed_gain_fades_and_mute(film: Project) -> None:
    project = film.with_timeline_settings_of(named(film, "A001C002"))
    clip = named(film, "PCK_0007")
    line = edits.append(project.timeline, clip.piece())
    block = line.sounds[0].blocks[0]

    def heard(line: Timeline) -> NDArray[np.float32]:
        mixer = Mixer(TimelineProgram(line), lambda layer: choose(project, clip, Presence(), layer.seconds))
        pieces = [mixer.read(at, 1024) for at in range(0, 40 * 1024, 1024)]
        mixer.close()
        return np.concatenate(pieces)

    plain = heard(line)
    assert np.abs(heard(edits.with_effects(line, [block.id], lambda e: replace(e, gain=-6.0))) / 10 ** (-6 / 20)
                  - plain).max() < 1e-4  # fmt: skip
    assert not heard(edits.with_track(line, line.sounds[0].id, off=True)).any()
    assert not heard(edits.with_speed(edits.lift(line, [block.id]), block.id, Fraction(2))).any()
    double = heard(edits.with_speed(line, block.id, Fraction(2)))
    assert np.abs(double[:10_000] - plain[:20_000:2]).max() < 0.05
    backward = heard(edits.with_speed(line, block.id, Fraction(-1)))
    whole = SoundReader(project.path(clip.original.file) or Path()).read(0, 48_000)
    end = round((block.room - Fraction(1, 25)) * 48_000)
    assert np.abs(backward[:20_000] - whole[end - 19_999 : end + 1][::-1]).max() < 0.05
    faded = heard(edits.with_effects(line, [block.id], lambda e: replace(e, fade_in=9)))
    ramp = np.abs(faded[:19_200]).sum() / np.abs(plain[:19_200]).sum()
    assert 0.05 < ramp < 0.95 and np.abs(faded[19_300:] - plain[19_300:]).max() < 1e-6


def test_the_players_own_speed_is_heard(film: Project) -> None:
    class Ramp:
        def read(self, position: int, count: int) -> NDArray[np.float32]:
            return np.repeat(np.arange(position, position + count, dtype=np.float32)[:, None], 2, axis=1)

        def close(self) -> None:
            pass

    def first(speed: str, source: object) -> list[float]:
        heard = AtSpeed(source, Fraction(speed), 1000)  # type: ignore[arg-type]
        return [float(v) for at in (1000, 1003) for v in heard.read(at, 3)[:, 0]]

    assert first("2", Ramp()) == [1000, 1002, 1004, 1006, 1008, 1010]
    assert first("-1", Ramp()) == [1000, 999, 998, 997, 996, 995]
    assert first("1/2", Ramp()) == [1000, 1000.5, 1001, 1001.5, 1002, 1002.5]
    assert first("1", Looping(Ramp(), 998, 1002)) == [1000, 1001, 998, 999, 1000, 1001]


def test_a_bake_is_outdated_by_whatever_changes_its_picture_and_by_nothing_else(film: Project) -> None:
    project = with_everything(film, 6)
    line = project.timeline
    first, second = line.pictures[0].blocks[:2]
    start, end = first.start, second.end
    known = stretch_digest(project, start, end)

    def digest(changed: Timeline) -> str:
        return stretch_digest(project.but(timeline=changed), start, end)

    for changed in (
        edits.slip(line, first.id, 1),
        edits.with_effects(line, [second.id], lambda e: replace(e, placement=Placement(opacity=0.5))),
        edits.with_effects(line, [second.id], lambda e: replace(e, colour=Colour(exposure=0.1))),
        edits.with_dissolve(line, second.id, 0),
        edits.with_track(line, line.pictures[0].id, off=True),
        edits.with_pin(line, [first.id], "proxies"),
        edits.add_title(line, line.pictures[1].id, start, 3, Title()),
    ):
        assert digest(changed) != known
    last = line.pictures[0].blocks[-1]
    for same in (
        edits.slip(line, last.id, 1),
        edits.with_track(line, line.sounds[0].id, off=True),
        edits.with_effects(line, [line.sounds[0].blocks[0].id], lambda e: replace(e, gain=-9.0)),
        edits.add_marker(line, start + 1, "here"),
    ):
        assert digest(same) == known
    other = project.but(showing="proxies")
    assert stretch_digest(other, start, end) != known


def test_nothing_is_baked_while_a_file_of_it_is_missing(film: Project, tmp_path: Path) -> None:
    """What was drawn from the other side, or from words, would count as fresh once the file is back."""
    project, line, _block = one_block(film)
    (tmp_path / "Scratch").mkdir()
    scratch = Shelf("scratch", "Scratch", "scratch", tmp_path / "Scratch")
    project = project.but(timeline=line, showing="originals", shelves=(*project.shelves, scratch))
    request = BakeRequest(project, 0, 5, FileRef("scratch", "baked 0123456789ab.mov"))
    clip = project.clip(line.pictures[0].blocks[0].clip)
    assert clip is not None
    path = project.path(clip.original.file)
    assert path is not None
    away = path.with_suffix(".away")
    path.rename(away)
    try:
        assert "bake again" in refusal(lambda: bake(request, lambda done: None))
    finally:
        away.rename(path)
    assert list(scratch.root.iterdir()) == []
    assert bake(request, lambda done: None).is_file()


def test_paths_that_leave_their_shelf_are_shown_as_missing_and_never_opened(film: Project) -> None:
    project, line, _block = one_block(film)
    out = FileRef(project.clips[0].original.file.shelf, "../../elsewhere.mov")
    clips = tuple(replace(one, original=replace(one.original, file=out), proxies=()) for one in project.clips)
    digest = stretch_digest(project.but(clips=clips, timeline=line), 0, 5)
    bake = Bake(line.id, 0, 5, "originals", digest, FileRef(out.shelf, "../baked 0123456789ab.mov"))
    hostile = project.but(clips=clips, timeline=line, bakes=(bake,))
    assert bake_states(hostile)[0].used and TimelineProgram.of(hostile).bakes == ()
    assert picture_of(hostile, line, 3, (240, 136), "originals").shown[0].choice.kind == "missing"


@given(st.integers(16, 4000), st.integers(16, 4000), st.sampled_from([0, 1, 2, 4]), st.floats(-1, 2), st.floats(-1, 2))
def test_what_is_in_sight_lies_within_frame_and_view(wide: int, high: int, zoom: int, x: float, y: float) -> None:
    window = window_of(Fraction(16, 9), (3840, 2160), (wide, high), Fraction(zoom), (x, y))
    for part in (window, window.at_detail(Fraction(1, 8))):
        for whole, size, begin in zip(part.whole, part.size, (part.left, part.top), strict=True):
            assert 0 < size <= whole and 0 <= begin <= whole
    assert window.size[0] <= wide and window.size[1] <= high
    assert window.left + window.size[0] <= window.whole[0] and window.top + window.size[1] <= window.whole[1]


def test_the_wave_of_a_file_is_measured_once_and_again_when_it_changes(
    film: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "clip.mp4"
    source = film.path(named(film, "PCK_0007").original.file)
    assert source is not None
    file.write_bytes(source.read_bytes())
    found = peaks(file)
    samples = np.abs(SoundReader(file).read(0, 48_000)).max(axis=1).reshape(50, 960).max(axis=1)
    assert np.abs(found[:50] / 255 - samples).max() < 0.01 and found.max() > 60
    monkeypatch.setattr("agile_shadow.core.media.peaks.measure_peaks", lambda path: np.zeros(3, np.uint8))
    assert np.array_equal(peaks(file), found)
    os.utime(file, ns=(1, 1))
    assert len(peaks(file)) == 3
