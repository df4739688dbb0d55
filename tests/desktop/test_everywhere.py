"""What holds in the whole window: every surface readable, every command in menu, search and list, keys that can be
changed, first steps, the guide, and one job done with the keyboard alone."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAccessible, QAction, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from agile_shadow.core.guide import guide_text, headings
from agile_shadow.core.log import config_folder
from agile_shadow.core.media import probe
from agile_shadow.core.presets import find_preset, save_preset
from agile_shadow.core.project import load_project, save_project
from agile_shadow.desktop import key_map, theme
from agile_shadow.desktop.about_dialog import AboutDialog
from agile_shadow.desktop.actions import BY_ID, COMMANDS, PLACE_NAMES, all_keys, use_keys
from agile_shadow.desktop.column_room import left_out, shared
from agile_shadow.desktop.first_steps import FirstSteps
from agile_shadow.desktop.guide_window import GuideWindow
from agile_shadow.desktop.kept_look import KeptLook
from agile_shadow.desktop.keys_dialog import KeysDialog
from agile_shadow.desktop.poster_grid import Cell
from agile_shadow.desktop.search_dialog import SearchDialog
from agile_shadow.desktop.window import MainWindow
from tests.desktop import surfaces
from tests.desktop.conftest import Opener
from tests.desktop.test_timeline_place import choose, cutting, drag, frames, line_of, pictures, seek
from tests.desktop.test_window import ALT, SHIFT, Key, go, key

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(autouse=True)
def keys_as_they_come() -> object:
    yield
    use_keys({})


def press(qtbot: QtBot, keys: str, at: QWidget | None = None) -> None:
    """A key by its name, to the widget that has the focus."""
    combination = QKeySequence(keys)[0]
    widget = at or QApplication.focusWidget()
    assert widget is not None
    qtbot.keyClick(widget, combination.key(), combination.keyboardModifiers())


# Every surface


@pytest.mark.parametrize("look", [theme.INK, theme.PAPER], ids=["ink", "paper"])
@pytest.mark.parametrize("size", [(1280, 800), (1024, 720), (1366, 700)], ids=str)
def test_every_place_can_be_read_and_every_control_has_a_name(
    qtbot: QtBot, film: Path, open_window: Opener, qapp: QApplication, look: theme.Theme, size: tuple[int, int]
) -> None:
    theme.apply_theme(qapp, look)
    try:
        window = open_window(film)
        window.resize(*size)
        found: dict[str, list[str]] = {}
        for number, name in enumerate(PLACE_NAMES):
            window.open_place(number)
            found[name] = surfaces.faults(window)
        window.open_place(0)
        for tab in range(window.presets.tabs.count()):
            window.presets.tabs.setCurrentIndex(tab)
            found[f"presets {tab}"] = surfaces.faults(window)
        window.open_place(1)
        window.ingest.tabs.setCurrentIndex(1)
        found["reports"] = surfaces.faults(window)
        window.open_place(3)
        window.timeline.clips.selectRow(0)
        for tab in (1, 2):
            window.timeline.side.setCurrentIndex(tab)
            found[f"timeline {tab}"] = surfaces.faults(window)
        window.open_place(5)
        for key_ in ("cards", "kits", "helpers", "machine"):
            window.storage.choose(key_)
            found[key_] = surfaces.faults(window)
        window.toggle_jobs()
        found["jobs"] = surfaces.faults(window)
        for identity in ("keys", "search", "about", "first_steps", "guide"):
            window.command(identity)
            dialog = {"keys": window.commands.keys, "guide": window.guide}.get(identity, window.commands.dialog)
            assert dialog is not None
            found[identity] = surfaces.faults(dialog)
            dialog.close()
        told = [f"{name}: {one}" for name, all_of_them in found.items() for one in all_of_them]
        assert not told, "\n".join(told)
    finally:
        theme.apply_theme(qapp, theme.INK)


@pytest.mark.parametrize("look", [theme.INK, theme.PAPER], ids=["ink", "paper"])
def test_every_dialog_of_the_places_can_be_read(
    qtbot: QtBot, film: Path, open_window: Opener, qapp: QApplication, look: theme.Theme
) -> None:
    theme.apply_theme(qapp, look)
    try:
        window = cutting(qtbot, film, open_window)
        found: dict[str, list[str]] = {}

        def look_at(name: str, dialog: QWidget | None) -> None:
            assert dialog is not None
            qtbot.waitUntil(dialog.isVisible, timeout=10_000)
            found[name] = surfaces.faults(dialog)
            dialog.close()

        window.timeline.lines.open_settings()
        look_at("timeline settings", window.timeline.lines.dialog)
        window.command("bake_late")
        look_at("baking by itself", window.timeline.dialog)
        choose(qtbot, window, pictures(window)[0])
        press(qtbot, "E", window)
        found["block"] = surfaces.faults(window)
        press(qtbot, "T", window)
        found["title"] = surfaces.faults(window)
        go(qtbot, window, "Export")
        window.export.open_hand_over()
        look_at("hand over", window.export.dialog)
        window.export.open_home()
        look_at("bring home", window.export.dialog)
        qtbot.mouseClick(window.export.card.change, LEFT)
        look_at("film settings", window.export.dialog)
        go(qtbot, window, "Presets")
        qtbot.waitUntil(window.presets.trial.isEnabled, timeout=10_000)
        qtbot.mouseClick(window.presets.trial, LEFT)
        look_at("trial", window.presets.trial_dialog)
        go(qtbot, window, "Storage")
        qtbot.waitUntil(lambda: bool(window.storage.rows), timeout=20_000)
        window.storage.open_tidy()
        look_at("free up space", window.storage.dialog)
        window.storage.choose("helpers")
        qtbot.mouseClick(window.storage.helpers.invite, LEFT)
        look_at("invite a helper", window.storage.helpers.dialog)
        told = [f"{name}: {one}" for name, all_of_them in found.items() for one in all_of_them]
        assert not told, "\n".join(told)
    finally:
        theme.apply_theme(qapp, theme.INK)


@pytest.mark.parametrize("look", [theme.INK, theme.PAPER], ids=["ink", "paper"])
def test_widgets_that_the_style_sheet_does_not_name_can_be_read(
    qtbot: QtBot, qapp: QApplication, look: theme.Theme
) -> None:
    from PySide6.QtWidgets import QGroupBox, QTreeWidget, QTreeWidgetItem, QVBoxLayout

    theme.apply_theme(qapp, look)
    try:
        root = QWidget()
        qtbot.addWidget(root)
        column = QVBoxLayout(root)
        tree, group = QTreeWidget(), QGroupBox("A group")
        tree.addTopLevelItem(QTreeWidgetItem(["a line of a tree"]))
        for widget in (tree, group):
            column.addWidget(widget)
        root.show()
        QApplication.processEvents()
        assert surfaces.unreadable(root) == []
        shade = surfaces.pixels(tree.grab().toImage())[60, 60].mean()
        assert (shade < 0.2) == (look is theme.INK)  # on the look's own ground, not on the desktop's
    finally:
        theme.apply_theme(qapp, theme.INK)


def test_the_walk_finds_what_is_wrong(qtbot: QtBot, qapp: QApplication) -> None:
    root = QWidget()
    root.setObjectName("place")
    qtbot.addWidget(root)
    root.resize(300, 200)
    from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton

    pale, narrow, nameless = QLabel("pale words", root), QPushButton("a long label", root), QLineEdit(root)
    pale.setStyleSheet("color: #444a58")
    pale.setGeometry(10, 10, 200, 30)
    narrow.setGeometry(10, 50, 40, 30)
    nameless.setGeometry(10, 90, 100, 30)
    root.show()
    assert len(surfaces.unreadable(root)) == 1 and "pale words" in surfaces.unreadable(root)[0]
    assert len(surfaces.cut_off(root)) == 1 and "a long label" in surfaces.cut_off(root)[0]
    assert len(surfaces.nameless(root)) == 1 and len(surfaces.without_tip(root)) == 2


@settings(suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(st.lists(st.integers(1, 600), min_size=1, max_size=12), st.integers(100, 2000), st.integers(0, 11))
def test_columns_share_the_room(wants: list[int], room: int, stretch: int) -> None:
    stretch %= len(wants)
    widths = shared(wants, room, stretch)
    least = [max(44, want) for want in wants]
    assert all(width >= 44 for width in widths)
    if sum(least) <= room:
        assert sum(widths) == room and all(w >= want for w, want in zip(widths, least, strict=True))
        return
    assert all(width <= want for width, want in zip(widths, least, strict=True))
    assert widths[stretch] >= min(least[stretch], int(room * 0.3))  # the main column stays readable
    if 44 * (len(wants) - 1) + max(44, int(room * 0.3)) <= room:
        assert room - len(wants) <= sum(widths) <= room


def test_what_has_no_room_is_left_out_in_order_and_never_the_main_column() -> None:
    wants = [200, 120, 60, 80, 150]
    assert left_out(wants, 700, 0, (4, 3)) == set()
    assert left_out(wants, 480, 0, (4, 3)) == {4}
    assert left_out(wants, 300, 0, (4, 3)) == {4, 3}
    assert left_out(wants, 100, 0, (4, 3)) == {4, 3}
    assert left_out([200, 180, 60, 96], 470, 0, (3,)) == {3}  # what is always shown is whole before anything optional


def test_nothing_jumps_when_a_notice_comes_or_goes(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    before = window.stack.geometry()
    window.tell("Something happened to a file with a rather long name, and here is what can be done about it. " * 2)
    QTest.qWait(0)
    assert window.notice.isVisible() and window.stack.geometry() == before and not window.foot.hint.isVisible()
    window.notice.hide()
    assert window.stack.geometry() == before and window.foot.hint.isVisible()


# Commands


def test_the_menu_has_every_command_with_its_key_and_says_what_a_grey_one_waits_for(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)
    go(qtbot, window, "Storage")
    press(qtbot, "F10", window)
    qtbot.waitUntil(window.menu.isVisible, timeout=5_000)
    for menu in window.menu.areas.values():
        menu.aboutToShow.emit()
    lines: dict[str, QAction] = window.menu.lines
    assert set(lines) == set(BY_ID)
    assert max(len(menu.actions()) for menu in window.menu.areas.values()) <= 24  # none is higher than a small screen
    for command in COMMANDS:
        title, _tab, keys = lines[command.id].text().partition("\t")
        assert title == command.title and keys == next(iter(command.keys), "")
    assert lines["append"].toolTip() == "Works in Timeline." and not lines["append"].isEnabled()
    assert lines["undo"].toolTip() == "There is nothing to undo." and not lines["undo"].isEnabled()
    assert lines["add_shelf"].isEnabled()
    window.menu.close()
    lines["place_3"].trigger()
    assert window.stack.currentIndex() == 2


def test_every_key_reaches_its_command_in_every_place_where_it_is_said_to(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(film)
    reached: list[str] = []
    monkeypatch.setattr(window.commands, "do", reached.append)
    lost = []
    for number, name in enumerate(PLACE_NAMES):
        window.open_place(number)
        holder = window.stack.currentWidget()
        holder.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        holder.setFocus()
        for command in COMMANDS:
            for keys in command.keys:
                reached.clear()
                press(qtbot, keys, holder)
                if (reached == [command.id]) != (number in command.places):
                    lost.append(f"{keys} in {name}: {reached}")
    assert lost == []


def test_the_list_of_keys_changes_them_and_they_are_kept(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    press(qtbot, "F1", window)
    dialog = window.commands.keys
    assert isinstance(dialog, KeysDialog)
    titles = {dialog._model.rows[row].title for row in range(dialog._model.rowCount())}
    assert titles == {command.title for command in COMMANDS}
    qtbot.keyClicks(dialog.search, "originals and proxies")
    chosen = dialog.chosen()
    assert chosen is not None and chosen.id == "switch"

    def give(keys: str) -> str:
        dialog.edit.setKeySequence(QKeySequence(keys))
        qtbot.mouseClick(dialog.use, LEFT)
        return dialog.told.text()

    assert "already belongs to: Loop on or off" in give("R")
    assert all_keys("switch") == ("Q",)
    assert "W" in give("W")
    assert all_keys("switch") == ("W",) and "W" in window.strip.switch.toolTip()
    dialog.close()
    showing = window.work.session.project.showing
    press(qtbot, "Q", window)
    assert window.work.session.project.showing == showing
    press(qtbot, "W", window)
    assert window.work.session.project.showing != showing
    assert key_map.load_keys() == {"switch": ("W",)}  # what the next start reads
    press(qtbot, "F1", window)
    dialog = window.commands.keys
    assert isinstance(dialog, KeysDialog)
    qtbot.mouseClick(dialog.reset_all, LEFT)
    assert all_keys("switch") == ("Q",) and key_map.load_keys() == {}
    dialog.close()


@pytest.mark.parametrize("text", [
    "", "[]", "{", '{"keys": 3}', '{"keys": {"switch": "Q", "nothing": ["A"], "pin": [1], "play": ["'
    + "x" * 99 + '"]}}',
    "\xff", '{"keys": {"switch": ["R"], "loop": ["R"]}}',
])  # fmt: skip
def test_a_hostile_file_of_keys_leaves_every_key_once(text: str) -> None:
    key_map.keys_file().write_text(text, encoding="latin-1")
    own = key_map.load_keys()
    seen: set[tuple[str, int]] = set()
    for command in COMMANDS:
        for keys in own.get(command.id, command.keys):
            for place in command.places:
                assert (keys, place) not in seen
                seen.add((keys, place))


def test_the_search_finds_commands_clips_places_presets_and_settings(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)

    def ask(text: str) -> SearchDialog:
        press(qtbot, "Ctrl+F", window)
        dialog = window.commands.dialog
        assert isinstance(dialog, SearchDialog)
        qtbot.keyClicks(dialog.field, text)
        return dialog

    kinds = {}
    for typed, kind in (
        ("storage", "place"), ("ripple end", "command"), ("A001C002", "clip"), ("Timeline 1", "timeline"),
        ("Everyday", "preset"), ("saturation", "setting"),
    ):  # fmt: skip
        dialog = ask(typed)
        kinds[typed] = dialog.found[0].kind
        assert kinds[typed] == kind
        dialog.close()
    dialog = ask("ripple end")
    press(qtbot, "Return", dialog.field)
    assert dialog.isVisible() and "Works in Timeline" in dialog.told.text()
    dialog.close()
    dialog = ask("nothing is called so")
    assert "Nothing here is called" in dialog.told.text()
    dialog.close()
    dialog = ask("PCK_0007")
    press(qtbot, "Return", dialog.field)
    assert window.stack.currentIndex() == 2
    qtbot.waitUntil(lambda: (clip := window.pairs.current()) is not None and clip.name == "PCK_0007", timeout=5_000)
    dialog = ask("jobs drawer")
    press(qtbot, "Return", dialog.field)
    assert window.drawer.isVisible()


def test_commands_of_buttons_press_them_or_say_why_not(qtbot: QtBot, tmp_path: Path, open_window: Opener) -> None:
    window = open_window(tmp_path / "p.otio")
    for command in COMMANDS:
        if command.button is not None:
            window.open_place(command.button[0])
            assert isinstance(window.commands._button(command), QAbstractButton)
    window.open_place(0)
    window.command("hand_over")
    assert window.stack.currentIndex() == 4
    assert window.notice.text() == "Hand over the cut: Put clips on the timeline first."
    assert window.commands.why_not(BY_ID["hand_over"]) in window.export.hand_over.toolTip()


def test_the_guide_opens_at_the_place_and_is_searched(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    press(qtbot, "Ctrl+F1", window)
    guide = window.guide
    assert isinstance(guide, GuideWindow)
    assert guide.list.currentItem().text() == "Pairs"
    top = guide.text.cursorForPosition(QPoint(10, 30)).block().text()
    assert "Pairs" in top or top == ""
    chapters = [one.title for one in headings(guide_text()) if one.level == 2]
    assert [guide.list.item(row).text() for row in range(guide.list.count())] == chapters
    qtbot.keyClicks(guide.search, "headroom")
    assert 0 < guide.list.count() < len(chapters)
    assert guide.text.textCursor().selectedText().casefold() == "headroom"
    guide.close()


def test_about_says_the_version_and_copies_itself(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    window.command("about")
    dialog = window.commands.dialog
    assert isinstance(dialog, AboutDialog)
    copy = next(one for one in dialog.findChildren(QAbstractButton) if one.text() == "Copy")
    qtbot.mouseClick(copy, LEFT)
    assert "Version 0.1.0" in QApplication.clipboard().text()
    dialog.close()


# Starting


def test_first_steps_set_folders_preset_and_source(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(tmp_path / "film" / "p.otio")
    assert not window.kept.first_steps
    window.first_steps()
    dialog = window.commands.dialog
    assert isinstance(dialog, FirstSteps) and KeptLook().first_steps  # never again by itself
    dialog.originals.setText(str(tmp_path / "big drive"))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_rest: str(tmp_path / "laptop"))
    browse = [one for one in dialog.findChildren(QAbstractButton) if one.text() == "Browse…" and one.isVisible()]
    qtbot.mouseClick(browse[1], LEFT)
    qtbot.mouseClick(dialog.next, LEFT)
    dialog.presets.setCurrentItem(dialog.presets.findItems("Small files, quarter size", Qt.MatchFlag.MatchExactly)[0])
    assert "H.264" in dialog.words.text()
    qtbot.mouseClick(dialog.next, LEFT)
    dialog.source.setText(str(card))
    qtbot.mouseClick(dialog.next, LEFT)
    project = window.work.session.project
    assert {shelf.role: shelf.root for shelf in project.shelves} == {
        "originals": tmp_path / "big drive", "proxies": tmp_path / "laptop",
    }  # fmt: skip
    assert project.preset == find_preset("Small files, quarter size") and not (tmp_path / "big drive").exists()
    assert window.stack.currentIndex() == 1
    qtbot.waitUntil(lambda: window.ingest.card.start.isEnabled(), timeout=20_000)
    assert window.ingest.card.originals.text() == str(tmp_path / "big drive")
    assert window.ingest.card.preset.currentText() == "Small files, quarter size"


def test_first_steps_can_be_left(qtbot: QtBot, tmp_path: Path, open_window: Opener) -> None:
    window = open_window(tmp_path / "p.otio")
    before = window.work.session.project
    window.first_steps()
    dialog = window.commands.dialog
    assert isinstance(dialog, FirstSteps)
    qtbot.mouseClick(dialog.skip, LEFT)
    assert window.work.session.project == before and not dialog.isVisible()


def test_size_look_and_dividers_come_back_and_a_hostile_file_does_no_harm(
    qtbot: QtBot, film: Path, open_window: Opener, qapp: QApplication
) -> None:
    window = open_window(film)
    window.resize(1000, 733)  # the width of the screen that the tests have
    go(qtbot, window, "Pairs")
    window.pairs.splitter.setSizes([400, 250])
    sizes = window.pairs.splitter.sizes()
    press(qtbot, "Ctrl+T", window)
    window.closing.asks = False
    window.close()
    theme.apply_theme(qapp, theme.INK)
    assert KeptLook().theme == "paper"
    again = open_window(film)
    assert (again.width(), again.height()) == (1000, 733)
    go(qtbot, again, "Pairs")
    assert again.pairs.splitter.sizes() == pytest.approx(sizes, abs=2)
    again.closing.asks = False
    again.close()
    for text in ("", "[]", '{"version": 2, "geometry": "no", "parts": {"Pairs/divider 0": "////"}, "theme": 7}',
                 json.dumps({"version": 2, "geometry": "AAAA", "parts": 3}), '{"version": 99}'):  # fmt: skip
        (config_folder() / "window.json").write_text(text)
        last = open_window(film)
        go(qtbot, last, "Pairs")
        assert last.width() >= 1000 and KeptLook().theme == "ink"
        last.closing.asks = False
        last.close()


def test_a_preset_file_that_is_opened_goes_into_the_library(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    preset = find_preset("Everyday, quarter size").model_copy(update={"name": "From the desktop"})
    path = save_preset(preset, film.parent / "From the desktop.shadow-preset.json")
    window.bring_preset(path)
    assert window.stack.currentIndex() == 0 and "From the desktop" in window.presets.library.names
    path.write_text("no preset")
    window.bring_preset(path)
    assert "From the desktop.shadow-preset.json" in window.presets.message.text()


# Clips


def test_pairs_as_posters_select_the_same_clips_and_are_looked_through(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    place = window.pairs
    qtbot.mouseClick(place.as_posters, LEFT)
    view = place.poster_view
    assert place.upper.currentWidget() is view and place.poster_size.isVisible()
    number = next(n for n, row in enumerate(place.model.rows) if row.clip.name == "PCK_0007")
    middle = view.visualRect(place.model.index(number, 0)).center()
    qtbot.mouseClick(view.viewport(), LEFT, pos=middle)
    qtbot.waitUntil(lambda: (clip := place.current()) is not None and clip.name == "PCK_0007", timeout=5_000)
    rect = view.visualRect(place.model.index(number, 0))
    qtbot.mouseMove(view.viewport(), QPoint(rect.x() + 12, middle.y()))
    qtbot.waitUntil(lambda: view.picture(place.model.rows[number]) is not None, timeout=20_000)
    early = view.picture(place.model.rows[number])
    qtbot.mouseMove(view.viewport(), QPoint(rect.right() - 12, middle.y()))
    late = view.picture(place.model.rows[number])
    assert early is not None and late is not None and early.toImage() != late.toImage()
    wide = view.cell_size().width()
    place.poster_size.setValue(300)
    assert view.cell_size().width() > wide
    place.show_clip(place.model.rows[0].clip.id)
    qtbot.mouseClick(place.as_posters, LEFT)
    assert place.upper.currentWidget() is place.table


def test_tags_are_given_searched_grouped_and_undone(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PySide6.QtWidgets import QInputDialog

    window = open_window(film)
    go(qtbot, window, "Pairs")
    place, asked = window.pairs, list[str]()

    def answer(text: str) -> None:
        def ask(*_rest: object, text_: str = text, **more: str) -> tuple[str, bool]:
            asked.append(more.get("text", ""))
            return text_, True

        monkeypatch.setattr(QInputDialog, "getText", ask)

    place.table.selectAll()
    answer("day one, terns")
    press(qtbot, "Shift+T", window)
    place.show_clip(place.model.rows[0].clip.id)
    answer("terns, crank")
    press(qtbot, "Shift+T", window)
    assert asked == ["", "day one, terns"]
    clips = window.work.session.project.clips
    assert sorted(clip.tags for clip in clips).count(("crank", "terns")) == 1
    qtbot.keyClicks(place.search, "crank")
    qtbot.waitUntil(lambda: len(place.model.rows) == 1, timeout=5_000)
    place.search.clear()
    place.grouping.setCurrentText("by tag")
    titles = [row.title.partition(":")[0] for row in place.model.rows if not hasattr(row, "clip")]
    assert titles == ["crank, terns", "day one, terns"]
    window.work.session.undo()
    window.work.session.undo()
    assert {clip.tags for clip in window.work.session.project.clips} == {()}


def test_a_source_as_posters_shows_what_becomes_of_each_file(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(tmp_path / "film" / "p.otio", card)
    files = window.ingest.on_source.files
    qtbot.waitUntil(lambda: bool(files.rows), timeout=20_000)
    qtbot.mouseClick(files.posters.button, LEFT)
    grid = files.grid
    assert grid.isVisible() and files.posters.size_slider.isVisible() and files.in_sight()

    def cell(name: str) -> Cell:
        row = next(n for n in range(grid.model().rowCount()) if grid.cell_of(grid.model().index(n, 0)).name == name)
        return grid.cell_of(grid.model().index(row, 0))

    qtbot.waitUntil(lambda: cell("PCK_0007.MP4").picture is not None, timeout=30_000)
    assert cell("PCK_0007.MP4").state == "new" and cell("PCK_0007.MP4").kinds == ()
    assert cell("TAKE_014.WAV").picture is None and cell("TAKE_014.WAV").word == "sound"
    qtbot.keyClicks(files.search, "TAKE")
    assert grid.model().rowCount() == 1  # the same filter as of the list
    files.search.clear()
    files.posters.size_slider.setValue(320)
    assert grid.cell_size().width() > 320
    window.ingest.card.start.click()
    qtbot.waitUntil(lambda: window.work.last_report is not None and window.work.ingest is None, timeout=180_000)
    qtbot.waitUntil(lambda: cell("PCK_0007.MP4").kinds != (), timeout=10_000)


def test_from_block_to_pair_to_use_and_to_card(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = cutting(qtbot, film, open_window)
    second = pictures(window)[1]
    choose(qtbot, window, second)
    press(qtbot, "F", window)
    assert window.stack.currentIndex() == 2
    clip = window.pairs.current()
    assert clip is not None and clip.id == second.clip
    press(qtbot, "Shift+F", window)
    assert window.stack.currentIndex() == 3 and window.timeline.view.selected == second.id
    assert window.timeline.view.position == second.start and "use 1 of 1" in window.notice.text()
    shown: list[Path] = []
    monkeypatch.setattr("agile_shadow.desktop.jumps.show_file", lambda path: bool(shown.append(path)) or True)
    window.command("show_original")
    window.command("show_proxy")
    assert [path.suffix.lower() for path in shown][1] in (".mov", ".mp4") and all(path.is_file() for path in shown)
    window.command("to_card")
    cards = window.storage.cards
    qtbot.waitUntil(lambda: cards.chosen is not None, timeout=10_000)
    assert cards.chosen is not None and window.storage.pages.currentWidget() is cards


# The timeline by hand


def test_a_block_is_moved_sized_turned_and_cropped_in_the_viewer(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = cutting(qtbot, film, open_window)
    viewer, placing = window.timeline.panel.viewer, window.timeline.placing
    choose(qtbot, window, pictures(window)[0])
    seek(qtbot, window, 3)
    choose(qtbot, window, pictures(window)[0])
    qtbot.waitUntil(lambda: placing.held is not None and viewer.picture is not None, timeout=10_000)
    session = window.work.session

    def at(x: float, y: float) -> QPoint:
        frame = viewer.picture_rect()
        return QPoint(round(frame.x() + x * frame.width()), round(frame.y() + y * frame.height()))

    def pull(start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        qtbot.mousePress(viewer, LEFT, keys, start)
        QTest.mouseMove(viewer, (start + end) / 2)
        placing.drag(end.toPointF(), viewer.picture_rect(), keys)
        qtbot.mouseRelease(viewer, LEFT, keys, end)

    def placement() -> object:
        return pictures(window)[0].effects.placement

    start = placement()
    pull(at(0.5, 0.5), at(0.7, 0.4))
    assert (placement().x, placement().y) == (pytest.approx(0.2, abs=0.01), pytest.approx(-0.1, abs=0.01))  # type: ignore[attr-defined]
    session.undo()
    assert placement() == start  # a gesture is one step
    pull(at(0, 0), at(0.25, 0.25))
    assert placement().scale == pytest.approx(0.5, abs=0.02)  # type: ignore[attr-defined]
    assert placing.held is not None
    knob = placing.held.knob(0.09)
    pull(at(*knob), at(0.9, 0.5), SHIFT)
    assert placement().rotation == 90  # type: ignore[attr-defined]
    session.undo()
    pull(at(0.25, 0.5), at(0.375, 0.5))
    assert placement().left == pytest.approx(0.25, abs=0.03)  # type: ignore[attr-defined]
    assert session.undo_label == "Place a block"
    key(qtbot, window, Key.Key_Space)
    qtbot.waitUntil(lambda: placing.held is None, timeout=10_000)  # nothing is in the way while it plays
    key(qtbot, window, Key.Key_K)


def test_fades_and_speed_are_dragged_at_a_blocks_corners(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view = window.timeline.view
    block = pictures(window)[1]
    choose(qtbot, window, block)
    rect = view.block_rect(block)
    corner = QPoint(round(view.rows.fade_handles(block)[0]), round(rect.y()) + 5)
    drag(qtbot, window, corner, corner + frames(window, 4))
    assert (pictures(window)[1].effects.fade_in, pictures(window)[1].effects.fade_out) == (4, 0)
    corner = QPoint(round(view.rows.fade_handles(pictures(window)[1])[1]), round(rect.y()) + 5)
    drag(qtbot, window, corner, corner - frames(window, 40))
    effects = pictures(window)[1].effects
    assert (effects.fade_in, effects.fade_out) == (4, 6)  # as far as there is room
    assert window.work.session.undo_label == "Fade out"
    last = pictures(window)[2]
    rect = view.block_rect(last)
    end = QPoint(round(rect.right()) - 3, round(rect.center().y()))
    drag(qtbot, window, end, end + frames(window, 10), ALT)
    slow = pictures(window)[2]
    assert slow.length == 20 and slow.speed == last.speed / 2 and slow.source_start == last.source_start


def test_a_slow_movement_is_set_in_the_block_tab(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    panel = window.timeline.block_panel
    choose(qtbot, window, pictures(window)[0])
    press(qtbot, "E", window)
    assert not panel.fields["end_scale"].isEnabled()
    panel.moves.click()
    assert pictures(window)[0].effects.move is not None and panel.fields["end_scale"].isEnabled()
    panel.fields["end_scale"].setValue(150)
    panel.ease.click()
    move = pictures(window)[0].effects.move
    assert move is not None and move.scale == 1.5 and not move.ease
    panel.moves.click()
    assert pictures(window)[0].effects.move is None
    window.work.session.undo()
    assert pictures(window)[0].effects.move == move


def test_a_title_gets_colour_edge_alignment_and_roll(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PySide6.QtGui import QColor
    from PySide6.QtWidgets import QColorDialog

    window = cutting(qtbot, film, open_window)
    press(qtbot, "T", window)
    title = next(block for track in line_of(window).pictures for block in track.blocks if block.title is not None)
    window.timeline.view.choose((title.id,))
    panel = window.timeline.block_panel
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_rest: QColor("#20c0ff"))
    qtbot.mouseClick(panel.title_box.ink, LEFT)
    panel.title_box.edge.setCurrentText("shadow")
    panel.title_box.edge.activated.emit(panel.title_box.edge.currentIndex())
    panel.title_box.align.setCurrentText("right")
    panel.title_box.align.activated.emit(panel.title_box.align.currentIndex())
    panel.title_box.roll.click()
    block = line_of(window).block(title.id)
    assert block is not None and block.title is not None
    assert (block.title.colour, block.title.edge, block.title.align, block.title.roll) == (
        "#20c0ff", "shadow", "right", True,
    )  # fmt: skip


def test_after_a_note_the_keys_belong_to_the_timeline_again(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    press(qtbot, "N", window)
    qtbot.waitUntil(lambda: window.timeline.notes.note.hasFocus(), timeout=5_000)
    qtbot.keyClicks(window.timeline.notes.note, "a tern")
    press(qtbot, "Return", window.timeline.notes.note)
    assert line_of(window).markers[0].note == "a tern"
    position = window.timeline.view.position
    press(qtbot, "Right")
    qtbot.waitUntil(lambda: window.timeline.view.position == position + 1, timeout=10_000)


def test_a_command_of_the_menu_is_done_also_while_a_text_has_the_focus(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = cutting(qtbot, film, open_window)
    seek(qtbot, window, 4)
    go(qtbot, window, "Timeline")
    window.timeline.side.setCurrentWidget(window.timeline.notes)
    window.timeline.notes.note.setFocus()
    blocks = len(pictures(window))
    press(qtbot, "/", window.timeline.notes.note)
    assert len(pictures(window)) == blocks and window.timeline.notes.note.text() == "/"  # a letter is a letter
    window.menu.show_state([BY_ID["cut"]])
    window.menu.lines["cut"].trigger()
    assert len(pictures(window)) == blocks + 1


def test_pictures_on_blocks_can_be_switched_off(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = cutting(qtbot, film, open_window)
    view = window.timeline.view
    qtbot.waitUntil(lambda: window.timeline.sights.version > 0, timeout=20_000)
    with_them = view.grab().toImage()
    press(qtbot, "Shift+G", window)
    assert not view.shows_sights and view.grab().toImage() != with_them and "off" in window.notice.text()


def test_clips_without_a_proxy_are_looked_through_by_their_key_frames(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = load_project(film)
    bare = tuple(replace(clip, proxies=()) for clip in document.footage.clips)
    save_project(document.but(clips=bare), film)
    window = cutting(qtbot, film, open_window)
    project, sights = window.work.session.project, window.timeline.sights
    clip = next(one for one in project.clips if one.name == "PCK_0007")  # two groups of pictures
    told: list[str] = []
    window.sketches.came.connect(told.append)
    window.sketches.start()
    assert window.sketches.text.startswith("sketching ") and "sketching " in window.jobs_text()
    videos = sorted(one.id for one in project.clips if one.original.info.kind == "video")
    qtbot.waitUntil(lambda: sorted(told) == videos, timeout=60_000)
    assert clip.id in told and not window.sketches.text and "sketching" not in window.jobs_text()
    qtbot.waitUntil(lambda: len(sights.strip(project, clip)) > 1, timeout=20_000)
    go(qtbot, window, "Pairs")
    place = window.pairs
    qtbot.mouseClick(place.as_posters, LEFT)
    view = place.poster_view
    number = next(n for n, row in enumerate(place.model.rows) if row.clip.id == clip.id)
    cell = view.visualRect(place.model.index(number, 0))
    for part in (0.1, 0.9):
        QTest.mouseMove(view.viewport(), QPoint(round(cell.x() + part * cell.width()), cell.center().y()))
        qtbot.waitUntil(
            lambda: view.cell_of(place.model.index(number, 0)).state == "key frames of the original", timeout=20_000
        )
    assert view.over is not None and view.over[0] == number
    qtbot.mouseClick(place.as_posters, LEFT)

    monkeypatch.setattr("agile_shadow.core.compositing.sketched._QUICK", 0.0)  # every file counts as slow
    go(qtbot, window, "Timeline")
    seen: list[str] = []
    show = window.timeline.panel.viewer.show_picture
    monkeypatch.setattr(
        window.timeline.panel.viewer, "show_picture", lambda picture: (seen.append(picture.mark), show(picture))
    )
    seek(qtbot, window, 12)
    qtbot.waitUntil(lambda: bool(seen) and "KEY FRAME" not in seen[-1], timeout=20_000)


def test_blocks_of_clips_without_a_proxy_show_pictures_of_their_original(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    document = load_project(film)
    bare = tuple(replace(clip, proxies=()) for clip in document.footage.clips)
    save_project(document.but(clips=bare), film)
    window = cutting(qtbot, film, open_window)
    sights, project = window.timeline.sights, window.work.session.project
    clip = next(one for one in project.clips if one.name == "PCK_0007")  # two groups of pictures
    qtbot.waitUntil(lambda: len(sights.strip(project, clip)) > 1, timeout=30_000)
    pictures = [picture.toImage() for _place, picture in sights.strip(project, clip)]
    assert pictures[0] != pictures[-1] and not window.work.session.project.clips[0].proxies


# Without a mouse, without eyes


def test_the_tab_key_is_never_caught_and_the_focus_is_always_on_something_named(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)
    for number, name in enumerate(PLACE_NAMES):
        window.open_place(number)
        seen: list[QWidget] = []
        for _step in range(160):
            widget = QApplication.focusWidget()
            assert widget is not None, name
            if widget in seen:
                break
            seen.append(widget)
            interface = QAccessible.queryAccessibleInterface(widget)
            said = interface.text(QAccessible.Text.Name) if interface is not None else ""
            assert said.strip() or surfaces.said(widget).strip(), f"{name}: {surfaces.where(widget)}"
            qtbot.keyClick(widget, Key.Key_Tab)
        assert QApplication.focusWidget() in seen and len(seen) > 6, name


def test_the_whole_job_is_done_with_the_keyboard_alone(
    qtbot: QtBot, card: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(tmp_path / "film" / "p.otio", card)
    for role in ("originals", "proxies"):
        root = tmp_path / role
        window.work.session.absorb(lambda footage, role=role, root=root: footage.with_shelf_chosen(role, root))
    press(qtbot, "Alt+2", window)
    qtbot.waitUntil(lambda: window.ingest.card.start.isEnabled(), timeout=30_000)
    window.ingest.card.start.setFocus()  # where Alt+2 puts it once it can be pressed
    press(qtbot, "Space")
    qtbot.waitUntil(lambda: window.work.last_report is not None and window.work.ingest is None, timeout=180_000)
    press(qtbot, "Q", window)
    assert window.work.session.project.showing == "proxies"
    press(qtbot, "Alt+4", window)
    assert QApplication.focusWidget() is window.timeline.clips
    for row in range(2):
        if row:
            window.timeline.clips.setFocus()
            press(qtbot, "Down")
        else:
            press(qtbot, "Down")
        panel = window.timeline.panel
        qtbot.waitUntil(lambda panel=panel: panel.loaded and panel.viewer.picture is not None, timeout=30_000)
        press(qtbot, "Shift+Right", window)
        press(qtbot, "I", window)
        press(qtbot, "Shift+Right", window)
        press(qtbot, "O", window)
        press(qtbot, "Ctrl+Return", window)
    line = line_of(window)
    assert [block.length for block in line.pictures[0].blocks] == [11, 11]
    press(qtbot, "X", window)
    assert line_of(window).pictures[0].blocks[1].dissolve is not None
    press(qtbot, "Home", window)
    press(qtbot, "T", window)
    titles = [block for track in line_of(window).pictures for block in track.blocks if block.title is not None]
    assert len(titles) == 1
    press(qtbot, "Alt+5", window)
    qtbot.waitUntil(lambda: window.export.card.start.isEnabled(), timeout=30_000)
    window.export.card.start.setFocus()
    press(qtbot, "Space")
    films = window.export.films
    qtbot.waitUntil(lambda: bool(films.runs), timeout=30_000)
    out = films.runs[0].out
    qtbot.waitUntil(out.is_file, timeout=120_000)
    assert probe(out).frames == line_of(window).length and probe(out).frame_rate == Fraction(line_of(window).rate)


def test_a_desktop_without_services_is_answered(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    from agile_shadow.desktop import show_file as showing

    opened: list[str] = []
    monkeypatch.setattr(showing.QDesktopServices, "openUrl", lambda url: bool(opened.append(url.toLocalFile())) or True)
    monkeypatch.setattr(showing, "QDBusConnection", None)
    assert showing.show_file(film) and opened == [str(film.parent)]


def test_the_end_of_the_session_asks_like_closing(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    from agile_shadow.desktop.starting import _session_ends

    class Manager:
        def __init__(self, may_ask: bool) -> None:
            self.may_ask, self.said = may_ask, list[str]()

        def allowsInteraction(self) -> bool:
            return self.may_ask

        def release(self) -> None:
            self.said.append("release")

        def cancel(self) -> None:
            self.said.append("cancel")

    window: MainWindow = open_window(film)
    window.work.session.edit("Show proxies", lambda project: project.but(showing="proxies"))
    silent = Manager(False)
    _session_ends(window, silent)  # type: ignore[arg-type]
    assert window.work.session.is_saved and window.isVisible() and silent.said == []
    window.work.session.edit("Show originals", lambda project: project.but(showing="originals"))
    film.write_text(film.read_text() + " ")  # another program was quicker
    _session_ends(window, silent)  # type: ignore[arg-type]
    assert len(list(film.parent.glob("*yours*.otio"))) == 1 and window.isVisible()
    window.closing.may_close = lambda: False  # type: ignore[method-assign]
    window.work.is_playing = lambda: False
    willing = Manager(True)
    window.closing.asks = False
    _session_ends(window, willing)  # type: ignore[arg-type]
    assert willing.said == ["release"] and not window.isVisible()


def test_the_last_project_opens_by_itself_but_never_the_demo_or_one_that_is_gone(film: Path, tmp_path: Path) -> None:
    from agile_shadow.core.project import remember_project
    from agile_shadow.desktop.starting import Start, demo_folder, last_project

    assert last_project() is None
    other = tmp_path / "gone.otio"
    for path in (other, film, demo_folder() / "The Tern Ferry.otio"):
        remember_project(path)
    assert last_project() == film and Start(None).path() == film
    assert Start(other).path() == other  # what is named comes first
    film.unlink()
    assert last_project() is None
