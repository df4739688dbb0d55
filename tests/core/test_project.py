import base64
import json
import threading
import time
import zlib
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio
import pytest

from agile_shadow.core import timeline as edits
from agile_shadow.core.errors import ProjectError
from agile_shadow.core.presets import Attached
from agile_shadow.core.project import ProjectSession, load_project, new_project, save_project
from agile_shadow.core.project.earlier import earlier_saves
from agile_shadow.core.project.file import Memo
from agile_shadow.core.timeline import Colour, append
from tests.effects import with_everything
from tests.footage import preset, refusal


@pytest.fixture
def project_file(film: Path) -> Path:
    path = film.rename(film.with_name("p.otio"))
    project = load_project(path)
    clip = next(clip for clip in project.clips if clip.name == "A001C002")
    project = project.with_timeline_settings_of(clip)
    line = append(project.timeline, clip.piece(Fraction(1, 5), Fraction(2, 5)))
    save_project(project.but(timeline=line, showing="proxies", preset=preset(), unknown={"later": [1]}), path)
    return path


def test_a_project_comes_back_from_its_file(project_file: Path) -> None:
    project = load_project(project_file)
    assert len(project.clips) == 11 and len(list(project.timeline.blocks)) == 2 and project.showing == "proxies"
    copy = project_file.with_name("copy.otio")
    save_project(project, copy)
    assert load_project(copy) == project
    assert project.footage.unknown == {"later": [1]}


def test_any_tool_that_reads_otio_finds_the_cut_and_both_files(project_file: Path) -> None:
    timeline = otio.adapters.read_from_file(str(project_file))
    clip, sound = timeline.find_clips()
    assert [track.kind for track in timeline.tracks] == ["Video", "Audio"] and sound.name == clip.name
    assert set(clip.media_references()) == {"original", "proxy"}
    assert clip.active_media_reference_key == "proxy"
    assert clip.source_range.start_time == otio.opentime.from_timecode("10:14:20:10", 25)
    assert clip.source_range.duration.value == 10


@pytest.mark.parametrize("version", ["Clip.2", "Clip.1"])
def test_what_another_tool_saved_again_is_still_the_project(project_file: Path, tmp_path: Path, version: str) -> None:
    timeline = otio.adapters.read_from_file(str(project_file))
    older = {"Clip": 1} if version == "Clip.1" else {}
    again = tmp_path / "again.otio"
    again.write_text(otio.adapters.write_to_string(timeline, "otio_json", target_schema_versions=older))
    if version == "Clip.2":  # the older version has one media reference a clip: such a file is refused in words
        assert load_project(again) == load_project(project_file)
    else:
        assert "damaged" in refusal(lambda: load_project(again))


def test_hostile_and_odd_values_in_names_come_back_as_they_are(project_file: Path) -> None:
    project = load_project(project_file)
    odd = '"clips": [\n] \u2028 \U0001f426 \x01 </script>'
    changed = project.but(name=odd, clips=tuple(replace(clip, name=odd) for clip in project.clips))
    save_project(changed, project_file)
    assert load_project(project_file) == changed
    assert otio.adapters.read_from_file(str(project_file)).name == odd


def test_what_is_no_project_is_refused_in_one_sentence(project_file: Path, tmp_path: Path) -> None:
    text = project_file.read_text()
    newer = json.loads(text)
    newer["metadata"]["agile_shadow"]["version"] = 99
    lost = json.loads(text)
    lost["metadata"]["agile_shadow"]["clips"] = []
    bad = {
        "cut.otio": text[: len(text) // 2], "empty.otio": "", "words.otio": "hello", "newer.otio": json.dumps(newer),
        "lost.otio": json.dumps(lost), "number.otio": "3",
    }  # fmt: skip
    for name, content in bad.items():
        (tmp_path / name).write_text(content)
        said = refusal(lambda name=name: load_project(tmp_path / name))
        assert str(tmp_path / name) in said
    (tmp_path / "binary.otio").write_bytes(bytes(range(256)))
    for name in ("binary.otio", "gone.otio"):
        with pytest.raises(ProjectError):
            load_project(tmp_path / name)


def test_a_path_in_a_received_project_cannot_leave_its_shelf(project_file: Path) -> None:
    project_file.write_text(project_file.read_text().replace("POCKET/DCIM/100PCKT", "../../../etc"))
    project = load_project(project_file)
    clip = next(clip for clip in project.clips if clip.name == "PCK_0007")
    assert "outside the shelf" in refusal(lambda: project.path(clip.original.file))


def test_steps_are_undone_one_by_one_and_found_footage_stays(project_file: Path) -> None:
    session = ProjectSession.open(project_file)
    first = session.project
    session.edit("Show originals", lambda p: p.but(showing="originals"))
    session.edit("Nothing", lambda p: p)
    session.absorb(lambda p: replace(p, reports=(*p.reports, {"found": 1})))
    assert session.undo_label == "Show originals"
    session.undo()
    assert session.project.showing == "proxies" and session.project.reports[-1] == {"found": 1}
    session.redo()
    assert session.project.showing == "originals" and session.redo_label is None
    session.undo()
    session.close()
    assert load_project(project_file).timeline == first.timeline


def test_saving_keeps_an_earlier_save_and_never_a_half_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "p.otio"
    save_project(new_project("one"), path)
    save_project(new_project("two"), path)
    assert [load_project(kept).name for kept in earlier_saves(path)] == ["one"]
    monkeypatch.setattr("os.replace", lambda a, b: (_ for _ in ()).throw(OSError(28, "full")))
    assert "the drive is full" in refusal(lambda: save_project(new_project("three"), path))
    monkeypatch.undo()
    assert load_project(path).name == "two"
    assert not list(tmp_path.glob(".*"))


def test_an_older_file_is_brought_up_to_date() -> None:
    project = load_project(Path(__file__).parent / "samples" / "project-1.otio")
    pictures, sounds = project.timeline.tracks
    assert [(block.clip, block.start, block.length) for block in pictures.blocks] == [
        ("one", 0, 50), ("two", 50, 25), ("one", 75, 25),
    ]  # fmt: skip
    assert [(b.clip, b.start, b.link) for b in sounds.blocks] == [  # the second clip has no sound
        ("one", 0, pictures.blocks[0].link), ("one", 75, pictures.blocks[2].link),
    ]  # fmt: skip
    assert project.showing == "proxies" and len(project.clips) == 2


def test_everything_on_a_timeline_comes_back_from_the_file(project_file: Path) -> None:
    project = with_everything(load_project(project_file))
    swap = "LUT_3D_SIZE 2\n" + "0 0 0\n" * 8
    table = Attached(name="flat.cube", data=base64.b64encode(zlib.compress(swap.encode())).decode())
    line = project.timeline
    first, second = line.pictures[0].blocks[:2]
    line = edits.with_effects(line, [first.id, second.id], lambda e: replace(e, colour=Colour(lut=table), gain=-3.5))
    line = edits.with_marks(edits.add_marker(edits.with_pin(line, [first.id], "originals"), 7, "here"), 3, 90)
    line = edits.with_track(line, line.sounds[0].id, locked=True, off=True)
    whole = project.but(timeline=line).with_new_timeline(copy=True).with_new_timeline()
    memo = Memo()
    save_project(whole, project_file, memo)
    assert load_project(project_file) == whole and project_file.read_text().count(table.data) == 1
    changed = whole.but(others=(whole.others[0], edits.remove(whole.others[1], [first.id])), showing="originals")
    save_project(changed, project_file, memo)
    assert load_project(project_file) == changed  # what was kept from the save before does no harm
    read = otio.adapters.read_from_file(str(project_file))
    assert [track.kind for track in read.tracks] == ["Video", "Audio"]
    save_project(whole.with_open(line.id), project_file)
    tracks = otio.adapters.read_from_file(str(project_file)).tracks
    dissolves = [item for item in tracks[0] if isinstance(item, otio.schema.Transition)]
    assert len(dissolves) == sum(block.dissolve is not None for block in line.pictures[0].blocks)
    warps = [clip.effects[0].time_scalar for clip in tracks[0].find_clips() if clip.effects]
    assert -1 in warps and 0.25 in warps


def test_a_file_that_another_program_changed_is_not_written_over(
    project_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("agile_shadow.core.project.session._LOOK", 0.02)
    session = ProjectSession.open(project_file)
    told = threading.Event()
    session.changed_elsewhere.connect(told.set)
    theirs = load_project(project_file).but(name="Theirs")
    save_project(theirs, project_file)
    assert told.wait(10)
    session.edit("name", lambda project: project.but(name="Mine"))
    assert "another program" in refusal(session.save) and load_project(project_file).name == "Theirs"
    session.keep_mine()
    assert load_project(project_file).name == "Mine"
    assert "Theirs" in {load_project(path).name for path in earlier_saves(project_file)}
    save_project(theirs, project_file)
    session.take_theirs()
    assert session.project == theirs and session.undo_label == "Use the other version"
    session.undo()
    assert session.project.name == "Mine"
    save_project(theirs.but(name="Again"), project_file)
    assert "is kept beside it" in refusal(session.close)
    session.edit("name", lambda project: project.but(name="Brought later"))
    monkeypatch.setattr(time, "strftime", lambda _form: "2031-01-01 00-00-00")  # a second has passed
    assert "is kept beside it" in refusal(session.save_at_last)
    (aside,) = project_file.parent.glob("* - yours *.otio")
    assert load_project(aside).name == "Brought later" and load_project(project_file).name == "Again"
