"""What the search finds is where it says; keys of one's own and shelves are set up by their buttons."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot

from agile_shadow.core.presets import PRESETS
from agile_shadow.core.shelves import user_shelves
from agile_shadow.desktop.actions import BY_ID, PLACE_NAMES, keys_of, use_keys
from agile_shadow.desktop.keys_dialog import KeysDialog
from agile_shadow.desktop.search_dialog import hits
from agile_shadow.desktop.window import MainWindow
from tests.desktop.conftest import Opener
from tests.desktop.test_timeline_place import choose, cutting, pictures
from tests.desktop.test_window import go

LEFT = Qt.MouseButton.LeftButton


def searched(qtbot: QtBot, window: MainWindow, words: str) -> None:
    """Type into the search and press Return."""
    window.command("search")
    dialog = window.commands.dialog
    assert dialog is not None
    qtbot.keyClicks(dialog.field, words)  # type: ignore[attr-defined]
    qtbot.keyClick(dialog.field, Qt.Key.Key_Return)  # type: ignore[attr-defined]


def test_every_place_clip_timeline_preset_and_setting_is_gone_to(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = cutting(qtbot, film, open_window)
    window.command("new_timeline")
    project = window.work.session.project
    found = list(hits(window))
    kinds = {hit.kind for hit in found}
    assert kinds == {"place", "command", "clip", "timeline", "preset", "setting"}
    for hit in found:
        if hit.kind == "place":
            hit.go()
            assert window.stack.currentIndex() == PLACE_NAMES.index(hit.title)
        elif hit.kind == "clip":
            hit.go()
            current = window.pairs.current()
            assert current is not None and current.name == hit.title
        elif hit.kind == "timeline":
            hit.go()
            assert window.work.session.project.timeline.name == hit.title
        elif hit.kind == "preset":
            hit.go()
            assert window.presets.name.text() == hit.title
    assert {hit.title for hit in found if hit.kind == "preset"} == {one.value.name for one in PRESETS.read().entries}
    assert {hit.title for hit in found if hit.kind == "clip"} == {clip.name for clip in project.clips}


def test_the_search_goes_by_keyboard_to_a_clip_and_to_a_setting(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    searched(qtbot, window, "A001C002")
    current = window.pairs.current()
    assert current is not None and current.name == "A001C002" and window.stack.currentIndex() == 2
    go(qtbot, window, "Timeline")
    choose(qtbot, window, pictures(window)[1])
    searched(qtbot, window, "opacity of the selected")
    assert window.timeline.side.currentWidget() is window.timeline.block_panel


def test_a_key_is_given_refused_taken_away_and_given_back(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    try:
        window.command("keys")
        dialog = window.commands.keys
        assert isinstance(dialog, KeysDialog)

        def chosen(identity: str) -> None:
            dialog.search.setText(BY_ID[identity].title)
            found = dialog.chosen()
            assert found is not None and found.id == identity

        chosen("loop")
        qtbot.mouseClick(dialog.use, LEFT)
        assert "press a key first" in dialog.told.text()
        dialog.edit.setKeySequence(QKeySequence("Q"))
        qtbot.mouseClick(dialog.use, LEFT)
        assert "already belongs to: Switch between originals and proxies" in dialog.told.text()
        dialog.edit.setKeySequence(QKeySequence("Ctrl+Alt+F9"))
        qtbot.mouseClick(dialog.use, LEFT)
        assert keys_of("loop") == "Ctrl+Alt+F9"
        chosen("zoom")
        dialog.edit.setKeySequence(QKeySequence("R"))  # free since a moment ago
        qtbot.mouseClick(dialog.use, LEFT)
        assert keys_of("zoom") == "R"
        chosen("loop")
        qtbot.mouseClick(dialog.reset, LEFT)
        assert "R belongs to" in dialog.told.text() and keys_of("loop") == "Ctrl+Alt+F9"
        qtbot.mouseClick(dialog.none, LEFT)
        assert keys_of("loop") == ""
        qtbot.mouseClick(dialog.reset_all, LEFT)
        assert (keys_of("loop"), keys_of("zoom")) == (BY_ID["loop"].keys[0], BY_ID["zoom"].keys[0])
    finally:
        use_keys({})


def test_shelves_are_added_named_found_elsewhere_shared_and_taken_off_the_list(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(film)
    go(qtbot, window, "Storage")
    storage, session = window.storage, window.work.session
    qtbot.waitUntil(lambda: bool(storage.rows), timeout=20_000)
    drive, moved = tmp_path / "Lighthouse", tmp_path / "Lighthouse, moved"
    drive.mkdir()

    def names() -> list[str]:
        return [row.state.shelf.name for row in storage.rows]

    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_more: str(drive))
    storage._add()
    qtbot.waitUntil(lambda: "Lighthouse" in names(), timeout=20_000)
    shelf = next(row.state.shelf for row in storage.rows if row.state.shelf.name == "Lighthouse")
    storage.choose(shelf.id)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_more, **_named: ("Breakwater", True))
    qtbot.mouseClick(storage.shelf.rename, LEFT)
    qtbot.waitUntil(lambda: "Breakwater" in names(), timeout=20_000)
    drive.rename(moved)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_more: str(moved))
    storage.point_elsewhere(next(row.state.shelf for row in storage.rows if row.state.shelf.id == shelf.id))
    qtbot.waitUntil(
        lambda: any(one.id == shelf.id and one.root == moved for one in session.project.shelves), timeout=20_000
    )
    now = next(one for one in session.project.shelves if one.id == shelf.id)
    storage.set_for_all(now, True)
    qtbot.waitUntil(lambda: any(one.id == shelf.id for one in user_shelves()), timeout=20_000)
    storage.remove(now)  # at once: what was still on its way does not bring it back
    qtbot.waitUntil(lambda: "Breakwater" not in names(), timeout=20_000)
    assert not any(one.id == shelf.id for one in (*user_shelves(), *session.project.shelves)) and moved.is_dir()
