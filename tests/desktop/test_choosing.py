"""Questions for folders and files begin where they were answered last, also in another session."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from agile_shadow.core.log import config_folder
from agile_shadow.desktop.choosing import ask_file, ask_folder, ask_new_file, last_folder, typed_path
from tests.desktop.conftest import Opener
from tests.desktop.test_lasting import go

LEFT = Qt.MouseButton.LeftButton


class Asked:
    """Answers the toolkit's dialogs, and keeps where each began."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, answer: str = "") -> None:
        self.answer, self.began = answer, [""]
        for name in ("getExistingDirectory", "getOpenFileName", "getSaveFileName"):
            monkeypatch.setattr(QFileDialog, name, self._asked(name == "getExistingDirectory"))

    def _asked(self, folder: bool) -> object:
        def ask(_parent: QWidget, _title: str, start: str, *_filters: str) -> object:
            self.began.append(start)
            return self.answer if folder else (self.answer, "")

        return ask


def test_presets_are_imported_and_exported_where_they_were_last(
    qtbot: QtBot, film: Path, open_window: Opener, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = Asked(monkeypatch)
    window = open_window(film)
    go(qtbot, window, "Presets")
    library = window.presets.library
    (tmp_path / "presets").mkdir()
    asked.answer = str(tmp_path / "presets" / "mine.json")
    qtbot.mouseClick(library.export, LEFT)
    assert Path(asked.answer).is_file() and "/" not in asked.began[-1]
    window.closing.asks = False
    window.close()
    other = open_window(film)
    go(qtbot, other, "Presets")
    asked.answer = ""
    qtbot.mouseClick(other.presets.library.export, LEFT)
    assert Path(asked.began[-1]).parent == tmp_path / "presets" and asked.began[-1].endswith(".json")


def test_each_kind_of_question_has_its_own_place(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked, parent = Asked(monkeypatch), QWidget()
    qtbot.addWidget(parent)
    assert ask_folder(parent, "Search", otherwise="/first") is None and asked.began[-1] == "/first"
    assert last_folder("Search") == "", "a question that was put away is not remembered"
    asked.answer = str(tmp_path / "footage")
    assert ask_folder(parent, "Search", otherwise="/first") == tmp_path / "footage"
    asked.answer = str(tmp_path / "luts" / "a.cube")
    assert ask_file(parent, "LUT", "LUT (*.cube)") == tmp_path / "luts" / "a.cube"
    ask_folder(parent, "Search", otherwise="/first")
    assert asked.began[-1] == str(tmp_path / "footage")
    ask_folder(parent, "Search", start="/here")
    assert asked.began[-1] == "/here"
    ask_file(parent, "Another file", kind="LUT")
    assert asked.began[-1] == str(tmp_path / "luts")
    ask_new_file(parent, "Report", "Page (*.html)", "card.html", "/project")
    assert asked.began[-1] == "/project/card.html"
    ask_new_file(parent, "Report", "Page (*.html)", "card.html", "/project")
    assert asked.began[-1] == str(tmp_path / "luts" / "card.html")


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=200) | st.recursive(
    st.none() | st.integers() | st.text(max_size=8), lambda inner: st.dictionaries(st.text(max_size=6), inner)
).map(lambda values: json.dumps(values).encode()))  # fmt: skip
def test_a_file_of_folders_that_is_none_does_no_harm(content: bytes) -> None:
    config_folder().mkdir(parents=True, exist_ok=True)
    (config_folder() / "folders.json").write_bytes(content)
    found = last_folder("Search")
    assert found == "" or found.startswith("/")


def test_where_nothing_can_be_written_the_question_is_answered_all_the_same(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked, parent = Asked(monkeypatch, str(tmp_path)), QWidget()
    qtbot.addWidget(parent)
    config_folder().mkdir(parents=True, exist_ok=True)
    (config_folder() / "folders.json").mkdir()
    assert ask_folder(parent, "Search") == tmp_path and last_folder("Search") == ""
    assert asked.began[-1] == "" and not [name for name in os.listdir(config_folder()) if name.endswith(".part")]


def test_a_typed_path_begins_at_home_where_that_is_known() -> None:
    assert typed_path(" ~/Film ") == Path.home() / "Film"
    assert typed_path("~nobody here/Film") == Path("~nobody here/Film") and typed_path("") == Path()
