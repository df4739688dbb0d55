"""Settings of a timeline: another rate keeps moments, first timecodes count, footage of other shapes lies as said."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from agile_shadow.core.compositing import picture_of
from agile_shadow.core.errors import PresetError
from agile_shadow.core.playback.baking import stretch_digest
from agile_shadow.core.presets import PRESETS, Preset
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.time import frame_of, timecode_at
from agile_shadow.core.timeline import (
    Effects,
    Placement,
    Settings,
    Timeline,
    append,
    first_timecode,
    with_effects,
    with_settings,
)
from agile_shadow.core.timeline.settings import can_drop
from tests.cuts import RATES, cuts
from tests.drawn import draw
from tests.footage import ingest

FEW = settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.too_slow])


@FEW
@given(cuts(), st.sampled_from(sorted(RATES)))
def test_blocks_keep_their_moments_at_another_rate(project: Project, name: str) -> None:
    line, rate = project.timeline, RATES[name][0]
    now, told = with_settings(line, replace(Settings.of(line), rate=rate, start="00:00:00:00"))
    old, new = list(line.blocks), list(now.blocks)
    assert [one.id for one in new] == [one.id for one in old] and now.rate == rate
    for one, other in zip(old, new, strict=True):
        assert abs(one.start / line.rate - other.start / rate) <= Fraction(51, 100) / rate
        assert abs(one.end / line.rate - other.end / rate) <= Fraction(2) / rate  # at the end of its footage
        assert one.source_start == other.source_start and one.speed == other.speed
        assert min(other.handles(rate)) >= 0
    exact = all((edge * rate / line.rate).denominator == 1 for one in old for edge in (one.start, one.end))
    if exact and rate == line.rate:
        assert new == old and told == ()
    assert bool(told) or all(one.start * rate / line.rate == other.start for one, other in zip(old, new, strict=True))


@FEW
@given(st.integers(0, 2_500_000), st.sampled_from(sorted(RATES)), st.sampled_from(sorted(RATES)))
def test_the_first_timecode_keeps_its_second(start: int, old: str, new: str) -> None:
    (rate, drop), other = RATES[old], RATES[new][0]
    line = Timeline("T", rate, 1920, 1080, start=start, drop=drop)
    text = first_timecode(line, other)
    assert text[:8] == timecode_at(start, rate, drop)[:8]
    assert timecode_at(frame_of(text, other), other, ";" in text) == text
    assert ";" not in text or can_drop(other)


@pytest.mark.parametrize(
    "bad",
    [{"width": 31}, {"height": 1081}, {"rate": Fraction(0)}, {"rate": Fraction(1000)}, {"start": "01:00:00;00"},
     {"start": "noon"}, {"start": "00:00:00:30"}, {"shape": "stretched"}],
)  # fmt: skip
def test_settings_without_a_meaning_are_refused(bad: dict[str, object]) -> None:
    with pytest.raises(ValueError):
        with_settings(Timeline("T", Fraction(25), 1920, 1080), replace(Settings(1920, 1080, Fraction(25)), **bad))


def portrait(folder: Path) -> Project:
    """A wide timeline with a clip that is higher than wide, white but for its sound."""
    (folder / "Card").mkdir()
    draw(folder / "Card" / "TALL.mov", 12, first=40, size=(144, 256))
    ingest(folder / "Card", folder / "film" / "p.otio", Preset(name="Plain", proxies=None))
    project = load_project(folder / "film" / "p.otio")
    line = replace(project.timeline, rate=Fraction(25), width=512, height=256)
    return project.but(timeline=append(line, project.clips[0].piece()))


def lit(project: Project) -> tuple[int, int]:
    """How many columns and rows of the frame the clip fills."""
    pixels = picture_of(project, project.timeline, 3, (512, 256), "originals").pixels[..., 1] > 40
    return int(pixels.any(axis=0).sum()), int(pixels.any(axis=1).sum())


def test_footage_of_another_shape_lies_as_timeline_or_block_says(tmp_path: Path) -> None:
    project = portrait(tmp_path)
    digests = {stretch_digest(project, 0, 5)}
    assert lit(project) == (144, 256)
    for shape, filled in (("fill", (512, 256)), ("pixels", (144, 256))):
        line = replace(project.timeline, shape=shape)
        assert lit(project.but(timeline=line)) == filled
        digests.add(stretch_digest(project.but(timeline=line), 0, 5))
    assert len(digests) == 3  # what was baked for one is not used for another
    small = replace(project.timeline, width=1024, height=512, shape="pixels")
    assert lit(project.but(timeline=small)) == (72, 128)  # half as large, in a frame of twice the pixels
    block = project.timeline.pictures[0].blocks[0]
    own = with_effects(project.timeline, [block.id], lambda _old: Effects(Placement(shape="fill")))
    assert lit(project.but(timeline=own)) == (512, 256)
    with pytest.raises(ValueError, match="laid"):
        Placement(shape="twisted").checked()


def test_settings_are_kept_in_the_project_file_and_left_out_where_usual(tmp_path: Path) -> None:
    project = portrait(tmp_path)
    save_project(project, tmp_path / "plain.otio")
    text = (tmp_path / "plain.otio").read_text()
    assert '"drop"' not in text and '"shape"' not in text
    line = replace(project.timeline, start=90_000, shape="fill")
    block = line.pictures[0].blocks[0]
    line = with_effects(line, [block.id], lambda _old: Effects(Placement(shape="pixels", x=0.25)))
    save_project(project.but(timeline=line), tmp_path / "set.otio")
    kept = load_project(tmp_path / "set.otio").timeline
    assert (kept.start, kept.drop, kept.shape) == (90_000, False, "fill") and kept.timecode(5) == "01:00:00:05"
    assert kept.pictures[0].blocks[0].effects.placement == Placement(shape="pixels", x=0.25)
    hostile = (tmp_path / "set.otio").read_text().replace('"shape": "pixels"', '"shape": "../.."')
    (tmp_path / "bad.otio").write_text(hostile)
    with pytest.raises(Exception, match="damaged"):
        load_project(tmp_path / "bad.otio")


def test_a_library_names_the_field_keeps_names_apart_and_leaves_shipped_ones(tmp_path: Path) -> None:
    own = PRESETS.parse({"name": "Mine"})
    path = PRESETS.save(own)
    assert PRESETS.find("mine") == own and PRESETS.load(path) == own and PRESETS.save(own) == path
    shipped = next(entry.value.name for entry in PRESETS.read().entries if entry.shipped)
    for call in (lambda: PRESETS.rename(shipped, "X"), lambda: PRESETS.remove(shipped),
                 lambda: PRESETS.rename("Mine", shipped)):  # fmt: skip
        with pytest.raises(PresetError):
            call()
    other = tmp_path / "other.json"
    other.write_text(PRESETS.text(PRESETS.parse({"name": "Mine", "proxies": None})))
    assert PRESETS.take_in(other).name == "Mine 2" and PRESETS.take_in(path).name == "Mine"
    assert PRESETS.rename("Mine 2", "Yours").name == "Yours"
    assert np.all([name in {e.value.name for e in PRESETS.read().entries} for name in ("Mine", "Yours")])
