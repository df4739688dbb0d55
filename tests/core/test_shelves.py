"""Shelves: known again when they move, kept for all projects, meant by presets."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from agile_shadow.core.errors import ShadowError, ShelfError
from agile_shadow.core.ingest import request_for
from agile_shadow.core.ingest.request import NamedFolders
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import ProjectSession, load_project, new_project, save_project
from agile_shadow.core.shelves import (
    KnownFile,
    Shelf,
    Volume,
    find_again,
    forget_user_shelf,
    keep_user_shelf,
    look_at,
    mark_shelf,
    shelf_for,
    user_shelves,
    volume_of,
)
from tests.footage import here, refusal


def shelf(root: Path, name: str = "Laptop", role: str = "proxies", **more: str) -> Shelf:
    root.mkdir(parents=True, exist_ok=True)
    return Shelf(f"id-{name}", name, role, root, **more)


def test_a_volume_is_known_by_its_identity_wherever_it_is_mounted(tmp_path: Path) -> None:
    before = [Volume("ABCD-1", tmp_path / "media" / "ferry"), Volume("", tmp_path)]
    root = tmp_path / "media" / "ferry" / "Boathouse"
    assert volume_of(root, before) == ("ABCD-1", "Boathouse")
    known = shelf(root, "Boathouse", "originals", volume="ABCD-1", below="Boathouse")
    assert look_at(known, before).present
    (tmp_path / "media" / "ferry").rename(tmp_path / "media" / "ferry1")
    after = [Volume("ABCD-1", tmp_path / "media" / "ferry1"), Volume("", tmp_path)]
    state = look_at(known, after)
    assert (state.present, state.found_at) == (False, tmp_path / "media" / "ferry1" / "Boathouse")
    root.mkdir(parents=True)  # another drive at the old place is not taken for it
    other = [Volume("FFFF-9", tmp_path / "media" / "ferry"), *after]
    assert look_at(known, other).found_at == tmp_path / "media" / "ferry1" / "Boathouse"


def test_a_renamed_folder_is_known_by_its_mark_or_by_what_lies_in_it(tmp_path: Path) -> None:
    marked = mark_shelf(shelf(tmp_path / "drive" / "Laptop"))
    (tmp_path / "drive" / "Laptop").rename(tmp_path / "drive" / "Old laptop")
    (tmp_path / "drive" / "Laptop 2").mkdir()
    assert find_again(marked, []) == tmp_path / "drive" / "Old laptop"
    plain = shelf(tmp_path / "drive" / "Plain", "Plain")
    (plain.root / "a.mov").write_bytes(b"12345")
    plain.root.rename(tmp_path / "drive" / "Elsewhere")
    (tmp_path / "drive" / "Decoy").mkdir()
    (tmp_path / "drive" / "Decoy" / "a.mov").write_bytes(b"123456")
    assert find_again(plain, [], [KnownFile("a.mov", 5)]) == tmp_path / "drive" / "Elsewhere"
    assert find_again(plain, [], [KnownFile("a.mov", 4)]) is None
    assert find_again(plain, []) is None


def test_shelves_of_the_user_are_kept_and_a_broken_list_is_told(tmp_path: Path, own_profile: Path) -> None:
    one = shelf(tmp_path / "Boathouse", "Boathouse", "originals")
    keep_user_shelf(one)
    keep_user_shelf(replace(one, name="Boat shed"))
    assert user_shelves() == (replace(one, name="Boat shed"),)
    forget_user_shelf(one.id)
    assert user_shelves() == ()
    (own_profile / "config" / "shelves.json").write_text('{"schema": "agile-shadow shelves", "version": 7}')
    assert "shelves.json" in refusal(user_shelves)
    with pytest.raises(ShelfError):
        keep_user_shelf(one)


def test_presets_mean_shelves_by_name_or_role(tmp_path: Path) -> None:
    footage, originals = new_project("p").footage.with_shelf("Boathouse", "originals", tmp_path / "o")
    project = new_project("p").but(shelves=footage.shelves)
    keep_user_shelf(shelf(tmp_path / "small", "Small drive"))
    preset = Preset(name="x", originals=Originals(shelf="boathouse"), proxies=Proxies(shelf="Small drive"))
    request = request_for(tmp_path / "card", preset, project, NamedFolders())
    assert (request.originals, request.proxies) == (originals.root, tmp_path / "small")
    named = request_for(tmp_path / "card", preset, project, NamedFolders(tmp_path / "here", None, None))
    assert named.originals == tmp_path / "here"
    missing = Preset(name="x", originals=Originals(shelf="Attic"))
    assert 'no shelf named "Attic"' in refusal(lambda: request_for(tmp_path / "card", missing, project, NamedFolders()))
    assert shelf_for("", "exports", project.shelves) is None


def test_a_project_keeps_identities_and_reads_files_without_them(tmp_path: Path) -> None:
    path = tmp_path / "p.otio"
    footage, shelf = new_project("p").footage.with_shelf("Boathouse", "originals", tmp_path / "o")
    footage = footage.with_shelf_replaced(replace(shelf, volume="ABCD-1", below="o"))
    project = new_project("p").but(shelves=footage.shelves)
    save_project(project, path)
    assert load_project(path).shelves == project.shelves
    values = json.loads(path.read_text())
    for entry in values["metadata"]["agile_shadow"]["shelves"]:
        del entry["volume"], entry["below"]
    path.write_text(json.dumps(values))
    assert load_project(path).shelves[0].volume == ""


def test_an_ingest_finds_its_folders_by_itself(card: Path, tmp_path: Path) -> None:
    for name, role in (("Boathouse", "originals"), ("Laptop", "proxies")):
        (tmp_path / name).mkdir()
        assert here("shelves", "--add", tmp_path / name, "--role", role)[0] == 0
    listed = here("shelves")[1]["shelves"]
    assert [(one["name"], one["present"]) for one in listed] == [("Boathouse", True), ("Laptop", True)]
    small = "Small files, quarter size"
    report = here("ingest", card / "PHONE", "--preset", small, "--project", tmp_path / "p.otio")[1]
    assert report["paired"] == 1 and any((tmp_path / "Laptop").rglob("*.mov"))
    session = ProjectSession.open(tmp_path / "p.otio")
    preset = Preset(name="Standing", proxies=None)
    session.edit("x", lambda project: project.but(preset=preset))
    session.close()
    assert here("ingest", card / "CAMCORDER", "--project", tmp_path / "p.otio")[1]["copied"] == 2
    status, _answer, said = here("ingest", card / "CAMCORDER", "--project", tmp_path / "other.otio")
    assert status == 1 and "standing" in said
    with pytest.raises(ShadowError):
        request_for(card, Preset(name="x", originals=Originals(second_copy=True)), new_project("q"), NamedFolders())


@given(st.lists(st.sampled_from([".", "..", "", "a", "a.", ".a", "day 1", "A..mov"]), max_size=4).map("/".join))
@example("a//../b")
@example("./..")
@example("//a")
def test_a_path_below_a_shelf_stays_below_it_or_is_refused(relative: str) -> None:
    where = Shelf("s", "Laptop", "proxies", Path("/laptop"))
    parts = [part for part in relative.split("/") if part not in ("", ".")]
    if not parts or ".." in parts or relative.startswith("/"):
        with pytest.raises(ShelfError):
            where.locate(relative)
    else:
        assert where.locate(relative) == Path("/laptop", *parts)
        assert str(replace(where, root=Path("/")).locate(relative)) == "/" + "/".join(parts)
