"""The Pairs place, as a person uses it."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from agile_shadow.desktop.places.pairs.rows import Group, Pair
from agile_shadow.desktop.window import MainWindow
from agile_shadow.stand_ins.elsewhere import Derived, write_proxy
from tests.desktop.conftest import Opener
from tests.desktop.test_window import go, key
from tests.footage import here
from tests.pairs import clip, drawn_film

LEFT = Qt.MouseButton.LeftButton
ALT = Qt.KeyboardModifier.AltModifier
Key = Qt.Key


def rows(window: MainWindow) -> list[Pair]:
    return [row for row in window.pairs.model.rows if isinstance(row, Pair)]


def choose(qtbot: QtBot, window: MainWindow, number: int) -> None:
    table = window.pairs.table
    at = table.visualRect(window.pairs.model.index(number, 0)).center()
    qtbot.mouseClick(table.viewport(), LEFT, pos=at)


def trigger(window: MainWindow, text: str) -> None:
    """A line of the menu of what is done with the chosen."""
    window.pairs.menu.aboutToShow.emit()
    action = next(action for action in window.pairs.menu.actions() if action.text().startswith(text))
    assert action.isEnabled()
    action.trigger()


def folder_dialog(monkeypatch: pytest.MonkeyPatch, folder: Path) -> None:
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))


def paired(folder: Path, made: list[Derived], takes: int = 2) -> Path:
    """A film whose proxies came from elsewhere and were paired."""
    clips = [clip(f"A{number:03d}.mov", take=number + 1, frames=48) for number in range(takes)]
    project = drawn_film(folder, clips)
    for one in made:
        write_proxy(one, clips, folder / "Laptop")
    assert here("pair", "--project", project, "--from", folder / "Laptop", "--take", "likely")[0] == 0
    return project


def test_offers_are_looked_at_one_is_confirmed_the_rest_follow_and_undo_takes_all_back(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    stills = [
        clip(f"S{number:03d}.mov", take=number, scene=number, frames=30, motion="still", sound=False, start=None)
        for number in range(4)
    ]
    sure = clip("M001.mov", take=9, frames=48)
    project = drawn_film(tmp_path, [*stills, sure])
    for number in range(4):
        write_proxy(Derived(f"S{number:03d}_mail.mov", number, tail=1), stills, tmp_path / "mail")
    write_proxy(Derived("without a name.mov", 0, trim=6, timecode=False), [sure], tmp_path / "mail")
    write_proxy(Derived("stranger.mov", None, stranger=clip(scene=5, take=70)), [], tmp_path / "mail")
    window = open_window(project)
    go(qtbot, window, "Pairs")
    folder_dialog(monkeypatch, tmp_path / "mail")
    qtbot.mouseClick(window.pairs.find_pairs, LEFT)
    offers = window.pairs.offers
    assert offers.stop.isVisible()
    qtbot.waitUntil(lambda: len(offers.model.rows) == 6, timeout=60_000)
    by_name = {row.path.name: row for row in offers.model.rows}
    assert (by_name["without a name.mov"].verdict, by_name["without a name.mov"].offset) == ("certain", 6)
    assert [by_name[f"S{n:03d}_mail.mov"].verdict for n in range(4)] == ["likely"] * 4
    assert by_name["stranger.mov"].becomes == "no match" and offers.take.text() == "Pair 1 file"
    number = next(n for n, row in enumerate(offers.model.rows) if row.verdict == "likely")
    at = offers.table.visualRect(offers.model.index(number, 1)).center()
    qtbot.mouseClick(offers.table.viewport(), LEFT, pos=at)
    assert "the same name without" in window.pairs.proof.reasons.text()
    qtbot.waitUntil(lambda: window.pairs.compare.shown is not None, timeout=10_000)  # both pictures are looked at
    qtbot.mouseClick(offers.yes, LEFT)
    qtbot.waitUntil(lambda: offers.take.text() == "Pair 5 files", timeout=5_000)  # the rest follows
    assert sorted(row.verdict for row in offers.model.rows if row.take) == ["certain"] * 4 + ["confirmed by you"]
    qtbot.mouseClick(offers.take, LEFT)
    assert window.pairs.upper.currentWidget() is window.pairs.table
    assert sorted(len(one.proxies) for one in window.work.session.project.clips) == [1] * 5
    key(qtbot, window, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert [len(one.proxies) for one in window.work.session.project.clips] == [0] * 5
    assert (tmp_path / "mail" / "S000_mail.mov").exists()


def test_the_ledger_is_searched_chosen_ordered_grouped_and_changed_for_many(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    window = open_window(film)
    go(qtbot, window, "Pairs")
    place = window.pairs
    whole = len(rows(window))
    assert whole == 11 and place.sums.text().startswith("11 clips")
    qtbot.mouseClick(place.search, LEFT)
    qtbot.keyClicks(place.search, "a001c")
    qtbot.waitUntil(lambda: {row.clip.name for row in rows(window)} == {"A001C001", "A001C002"}, timeout=3_000)
    assert place.sums.text().startswith("2 of 11 clips")
    place.search.clear()
    qtbot.waitUntil(lambda: len(rows(window)) == whole, timeout=3_000)
    header = place.table.horizontalHeader()
    qtbot.mouseClick(header.viewport(), LEFT, pos=QPoint(header.sectionPosition(4) + 20, 10))
    sizes = [row.clip.original.size for row in rows(window)]
    assert sizes == sorted(sizes)
    qtbot.mouseClick(header.viewport(), LEFT, pos=QPoint(header.sectionPosition(4) + 20, 10))
    assert [row.clip.original.size for row in rows(window)] == sizes[::-1]
    place.grouping.setCurrentText("by reel")
    groups = [row.title for row in place.model.rows if isinstance(row, Group)]
    assert any(title.startswith("A001: 2 clips") for title in groups) and len(rows(window)) == whole
    place.grouping.setCurrentText("not grouped")
    place.choice.setCurrentText("no proxy")
    assert rows(window) == []
    place.choice.setCurrentText("not proven")
    many = len(rows(window))
    place.table.setFocus()
    place.table.selectAll()
    trigger(window, f"Unpair {many}")
    assert sum(len(one.proxies) for one in window.work.session.project.clips) == 0
    window.command("undo")
    assert sum(len(one.proxies) for one in window.work.session.project.clips) == many == 8


def test_pictures_that_are_still_read_are_said_to_be(
    qtbot: QtBot, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(paired(tmp_path, [Derived("A000_p.mov", 0)]))
    go(qtbot, window, "Pairs")
    choose(qtbot, window, 0)
    compare = window.pairs.compare

    def said() -> bool:
        """Whether something is written in the upper right corner of the picture."""
        corner, picture = compare._frame().toRect().topRight(), compare.grab().toImage()
        places = [(corner.x() - x, corner.y() + y) for x in range(20, 110) for y in range(12, 28)]
        return any(picture.pixelColor(x, y).lightness() > 100 for x, y in places)

    with monkeypatch.context() as patched:
        patched.setattr(compare._twin, "ask", lambda *_wish: None)  # a drive that takes its time
        key(qtbot, window, Key.Key_D)
        assert compare.isVisible() and compare.shown is None and said()
    compare.show_frame(0)
    qtbot.waitUntil(lambda: compare.shown is not None, timeout=10_000)


def test_a_picture_whose_pair_is_no_longer_selected_is_named(
    qtbot: QtBot, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(paired(tmp_path, [Derived("A000_p.mov", 0)]))
    go(qtbot, window, "Pairs")
    place = window.pairs
    assert place.proof.state.text() == "No pair is selected."
    choose(qtbot, window, 0)
    qtbot.waitUntil(lambda: place.panel.loaded and "No pair" not in place.proof.state.text(), timeout=10_000)
    rect = place.table.visualRect(place.model.index(0, 1))
    qtbot.mouseClick(place.table.viewport(), LEFT, Qt.KeyboardModifier.ControlModifier, rect.center())
    assert place.proof.state.text() == "No pair is selected. The picture is of A000."


def test_both_pictures_under_a_divider_in_turns_and_their_difference(
    qtbot: QtBot, tmp_path: Path, open_window: Opener
) -> None:
    window = open_window(paired(tmp_path, [Derived("A000_p.mov", 0, trim=8, hard=True), Derived("A001_p.mov", 1)]))
    go(qtbot, window, "Pairs")
    choose(qtbot, window, 0)
    compare, panel = window.pairs.compare, window.pairs.panel
    key(qtbot, window, Key.Key_D)
    qtbot.waitUntil(lambda: compare.shown is not None and compare.shown.frame == 0, timeout=10_000)
    assert compare.shown is not None and compare.shown.proxy is None  # it begins later
    for _ in range(10):
        key(qtbot, window, Key.Key_Right)
    qtbot.waitUntil(lambda: compare.shown is not None and compare.shown.frame == 10, timeout=10_000)
    assert compare.shown.original is not None and compare.shown.proxy is not None
    assert compare.shown.original.shape[:2] == (108, 192) and compare.shown.proxy.shape[:2] == (54, 96)
    before = compare.divider
    key(qtbot, window, Key.Key_Left, ALT)
    assert compare.divider < before
    qtbot.mouseClick(compare, LEFT, pos=QPoint(compare.width() // 2, 40))
    assert compare.divider == pytest.approx(0.5, abs=0.02)
    key(qtbot, window, Key.Key_D)
    qtbot.waitUntil(lambda: compare.visible_side == "proxy", timeout=5_000)
    qtbot.waitUntil(lambda: compare.visible_side == "original", timeout=5_000)
    key(qtbot, window, Key.Key_D)
    qtbot.waitUntil(lambda: compare.shown is not None and compare.shown.difference is not None, timeout=10_000)
    assert compare.shown.difference is not None and compare.shown.difference[..., :3].max() > 20
    key(qtbot, window, Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    key(qtbot, window, Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    key(qtbot, window, Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert compare.zoom == 400
    centre = compare.centre.x()
    key(qtbot, window, Key.Key_Right, ALT | Qt.KeyboardModifier.ShiftModifier)
    assert compare.centre.x() > centre
    key(qtbot, window, Key.Key_D)
    qtbot.waitUntil(lambda: panel.viewer.picture is not None and panel.viewer.picture.frame == 10, timeout=10_000)


def test_a_doubtful_pair_says_what_is_wrong_and_is_mended_with_a_click(
    qtbot: QtBot, tmp_path: Path, open_window: Opener
) -> None:
    made = [Derived("A000_p.mov", 0, trim=1, timecode=False), Derived("A001_p.mov", 1)]
    project = paired(tmp_path, made)
    text = project.read_text()
    assert '"offset": 1' in text
    project.write_text(text.replace('"offset": 1', '"offset": 0'))  # as if somebody had paired it one frame off
    window = open_window(project)
    go(qtbot, window, "Pairs")
    window.pairs.table.selectAll()
    trigger(window, "Prove 2")
    qtbot.waitUntil(lambda: sorted(row.kind for row in rows(window)) == ["doubtful", "proven"], timeout=60_000)
    number = next(n for n, row in enumerate(rows(window)) if row.kind == "doubtful")
    choose(qtbot, window, number)
    panel = window.pairs.proof
    assert "1 frame early all along" in panel.reasons.text() and panel.buttons["offset"].text() == "Use offset 1"
    assert window.rail.buttons["Pairs"].waiting == 1
    qtbot.mouseClick(panel.buttons["offset"], LEFT)
    qtbot.waitUntil(lambda: [row.kind for row in rows(window)] == ["proven", "proven"], timeout=60_000)
    frame = panel.curve.curve[-1][0]
    qtbot.mouseClick(panel.curve, LEFT, pos=QPoint(panel.curve.width() - 8, 20))
    assert window.pairs.panel.player.position == frame > 0


def test_missing_files_are_shown_and_found_again(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    project = paired(tmp_path, [Derived("A000_p.mov", 0)])
    (tmp_path / "moved").mkdir()
    (tmp_path / "Boathouse" / "A000.mov").rename(tmp_path / "moved" / "other name.mov")
    window = open_window(project)
    go(qtbot, window, "Pairs")
    qtbot.waitUntil(lambda: rows(window)[0].kind == "original missing", timeout=10_000)
    choose(qtbot, window, 0)
    assert "Boathouse since 20" in window.pairs.proof.state.text()
    window.pairs.choice.setCurrentText("missing")
    assert [row.clip.name for row in rows(window)] == ["A000"]
    folder_dialog(monkeypatch, tmp_path / "moved")
    qtbot.mouseClick(window.pairs.find_files, LEFT)
    offers = window.pairs.offers
    qtbot.waitUntil(lambda: offers.take.isVisible() and offers.take.isEnabled(), timeout=20_000)
    assert offers.take.text() == "Use 1 found file" and "xxh128" in window.pairs.proof.reasons.text()
    qtbot.mouseClick(offers.take, LEFT)
    window.pairs.choice.setCurrentText("all pairs")
    qtbot.waitUntil(lambda: rows(window)[0].kind == "paired", timeout=10_000)
    original = window.work.session.project.clips[0].original.file
    assert window.work.session.project.path(original) == tmp_path / "moved" / "other name.mov"


def test_proxies_are_made_again_with_another_preset_and_removed_into_the_trash(
    qtbot: QtBot, film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("HOME", str(tmp_path))
    window = open_window(film)
    go(qtbot, window, "Pairs")
    number = next(n for n, row in enumerate(rows(window)) if row.clip.name == "PCK_0007")
    choose(qtbot, window, number)
    window.pairs.menu.aboutToShow.emit()
    action = next(
        action for action in window.pairs.menu.actions() if action.text().startswith("Make proxies of 1 with")
    )
    submenu = action.menu()
    assert submenu is not None
    next(one for one in submenu.actions() if one.text() == "Small files, quarter size").trigger()
    qtbot.waitUntil(lambda: len(rows(window)[number].clip.proxies) == 2, timeout=60_000)
    proxy = rows(window)[number].proxy
    assert proxy is not None and proxy.made
    path = window.work.session.project.path(proxy.file)
    assert path is not None and path.exists()
    qtbot.waitUntil(lambda: not window.work.desk.makes, timeout=10_000)

    def yes(box: QMessageBox) -> None:
        QTest.mouseClick(box.buttons()[0], LEFT)

    monkeypatch.setattr(QMessageBox, "exec", lambda box: yes(box))
    trigger(window, "Remove 1 proxy")
    qtbot.waitUntil(lambda: len(rows(window)[number].clip.proxies) == 1, timeout=10_000)
    assert not path.exists() and window.work.session.project.path(rows(window)[number].clip.original.file)
    originals = [window.work.session.project.path(one.original.file) for one in window.work.session.project.clips]
    assert all(one is not None and one.exists() for one in originals)
