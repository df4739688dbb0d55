"""What other tools read of a cut is the cut, and what they send home is held against it."""

from __future__ import annotations

import json
import math
import os
import re
import zipfile
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from agile_shadow.core.errors import ExportError, NotAProject, ShadowError
from agile_shadow.core.handover import (
    KINDS,
    HandOver,
    Opening,
    ReadRequest,
    as_timeline,
    compare_timelines,
    hand_over,
    keep_edit_lists,
    lists_folder,
    match_events,
    open_as_project,
    read_arrived,
    what_is_left_out,
    with_differences,
)
from agile_shadow.core.handover.edl import edit_lists
from agile_shadow.core.handover.plain import plain_timeline
from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.project.lines import start_frame
from agile_shadow.core.time import frame_of, nominal_rate
from agile_shadow.core.timeline import (
    Block,
    ClipPiece,
    Dissolve,
    Marker,
    Timeline,
    Title,
    Track,
    add_title,
    append,
    insert,
    remove,
    with_effects,
)
from tests.cuts import clip_of, cuts, info_of, project_of
from tests.drawn import draw
from tests.footage import here, refusal

MANY = settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.too_slow])
FEW = settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.too_slow])
R25 = Fraction(25)


def rows_expected(project: Project) -> list[tuple[int, int, int, int]]:
    """Source in and out, record in and out of each event in frames, by hand from the blocks."""
    line, rows = project.timeline, []
    blocks = line.pictures[0].blocks
    for number, block in enumerate(blocks):
        clip = project.clip(block.clip)
        assert clip is not None
        coming = blocks[number + 1] if number + 1 < len(blocks) else None
        early = block.dissolve.before if block.dissolve is not None else 0
        given = coming.dissolve.before if coming is not None and coming.dissolve is not None else 0
        start, end = block.start - early, block.end - given
        first = math.floor(block.source_start * line.rate - early * block.speed)
        count = math.ceil((end - start) * abs(block.speed))
        low = first if block.speed > 0 else max(0, first + 1 - count)
        at = start_frame(clip.original.info)
        rows.append((at + low, at + low + count, line.start + start, line.start + end))
    return rows


@MANY
@given(cuts())
def test_an_edit_list_names_every_frame_exactly(project: Project) -> None:
    line = project.timeline
    (made,) = edit_lists(project, line)
    events = [text for text in made.text.splitlines() if re.match(r"\d{3}  ", text)]
    found = []
    for text in events:
        codes = text.split()[-4:]
        if not (codes[0] == codes[1] and codes[2] == codes[3]):  # the cut before a dissolve
            found.append(tuple(frame_of(code, line.rate) for code in codes))
            assert all((";" in code) == line.drop for code in codes)
    assert found == rows_expected(project)
    assert ("FCM: DROP FRAME" in made.text) == line.drop


@MANY
@given(cuts())
def test_the_packages_own_reader_finds_the_same_events(project: Project) -> None:
    line = project.timeline
    (made,) = edit_lists(project, line)
    read = otio.adapters.read_from_string(made.text, "cmx_3600", rate=float(line.rate))
    (track,) = read.tracks
    first = -track.source_range.start_time.value if track.source_range is not None else 0
    heard = [
        (round(item.source_range.start_time.value), round(first + item.range_in_parent().start_time.value),
         round(item.source_range.duration.value))
        for item in track.find_clips()
    ]  # fmt: skip
    wanted = [(row[0], row[2] - (rows_expected(project)[0][2] - round(first)), row[3] - row[2])
              for row in rows_expected(project)]  # fmt: skip
    assert heard == wanted
    counted = line.rate / nominal_rate(line.rate)
    warps = [effect.time_scalar * float(counted) for item in track.find_clips() for effect in item.effects]
    said = [float(one.speed) for one in line.blocks if abs(one.speed) != 1]  # it passes over a plain reverse
    assert [one for one in warps if abs(one) != 1] == pytest.approx(said)


@settings(FEW, max_examples=7)  # its library takes a second for one
@given(cuts(speeds=False))
def test_an_aaf_read_back_has_the_same_events(tmp_path_factory: pytest.TempPathFactory, project: Project) -> None:
    path = tmp_path_factory.mktemp("aaf") / "cut.aaf"
    line = project.timeline
    hand_over(HandOver(project, "aaf", path))
    read = otio.adapters.read_from_file(str(path), "AAF")
    track = read.tracks[0]
    heard = [
        (round(item.source_range.start_time.value), round(item.range_in_parent().start_time.value),
         round(item.source_range.duration.value))
        for item in track.find_clips()
    ]  # fmt: skip
    assert heard == [
        (start_frame(project.clip(one.clip).original.info) + round(one.source_start * line.rate), one.start, one.length)
        for one in line.blocks
    ]  # fmt: skip
    times = [(one.in_offset.value, one.out_offset.value) for one in track if isinstance(one, otio.schema.Transition)]
    assert times == [(one.dissolve.before, one.dissolve.after) for one in line.blocks if one.dissolve is not None]


@FEW
@given(cuts())
def test_what_comes_home_is_what_went_out(tmp_path_factory: pytest.TempPathFactory, project: Project) -> None:
    folder, line = tmp_path_factory.mktemp("home"), project.timeline
    plain = hand_over(HandOver(project, "otio", folder / "cut.otio")).paths
    text = plain[0].read_text()
    library = otio.adapters.write_to_string(otio.adapters.read_from_string(text, "otio_json"), "otio_json")
    (folder / "again.otio").write_text(library)
    lists = hand_over(HandOver(project, "edl", folder / "cut.edl")).paths
    for paths in (plain, (folder / "again.otio",), lists):
        arrived = read_arrived(ReadRequest(paths, line.rate))
        matches = match_events(project, arrived)
        assert {one.state for one in matches} <= {"certain", "likely"}, matches
        home, left_out = as_timeline(project, arrived, matches)
        assert left_out == () and home.start == line.start + (line.pictures[0].blocks[0].start if paths == lists else 0)
        if paths != lists:
            assert home.pictures[0].blocks == line.pictures[0].blocks
        elif line.pictures[0].blocks[0].start == 0:
            found = compare_timelines(line, home)
            slow = [one for one in found if abs(one.mine[0].speed) < 1 and max(map(abs, one.by), default=9) <= 1]
            assert found == tuple(slow), found  # a list cannot say half a frame


def small() -> Project:
    """Three clips of 25 frames per second and one of 24 on a timeline of 25, with sound, a title and a note."""
    clips = [clip_of(f"B{n:03d}", info_of(R25, 500, 90_000 + 2000 * n, reel="B001")) for n in range(3)]
    clips.append(clip_of("AIR_1", info_of(Fraction(24), 480, 86_400 + 12)))
    line = Timeline("Cut", R25, 1920, 1080)
    for clip in clips:
        rate = clip.original.info.frame_rate
        line = append(line, ClipPiece(clip.id, clip.length, Fraction(10) / rate, Fraction(2)))
    line = add_title(line, line.pictures[0].id, 200, 50, Title("The Tern Ferry"))
    return project_of(clips, replace(line, markers=(Marker(7, "look here"),)))


def test_timecode_of_another_rate_is_counted_as_its_file_counts() -> None:
    project = small()
    picture, sound = edit_lists(project, project.timeline)
    assert "AIR_1    V     C        01:00:00:22 01:00:02:22 00:00:06:00 00:00:08:00" in picture.text
    assert any("title" in note for note in picture.notes) and sound.track == "Sound 1"
    assert "B001" in picture.text and "SOURCE RATE: 24" in picture.text


def test_reels_are_never_the_same_for_files_whose_timecodes_meet() -> None:
    clips = [clip_of(f"LONG_NAME_{n}", info_of(R25, 500, 1000, reel="B001")) for n in range(3)]
    line = Timeline("Cut", R25, 1920, 1080)
    for clip in clips:
        line = append(line, ClipPiece(clip.id, clip.length, Fraction(0), Fraction(1), sound=False))
    (made,) = edit_lists(project_of(clips, line), line)
    reels = [text.split()[1] for text in made.text.splitlines() if re.match(r"\d{3}  ", text)]
    assert len(set(reels)) == 3 and all(len(reel) <= 8 for reel in reels) and reels[0] == "B001"


def test_what_a_format_cannot_say_is_said_before(tmp_path: Path) -> None:
    project = small()
    block = project.timeline.pictures[0].blocks[0]
    line = with_effects(project.timeline, [block.id], lambda effects: replace(effects, gain=3.0, fade_in=5))
    line = line.with_tracks(replace(line.pictures[0], blocks=(replace(line.pictures[0].blocks[0], speed=Fraction(2)),
                                                              *line.pictures[0].blocks[1:])))  # fmt: skip
    project = project.but(timeline=line)
    told = what_is_left_out(HandOver(project, "aaf", tmp_path / "cut.aaf"))
    for word in ("speed", "gain and fades", "title", "notes", "24 frames"):
        assert any(word in text for text in told), word
    assert what_is_left_out(HandOver(project, "csv", tmp_path / "cut.csv")) == ()
    with pytest.raises(ExportError, match="empty"):
        what_is_left_out(HandOver(project.but(timeline=Timeline()), "otio", tmp_path / "cut.otio"))


def test_table_and_page_list_every_use(tmp_path: Path) -> None:
    project = small()
    (table,) = hand_over(HandOver(project, "csv", tmp_path / "cut.csv")).paths
    rows = table.read_text(encoding="utf-8").splitlines()
    assert len(rows) == 1 + sum(len(track.blocks) for track in project.timeline.tracks)
    assert "B000" in rows[1] and "01:00:00:10" in rows[1]
    (page,) = hand_over(HandOver(project, "page", tmp_path / "cut.html")).paths
    assert page.read_text(encoding="utf-8").count("<tr>") == len(rows)


def test_a_plain_timeline_names_both_files_or_one() -> None:
    project = small()
    for half, keys in (("both", {"original", "proxy"}), ("original", {"original"}), ("proxy", {"proxy"})):
        clip = next(iter(plain_timeline(project, project.timeline, half).find_clips()))
        assert set(clip.media_references()) == keys
        assert clip.available_range().start_time.value == 90_000 and clip.source_range.start_time.value == 90_010


def home_of(project: Project, path: Path) -> Timeline:
    """The timeline in a file, taken."""
    arrived = read_arrived(ReadRequest((path,), R25))
    return as_timeline(project, arrived, match_events(project, arrived))[0]


def test_events_without_any_mark_of_ours_are_found_by_what_they_say(tmp_path: Path) -> None:
    project = small()
    made = plain_timeline(project, project.timeline, "original")
    for number, clip in enumerate(made.find_clips()):
        clip.metadata.clear()
        if isinstance(clip.media_reference, otio.schema.ExternalReference):
            clip.media_reference.target_url = f"file:///elsewhere/{clip.name}_PROXY.mp4"
            clip.name = f"{clip.name}_PROXY"
            if number == 0:
                clip.name, clip.media_reference.target_url = "unknown", "file:///x/unknown.mov"
                clip.media_reference.available_range = otio.opentime.TimeRange(
                    otio.opentime.RationalTime(0, 25), otio.opentime.RationalTime(500, 25)
                )
                clip.source_range = otio.opentime.TimeRange(
                    otio.opentime.RationalTime(5, 25), otio.opentime.RationalTime(50, 25)
                )
    made.metadata.clear()
    otio.adapters.write_to_file(made, str(tmp_path / "cut.otio"))
    arrived = read_arrived(ReadRequest((tmp_path / "cut.otio",), R25))
    matches = match_events(project, arrived)
    assert [one.state for one in matches[:5]] == ["not found", "certain", "certain", "certain", "title"]
    assert [one.clip for one in matches[1:4]] == ["B001", "B002", "AIR_1"]
    assert any("_PROXY" in reason.upper() for reason in matches[1].reasons)
    line, left_out = as_timeline(project, arrived, matches)
    assert len(left_out) == 1 and "unknown" in left_out[0] and line.pictures[0].blocks[0].start == 50
    by_hand, _left = as_timeline(project, arrived, matches, {(0, 0): "B000"})
    assert by_hand.pictures[0].blocks[0].clip == "B000"


def test_differences_are_told_by_frames_and_taken_one_by_one(tmp_path: Path) -> None:
    project = small()
    mine = project.timeline
    theirs = mine
    row = theirs.pictures[0]
    second, third = row.blocks[1], row.blocks[2]
    trimmed = replace(second, start=second.start, length=second.length - 4, source_start=second.source_start + 2 / R25)
    theirs = theirs.with_tracks(replace(row, blocks=(row.blocks[0], trimmed, *row.blocks[3:])))
    theirs = insert(theirs, ClipPiece("B000", Fraction(20), Fraction(8), Fraction(1), sound=False), 250)
    found = compare_timelines(mine, theirs)
    names = {clip.id: clip.name for clip in project.clips}
    words = [one.words(lambda block: names.get(block.clip, "title")) for one in found]
    assert words == [
        "B001 begins 2 frames later in its footage, ends 2 frames earlier in it, moved 2 frames earlier",
        "B002 removed, 50 frames",
        "B000 added, 25 frames",
    ]
    assert with_differences(mine, found).pictures[0].blocks != mine.pictures[0].blocks
    assert compare_timelines(with_differences(mine, found), theirs) == ()
    only = with_differences(mine, [one for one in found if one.change == "removed"])
    assert third.id not in only.pictures[0].by_id and only.pictures[0].by_id[second.id] == second
    assert with_differences(mine, []) == mine


def test_a_title_is_longer_and_not_trimmed() -> None:
    mine = small().timeline
    row = mine.pictures[0]
    title = row.blocks[-1]
    for longer, words in ((9, "9 frames longer"), (-1, "1 frame shorter")):
        theirs = mine.with_tracks(replace(row, blocks=(*row.blocks[:-1], replace(title, length=title.length + longer))))
        (found,) = compare_timelines(mine, theirs)
        assert found.words(lambda _block: "title") == f"title {words}"
    theirs = mine.with_tracks(replace(row, blocks=(*row.blocks[:-1], replace(title, start=title.start + 4))))
    assert compare_timelines(mine, theirs)[0].words(lambda _block: "title") == "title moved 4 frames later"


def test_a_run_that_moved_is_one_difference() -> None:
    mine = small().timeline
    theirs = insert(mine, ClipPiece("B002", Fraction(20), Fraction(3), Fraction(1)), 50)
    found = [one for one in compare_timelines(mine, theirs) if one.kind == "picture"]
    assert [(one.change, len(one.mine), one.by) for one in found] == [("added", 0, ()), ("moved", 4, (25,))]


@FEW
@given(cuts(), st.randoms(use_true_random=False))
def test_taking_every_difference_gives_their_timeline(project: Project, random) -> None:  # type: ignore[no-untyped-def]
    mine = project.timeline
    plain = tuple(replace(one, dissolve=None) for one in mine.pictures[0].blocks)
    mine = mine.with_tracks(replace(mine.tracks[0], blocks=plain))
    row = list(plain)
    del row[random.randrange(len(row))]
    row = [replace(one, start=one.start + 11) if random.random() < 0.3 and
           (place + 1 == len(row) or row[place + 1].start >= one.end + 11) else one
           for place, one in enumerate(row)]  # fmt: skip
    theirs = mine.with_tracks(replace(mine.tracks[0], blocks=tuple(row)))
    merged = with_differences(mine, compare_timelines(mine, theirs))
    assert list(merged.blocks) == list(theirs.blocks)


HOSTILE = {
    "empty.edl": b"", "noise.edl": bytes(range(256)) * 20,
    "times.edl": b"001 A V C 99:99:99:99 00:00:00:00 00:00:00:00 00:00:01:00",
    "backward.edl": b"001 A V C 00:00:05:00 00:00:01:00 00:00:05:00 00:00:01:00", "list.otio": b"[1, 2, 3]",
    "deep.otio": b"[" * 100_000, "clip.otio": b'{"OTIO_SCHEMA": "Clip.2", "name": "x"}',
    "broken.aaf": b"\xd0\xcf\x11\xe0" + b"x" * 600,
    "none.otioz": b"PK\x03\x04nothing", "word.txt": b"hello",
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(HOSTILE))
def test_what_is_no_timeline_is_refused_with_a_sentence(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    path.write_bytes(HOSTILE[name])
    project = small()
    try:
        arrived = read_arrived(ReadRequest((path,), R25))
    except ExportError as error:
        assert str(path) in str(error) or "timeline" in str(error)
    else:
        assert as_timeline(project, arrived, match_events(project, arrived))[0].length == 0


def test_a_bundle_that_unpacks_to_far_too_much_is_refused(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "cut.otioz", "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr("content.otio", b" " * (101 << 20))
    assert "too large" in refusal(lambda: read_arrived(ReadRequest((tmp_path / "cut.otioz",), R25)))
    assert "not there" in refusal(lambda: read_arrived(ReadRequest((tmp_path / "none.otio",), R25)))


def test_the_command_line_hands_over_and_brings_home(tmp_path: Path) -> None:
    project = small()
    file = tmp_path / "cut.otio"
    save_project(project, file)
    status, answer, said = here("handover", "--project", file, "--as", "edl", "--out", tmp_path / "out.edl")
    assert status == 0 and len(answer["paths"]) == 2 and "title" in said
    status, answer, _said = here("bring-home", "--project", file, *answer["paths"], "--take")
    assert status == 0 and {one["state"] for one in answer["events"]} == {"certain"}
    assert [one["change"] for one in answer["differences"]] == ["removed"]  # the title
    status, answer, _said = here("timelines", "list", "--project", file)
    assert [one["name"] for one in answer["timelines"]] == ["Cut", "Cut Picture 1"]
    status, answer, _said = here("timelines", "compare", "Cut", "Cut Picture 1", "--project", file)
    assert status == 0 and answer["differences"][0]["words"].startswith('title "The Tern Ferry" removed')
    assert here("timelines", "compare", "Cut", "Nothing", "--project", file)[0] == 1
    assert here("handover", "--project", file, "--as", "aaf", "--out", tmp_path / "out.edl")[0] == 1
    assert json.loads((tmp_path / "cut.otio").read_text())["OTIO_SCHEMA"] == "Timeline.1"


def test_edit_lists_are_kept_beside_the_project_once_for_each_state_of_the_cut(tmp_path: Path) -> None:
    project, path = small(), tmp_path / "ferry.otio"
    first = keep_edit_lists(project, path)
    assert len(first) == 2 and first[0].parent.parent == lists_folder(path)
    assert keep_edit_lists(project, path) == []
    line = remove(project.timeline, [project.timeline.pictures[0].blocks[0].id])
    os.rename(first[0].parent, first[0].parent.with_name("2026-01-01 00-00-00"))
    second = keep_edit_lists(project.but(timeline=line), path)
    assert len(second) == 2 and "B000" not in second[0].read_text()
    for number in range(30):
        (lists_folder(path) / f"2025-01-{number + 1:02d} 00-00-00").mkdir()
    keep_edit_lists(project, path)
    assert len(list(lists_folder(path).iterdir())) == 20 and second[0].parent.exists()
    assert keep_edit_lists(project.but(timeline=Timeline()), path) == []


def elsewhere(path: Path, addresses: Sequence[str], first: int = 90_000) -> Path:
    """A timeline of another tool: 20 frames of each file, from its sixth on; the files' timecode counts from ``first``
    by hours."""
    whole = otio.schema.Timeline("Elsewhere", global_start_time=otio.opentime.RationalTime(90_000, 25))
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    whole.tracks.append(track)
    for number, address in enumerate(addresses):
        span = otio.opentime.TimeRange(otio.opentime.RationalTime(first * number + 5, 25),
                                       otio.opentime.RationalTime(20, 25))  # fmt: skip
        track.append(otio.schema.Clip(Path(address).stem, otio.schema.ExternalReference(address), span))
    otio.adapters.write_to_file(whole, str(path))
    return path


def test_a_plain_timeline_becomes_a_project_of_the_media_that_are_there(tmp_path: Path) -> None:
    files = [draw(tmp_path / "media" / f"SHOT_{n}.mov", 40, 0, f"0{n}:00:00:00") for n in range(2)]
    cut = elsewhere(
        tmp_path / "cut.otio", [files[0].as_uri(), "media/SHOT_1.mov", (tmp_path / "media" / "GONE.mov").as_uri()]
    )
    status, answer, said = here("open-timeline", cut, "--project", tmp_path / "p.otio")
    assert status == 1 and answer["missing"] == ["GONE"] and answer["clips"] == 2, said
    project = load_project(tmp_path / "p.otio")
    line = project.timeline
    assert line.timecode(0) == "01:00:00:00" and (line.width, line.height) == (128, 72)
    assert [(one.start, one.length, one.source_start) for one in line.blocks] == [
        (0, 20, Fraction(5, 25)), (20, 20, Fraction(5, 25))
    ]  # fmt: skip
    assert [project.path(clip.original.file) for clip in project.clips] == files
    with pytest.raises(NotAProject, match="open-timeline"):
        load_project(cut)
    kept = (tmp_path / "p.otio").read_bytes()
    assert here("open-timeline", cut, "--project", tmp_path / "p.otio")[0] == 1
    assert (tmp_path / "p.otio").read_bytes() == kept  # never written over
    for path in files:
        path.unlink()
    status, answer, said = here("open-timeline", cut, "--project", tmp_path / "none.otio")
    assert status == 1 and "none of the media was found" in said and not (tmp_path / "none.otio").exists()


def test_media_that_moved_are_found_by_their_names_in_the_folders_told(tmp_path: Path) -> None:
    moved = [
        draw(tmp_path / "new" / "day 1" / "SHOT.mov", 40, 0, "00:00:00:00"),
        draw(tmp_path / "new" / "day 2" / "SHOT.mov", 40, 50, "01:00:00:00"),
        draw(tmp_path / "new" / "Clip.One.mov", 40, 20, "02:00:00:00"),
    ]
    draw(tmp_path / "new" / "Clip.mov", 40)
    addresses = ["file:///old/day%201/SHOT.MOV", "file:///old/day%202/SHOT.MOV", "D:\\media\\Clip.One.mxf"]
    cut = elsewhere(tmp_path / "cut.otio", addresses)
    assert "not a folder" in refusal(lambda: open_as_project(Opening(cut, (tmp_path / "nowhere",)), looked))
    found = open_as_project(Opening(cut, (tmp_path / "new",)), looked)
    assert found.missing == () and [found.project.path(clip.original.file) for clip in found.project.clips] == moved
    assert [one.source_start for one in found.project.timeline.blocks] == [Fraction(5, 25)] * 3
    status, answer, said = here("open-timeline", cut, "--project", tmp_path / "p.otio", "--search", tmp_path / "new")
    assert status == 0 and answer["clips"] == 3 and not answer["missing"], said


def test_of_two_files_that_are_as_likely_neither_is_taken(tmp_path: Path) -> None:
    for folder in ("a", "b"):
        draw(tmp_path / "new" / folder / "SHOT.mov", 40)
    cut = elsewhere(tmp_path / "cut.otio", ["file:///old/SHOT.mov"])
    found = open_as_project(Opening(cut, (tmp_path / "new",)), looked)
    assert found.missing == ("SHOT",) and not found.project.clips
    assert any("2 files may be it" in note and "new/a/SHOT.mov" in note for note in found.notes)


def test_an_edit_list_names_no_files_and_their_names_are_searched_for(tmp_path: Path) -> None:
    draw(tmp_path / "new" / "SHOT_0.mov", 40, 0, "01:00:00:00")
    (tmp_path / "cut.edl").write_text(
        "TITLE: Elsewhere\nFCM: NON-DROP FRAME\n\n"
        "001  SHOT     V     C        01:00:00:05 01:00:01:00 01:00:00:00 01:00:00:20\n* FROM CLIP NAME: SHOT_0.MOV\n"
    )
    asked = Opening(tmp_path / "cut.edl", (tmp_path / "new",))
    found = open_as_project(asked, looked)
    assert [clip.original.file.path for clip in found.project.clips] == ["SHOT_0.mov"] and not found.missing
    assert [(one.length, one.source_start) for one in found.project.timeline.blocks] == [(20, Fraction(5, 25))]
    assert open_as_project(replace(asked, places=()), looked).missing == ("SHOT_0.MOV",)


def looked(path: Path) -> MediaInfo:
    """Probed here and not in a worker: what is looked at was drawn by the test."""
    return probe(path)


def test_dissolves_are_compared_by_what_is_seen() -> None:
    clips = [clip_of(f"B{n:03d}", info_of(R25, 500, 90_000 + 2000 * n)) for n in range(2)]
    room = clips[0].length
    first, second = Block("B000", 0, 50, Fraction(2), room), Block("B001", 50, 50, Fraction(2), room)
    mine = Timeline("A", R25, 1920, 1080, (Track("picture", "P", (first, replace(second, dissolve=Dissolve(4, 4)))),))
    early = (replace(first, length=46),
             replace(second, start=46, length=54, source_start=second.source_start - 4 / R25, dissolve=Dissolve(0, 8)))
    theirs = replace(mine, tracks=(Track("picture", "P", early),))
    assert compare_timelines(mine, theirs) == ()
    shorter = replace(mine, tracks=(Track("picture", "P", (first, second)),))
    assert [one.change for one in compare_timelines(mine, shorter)] != []


def test_a_bundle_carries_the_proxies_and_names_what_has_none(filmed: Path, tmp_path: Path) -> None:
    project = load_project(filmed)
    used = {block.clip for block in project.timeline.blocks if block.title is None}
    proxies = {project.path(clip.proxies[-1].file) for clip in project.clips if clip.id in used and clip.proxies}
    (packed,) = hand_over(HandOver(project, "otioz", tmp_path / "cut.otioz")).paths
    with zipfile.ZipFile(packed) as bundle:
        inside = [name for name in bundle.namelist() if name.startswith("media/")]
        carried = {name.rpartition("/")[2]: bundle.read(name) for name in inside}
    assert carried == {path.name: path.read_bytes() for path in proxies if path is not None}
    (folder,) = hand_over(HandOver(project, "otiod", tmp_path / "cut.otiod")).paths
    assert {path.name for path in (folder / "media").iterdir()} == set(carried)
    assert "already" in refusal(lambda: hand_over(HandOver(project, "otiod", tmp_path / "cut.otiod")))
    clip = next(clip for clip in project.clips if clip.id in used)
    without = replace(project, footage=project.footage.with_clip(replace(clip, proxies=())))
    (packed,) = hand_over(HandOver(without, "otioz", tmp_path / "cut.otioz")).paths
    with zipfile.ZipFile(packed) as bundle:
        assert len([name for name in bundle.namelist() if name.startswith("media/")]) == len(carried) - 1
    home = read_arrived(ReadRequest((packed,), R25))
    assert {one.state for one in match_events(without, home)} == {"certain", "title"}
    assert [path.name for path in tmp_path.iterdir() if "part" in path.name] == []


def test_footage_is_never_written_over_whatever_it_is_handed_over_as(filmed: Path, tmp_path: Path) -> None:
    project = load_project(filmed)
    path = project.path(project.clips[0].original.file)
    assert path is not None
    before = path.read_bytes()
    for kind in ("otio", "otioz", "edl", "aaf", "csv", "page"):
        one = project.but(timeline=replace(project.timeline, tracks=project.timeline.tracks[:1]))
        with pytest.raises(ShadowError, match="footage"):
            hand_over(HandOver(one, kind, path))  # type: ignore[arg-type]
    assert path.read_bytes() == before and not list(path.parent.glob("*.part"))


def test_a_page_shows_a_picture_of_each_clip(filmed: Path, tmp_path: Path) -> None:
    project = load_project(filmed)
    (page,) = hand_over(HandOver(project, "page", tmp_path / "cut.html")).paths
    text = page.read_text(encoding="utf-8")
    shown = sum(1 for track in project.timeline.tracks for block in track.blocks if block.title is None)
    assert text.count("data:image/jpeg") == shown and "title: The Tern Ferry" in text
    assert "dissolve of 8 frames into it" in text and "0.25x" in text


def test_a_place_that_cannot_be_written_is_one_sentence(tmp_path: Path) -> None:
    project = small()
    (tmp_path / "file").write_text("in the way")
    for kind, (_words, ending) in KINDS.items():
        out = tmp_path / "file" / f"cut{ending}"
        if kind not in ("otioz", "otiod"):
            assert str(tmp_path) in refusal(lambda kind=kind, out=out: hand_over(HandOver(project, kind, out)))


def test_film_settings_are_kept_on_the_command_line(tmp_path: Path) -> None:
    assert here("films", "duplicate", "Viewing copy")[1] == {"name": "Viewing copy 2"}
    assert here("films", "rename", "Viewing copy 2", "Mine")[0] == 0
    assert here("films", "export", "Mine", tmp_path / "mine.json")[0] == 0
    assert here("films", "export", "Mine", tmp_path / "mine.json")[0] == 1  # it is there
    assert here("films", "rename", "Viewing copy", "Yours")[0] == 1
    status, answer, _said = here("films", "import", tmp_path / "mine.json", tmp_path / "none.json")
    assert status == 1 and answer["imported"][0]["name"] == "Mine" and len(answer["failed"]) == 1
    status, answer, said = here("films", "show", "nothing of the kind")
    assert status == 1 and "Viewing copy" in said and "error" in answer
    assert here("films", "schema")[1]["title"] == "FilmSettings"
