"""A project carried to another drive, whole or only what the cut uses: proven, and its card can be asked there."""

from __future__ import annotations

import os
import random
import shutil
from pathlib import Path

import pytest

from agile_shadow.core.errors import CopyError, ShadowError
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.project import load_project, save_project
from agile_shadow.core.storage import all_cards, ask_card, ask_request
from agile_shadow.core.storage.carrying import CarryRequest, carry
from tests.core.test_storage import cut_with, one_byte, quiet, some_file
from tests.footage import here


def files(folder: Path) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*")
            if path.is_file() and not path.name.startswith(".")}  # fmt: skip


def test_all_of_it_lies_there_and_is_used_from_there(place: Path, tmp_path: Path) -> None:
    before = {name: files(place / name) for name in ("Boathouse", "Laptop")}
    code, said, _text = here("move", place / "film.otio", tmp_path / "drive", "--dry-run")
    assert code == 0 and said["fits"] and said["bytes"] > 0 and not (tmp_path / "drive").exists()
    code, said, _text = here("move", place / "film.otio", tmp_path / "drive")
    assert code == 0 and said["files"] == len(before["Boathouse"]) + len(before["Laptop"])
    assert {name: files(place / name) for name in before} == before  # nothing was taken away
    assert {name: files(tmp_path / "drive" / name) for name in before} == before
    for name in before:
        shutil.rmtree(place / name)
    there = load_project(Path(said["project"]))
    for clip in there.clips:
        for file in (clip.original.file, *clip.sidecars, *(proxy.file for proxy in clip.proxies)):
            path = there.path(file)
            assert path is not None and path.exists() and path.is_relative_to(tmp_path / "drive")
    cards = all_cards(there, JobStore())
    _card, request = ask_request(there, cards, place / "Card")
    attic = [shelf for shelf in request.shelves if shelf.name == "Attic"]
    answer = ask_card(request, quiet)
    assert not [file for file in answer.files for copy in file.copies
                if copy.state != "equal" and copy.shelf not in {one.id for one in attic}]  # fmt: skip


def test_only_what_the_cut_uses(place: Path, tmp_path: Path) -> None:
    document = load_project(place / "film.otio")
    clip = next(clip for clip in document.clips if clip.proxies)
    save_project(cut_with(document, clip), place / "film.otio")
    code, said, _text = here("collect", place / "film.otio", tmp_path / "drive", "--no-proxies")
    assert code == 0
    there = load_project(Path(said["project"]))
    assert [one.id for one in there.clips] == [clip.id]
    assert {block.clip for block in there.timeline.blocks} == {clip.id}
    assert set(files(tmp_path / "drive" / "Boathouse")) == {
        clip.original.file.path, *(file.path for file in clip.sidecars)
    }  # fmt: skip
    proxy = there.path(clip.proxies[0].file)
    assert proxy is not None and proxy.is_relative_to(place / "Laptop")  # it stayed where it was


def test_what_is_damaged_missing_or_in_the_way_is_told_and_no_project_is_written(place: Path, tmp_path: Path) -> None:
    project = load_project(place / "film.otio")
    with pytest.raises(ShadowError, match="inside each other"):
        carry(CarryRequest(project, place / "Boathouse" / "in"), quiet)
    with pytest.raises(ShadowError, match="inside each other"):
        carry(CarryRequest(project, place), quiet)
    hurt = next(project.path(clip.original.file) for clip in project.clips)
    assert hurt is not None
    data, status = hurt.read_bytes(), hurt.stat()
    one_byte(hurt, random.Random(1))
    with pytest.raises(CopyError, match="bytes that were ingested"):
        carry(CarryRequest(project, tmp_path / "drive"), quiet)
    hurt.write_bytes(data)
    os.utime(hurt, ns=(status.st_atime_ns, status.st_mtime_ns))
    shutil.rmtree(tmp_path / "drive")
    some_file(place / "Laptop", random.Random(2)).unlink()
    with pytest.raises(ShadowError, match="is not there"):
        carry(CarryRequest(project, tmp_path / "drive"), quiet)
    assert not list((tmp_path).rglob("*.otio"))
    code, _said, _text = here("move", place / "film.otio", tmp_path / "drive", "--no-proxies")
    assert (code == 0 and not (tmp_path / "drive" / "Laptop").exists()) or not files(tmp_path / "drive" / "Laptop")
