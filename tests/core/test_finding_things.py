"""The search in titles, the guide's text, and what is written for the desktop."""

import configparser
import os
import shutil
import subprocess
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core import installing
from agile_shadow.core.finding import best, fit
from agile_shadow.core.guide import chapters_with, guide_text, headings, picture
from agile_shadow.core.presets import PRESETS, find_preset
from tests.footage import here, refusal


def test_a_title_is_found_by_its_words_in_any_order_and_beginnings_come_first() -> None:
    titles = ["Go to Timeline", "Timeline settings", "Delete timeline", "Bring a timeline home", "Time left", "Export"]
    assert best(titles, str, "timeline set") == ["Timeline settings"]
    assert best(titles, str, "time")[:2] == ["Time left", "Timeline settings"]
    assert set(best(titles, str, "tim")) == set(titles) - {"Export"}
    assert best(titles, str, "home bring") == ["Bring a timeline home"]
    assert best(titles, str, "  ") == [] and best(titles, str, "xyz") == []
    assert fit("A001C002", "c002") > 0 == fit("A001C002", "c003")


@given(st.text(min_size=1).filter(lambda text: bool(text.strip())), st.lists(st.text(), max_size=20))
def test_every_title_fits_itself_and_nothing_is_found_that_lacks_a_word(typed: str, titles: list[str]) -> None:
    assert fit(typed, typed) > 0
    for found in best(titles, str, typed):
        assert all(word in found.casefold() for word in typed.casefold().split())


def test_the_guide_has_a_chapter_for_each_place_and_its_pictures_are_there() -> None:
    text = guide_text()
    chapters = [one.title for one in headings(text) if one.level == 2]
    assert {"Presets", "Ingest", "Pairs", "Export", "Storage", "Timeline"} <= set(chapters)
    assert list(chapters_with(text, "ripple no such words")) == [] and "Pairs" in chapters_with(text, "proven doubtful")
    named = [line.partition("](")[2].rstrip(")") for line in text.splitlines() if line.startswith("![")]
    assert len(named) >= 5 and all(picture(name) is not None for name in named)
    assert picture("../../../etc/passwd") is None
    shown = Path(__file__).parents[2] / "docs" / "guide.md"
    assert shown.read_text() == text


def test_former_names_of_presets_are_understood() -> None:
    for old, new in (("Quick cut", "Everyday, quarter size"), ("SMALL LAPTOP", "Small files, quarter size")):
        assert find_preset(old).name == new
    own = find_preset("Quick cut").model_copy(update={"name": "Quick cut"})
    PRESETS.save(own)
    assert find_preset("quick cut").name == "Quick cut"  # one's own of that name comes first


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("HOME", str(tmp_path / "a home"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "a home" / "data"))
    monkeypatch.setenv("PATH", os.environ["PATH"])
    return tmp_path / "a home"


def files_below(folder: Path) -> set[Path]:
    return {path.relative_to(folder) for path in folder.rglob("*") if path.is_file()}


def test_installing_writes_a_command_an_entry_types_and_icons_and_uninstalling_takes_them_away(home: Path) -> None:
    status, answer, _said = here("install")
    assert status == 0 and answer["notes"] and all(Path(path).is_file() for path in answer["files"])
    command = home / ".local" / "bin" / "agile-shadow"
    done = subprocess.run([command, "--help"], capture_output=True, text=True, timeout=60, check=True)
    assert "install" in done.stdout and command.stat().st_mode & 0o111
    entry = configparser.ConfigParser(interpolation=None, comment_prefixes=("#",))
    entry.read(home / "data" / "applications" / "agile-shadow.desktop")
    values = entry["Desktop Entry"]
    assert values["Exec"] == f'"{command}" window %f' and values["Icon"] == "agile-shadow"
    types = ElementTree.parse(home / "data" / "mime" / "packages" / "agile-shadow.xml").getroot()
    named = {one.attrib["type"] for one in types}
    assert set(values["MimeType"].strip(";").split(";")) == named
    if shutil.which("desktop-file-validate"):
        subprocess.run(["desktop-file-validate", home / "data" / "applications" / "agile-shadow.desktop"], check=True)
    (home / "data" / "applications" / "other.desktop").write_text("[Desktop Entry]")
    assert here("install")[0] == 0  # again is no harm
    status, answer, _said = here("uninstall")
    assert status == 0 and len(answer["files"]) == len(installing.SIZES) + 4
    left = {path for path in files_below(home) if "agile-shadow" in path.name}
    assert left == set() and (home / "data" / "applications" / "other.desktop").is_file()
    assert here("uninstall")[1]["files"] == []


def test_a_command_of_somebody_else_is_not_written_over_and_not_removed(home: Path) -> None:
    command = home / ".local" / "bin" / "agile-shadow"
    command.parent.mkdir(parents=True)
    command.write_text("#!/bin/sh\necho another\n")
    assert "not written by this program" in refusal(installing.install)
    assert here("uninstall")[1]["files"] == [] and "another" in command.read_text()
    command.unlink()
    command.symlink_to("/bin/true")
    assert "not written by this program" in refusal(installing.install) and command.is_symlink()
