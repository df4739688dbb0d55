"""The Presets place: every field by keyboard, the numbers beside it, trials, import and export."""

from __future__ import annotations

import json
import time
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog, QInputDialog, QSpinBox
from pytestqt.qtbot import QtBot

from agile_shadow.core.estimates import kinds_of
from agile_shadow.core.presets import CODECS, find_preset, list_presets, preset_text
from agile_shadow.core.project import ProjectSession, load_project, standing_preset
from agile_shadow.desktop.fields import Amount, DayTime, OneOf, Patterns, ShelfName, Text, Tick
from agile_shadow.desktop.measuring import samples_in
from agile_shadow.desktop.places.presets.sizes import SizeField
from agile_shadow.desktop.window import MainWindow
from agile_shadow.stand_ins import CLIPS
from tests.conftest import hashes
from tests.core.test_ingest import cli
from tests.core.test_originals_of_all_kinds import slope_cube
from tests.desktop import surfaces
from tests.desktop.conftest import Opener

SMALL = "Small files, quarter size"
BETTER = "Better picture, half size"

Key = Qt.Key
CONTROL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def opened(qtbot: QtBot, window: MainWindow) -> MainWindow:
    qtbot.keyClick(window, Key.Key_1, ALT)
    qtbot.waitUntil(window.presets.isVisible)
    return window


def choose(qtbot: QtBot, box: QComboBox, data: Any) -> None:
    """By arrow keys, as a person without a mouse."""
    box.setFocus()
    assert box.hasFocus()
    wanted = box.findData(data)
    assert wanted >= 0
    while box.currentIndex() != wanted:
        qtbot.keyClick(box, Key.Key_Down if box.currentIndex() < wanted else Key.Key_Up)


def type_in(qtbot: QtBot, widget: Any, text: str) -> None:
    widget.setFocus()
    widget.selectAll()
    qtbot.keyClick(widget, Key.Key_Delete)
    qtbot.keyClicks(widget, text)
    qtbot.keyClick(widget, Key.Key_Tab)


def tick(qtbot: QtBot, box: Any, on: bool) -> None:
    box.setFocus()
    if box.isChecked() != on:
        qtbot.keyClick(box, Key.Key_Space)


def set_field(qtbot: QtBot, window: MainWindow, path: str, value: Any) -> None:
    field = window.presets.sentence.make if path == "proxies.make" else window.presets.sentence.fields[path]
    if isinstance(field, OneOf):
        choose(qtbot, field.box, value)
    elif isinstance(field, Tick):
        tick(qtbot, field.box, value)
    elif isinstance(field, Patterns):
        type_in(qtbot, field.edit, "; ".join(value))
    elif isinstance(field, Text):
        type_in(qtbot, field.edit, value)
    elif isinstance(field, ShelfName):
        type_in(qtbot, field.box.lineEdit(), value)
    elif isinstance(field, DayTime):
        field.edit.setFocus()
        qtbot.keyClicks(field.edit, value)
    elif isinstance(field, SizeField):
        choose(qtbot, field.box, value)
    elif isinstance(field, Amount):
        if field.tick is not None:
            tick(qtbot, field.tick, value is not None)
        if value is not None:
            type_in(qtbot, field.spin, str(value))


WANTED: dict[str, dict[str, Any]] = {
    "takes": {
        "video": True, "sequences": False, "stills": False, "sound": True, "longer_than": 0.5,
        "leave_out": ["*_TEST*", "TRASH/*"], "skip_known": False, "sequence_rate": "24/1",
        "join_parts": False, "small_copies": False,
    },
    "originals": {
        "do": "copy", "shelf": "Boathouse", "second_copy": True, "second_shelf": "Attic", "checksum": "md5",
        "manifest": True, "folders": "pattern", "folder_pattern": "{camera}/{date}",
        "name_pattern": "{counter:3}_{name}", "on_clash": "tell",
    },
    "proxies": {
        "make": "where-needed", "headroom_below": 99.5, "larger_than": 200, "stills_over": 12, "scale": "1/2",
        "height": None,
        "codec": "h264", "quality": "fine", "megabits": None, "sound": "stereo", "place": "project",
        "folder": "Light/{reel}", "name_pattern": "{name}_lo", "second_copy": True,
    },
    "when": {
        "start": "at-once", "from_time": "22:00", "only_on_mains": False, "at_a_time": 2, "give_way": False,
        "at_end": "sound", "keep_awake": False,
    },
}  # fmt: skip


def test_a_measurement_that_stood_still_is_made_again(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = open_window(film)
    measuring = window.measuring
    measuring.want_headrooms(window.work.session.project)
    wanted = measuring.waiting
    measuring.start()
    qtbot.waitUntil(lambda: bool(measuring.now) and 0 < measuring.part < 0.9, timeout=20_000)
    measuring.stand_still()  # as when the user plays something, for about three seconds
    qtbot.waitUntil(lambda: not measuring.now and not measuring.waiting, timeout=60_000)
    found = measuring.kept.all_of("headroom")
    assert len(found) == wanted == 8 and all(one.value["seconds"] < 2.9 for one in found.values())


def test_every_field_is_set_by_keyboard_and_runs_the_same_elsewhere(
    qtbot: QtBot, film: Path, card: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    for plan in CLIPS[3:]:
        (card / plan.path).unlink()
    window = opened(qtbot, open_window(film))
    place, sentence = window.presets, window.presets.sentence
    (tmp_path / "warm.cube").write_bytes(slope_cube(lambda rgb: rgb * np.array([1, 0.9, 0.8])))
    Image.new("RGBA", (40, 20), (200, 30, 30, 255)).save(tmp_path / "badge.png")
    type_in(qtbot, place.name, "All at once")
    for button in sentence.more.values():
        tick(qtbot, button, True)
    for part, values in WANTED.items():
        for name, value in values.items():
            if name not in ("height", "megabits") and (part, name) != ("when", "from_time"):
                set_field(qtbot, window, f"{part}.{name}", value)
    for number, (kind, text) in enumerate((("timecode", ""), ("text", "{reel} {name}"), ("picture", ""))):
        sentence.marks.add.setFocus()
        qtbot.keyClick(sentence.marks.add, Key.Key_Space)
        choose(qtbot, sentence.marks.kind.box, kind)
        if text:
            type_in(qtbot, sentence.marks.text.edit, text)
        type_in(qtbot, sentence.marks.across.spin, str(20 * number))
        type_in(qtbot, sentence.marks.down.spin, "90")
        type_in(qtbot, sentence.marks.height_of.spin, "10")
        type_in(qtbot, sentence.marks.opacity.spin, "70")
    answers = iter([tmp_path / "badge.png", tmp_path / "warm.cube", tmp_path / "mine.json"])
    for ask in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, ask, lambda *_a, **_k: (str(next(answers)), ""))
    for button in (sentence.marks.picture.button, sentence.lut.button):
        button.setFocus()
        qtbot.keyClick(button, Key.Key_Space)
    preset = place.preset()
    values = preset.to_json()
    for part, wanted in WANTED.items():
        assert {name: values[part][name] for name in wanted} == wanted
    assert values["proxies"]["lut"]["name"] == "warm.cube"
    assert [mark["kind"] for mark in values["proxies"]["marks"]] == ["timecode", "text", "picture"]
    assert [(m["x"], m["y"], m["size"], m["opacity"]) for m in values["proxies"]["marks"]][1] == (0.2, 0.9, 0.1, 0.7)
    assert [label.split(" (")[0] for label in (sentence.marks.list.itemText(1),)] == ["2: {reel} {name}"]

    for button in (place.save, place.library.export):
        button.setFocus()
        qtbot.keyClick(button, Key.Key_Space)
    window.close()
    assert (tmp_path / "mine.json").read_text() == preset_text(preset) == preset_text(find_preset("All at once"))
    made = [_run_elsewhere(tmp_path, card, name, monkeypatch) for name in ("one", "two")]
    assert made[0] == made[1] and len(made[0]) == 3


def _run_elsewhere(tmp_path: Path, card: Path, name: str, monkeypatch: pytest.MonkeyPatch) -> dict[str, str]:
    """Import the exported file with a new profile and run it from the command line; the proxies' hashes."""
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(tmp_path / name / "profile"))
    assert cli("presets", "import", tmp_path / "mine.json")[0] == 0
    assert preset_text(find_preset("All at once")) == (tmp_path / "mine.json").read_text()
    folder = tmp_path / name / "film"
    report = cli("ingest", card, "--preset", "All at once", "--project", folder / "p.otio", "--originals", folder / "o",
                 "--proxies", folder / "p", "--second", folder / "s")[1]  # fmt: skip
    assert report["paired"] == 3
    return hashes(folder / "Light")


def test_there_is_a_widget_for_every_field_of_the_file(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    sentence = window.presets.sentence
    shown = {*sentence.fields, sentence.make.path, sentence.marks.path, "proxies.height"}
    for preset in list_presets():
        values = preset.to_json()
        there = {f"{part}.{name}" for part in WANTED for name in values[part] or ()}
        assert there <= shown
        window.presets.library.choose(preset.name)
        assert preset_text(window.presets.preset()) == preset_text(preset)  # shown and read back, nothing is lost


def test_hidden_choices_and_wrong_ones_are_told(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    set_field(qtbot, window, "originals.do", "leave")
    set_field(qtbot, window, "proxies.place", "beside")
    assert "written onto it" in place.message.text() and not place.save.isEnabled() and not place.use.isEnabled()
    set_field(qtbot, window, "originals.do", "copy")
    type_in(qtbot, place.sentence.fields["proxies.folder"].edit, "")
    assert "folder and the name of their originals" in place.message.text()
    type_in(qtbot, place.sentence.fields["proxies.folder"].edit, "Light")
    assert place.save.isEnabled()
    type_in(qtbot, place.name, " ")
    assert "name" in place.message.text() and not place.save.isEnabled()
    place.suggest.click()
    assert place.name.text() == "Quarter DNxHR LB"
    assert "Unsaved changes" in place.message.text()


def test_the_standing_preset_of_a_project_and_of_new_ones(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener
) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    place.library.choose(SMALL)
    choose(qtbot, place.sentence.frame_size.box, "1/3")
    place.use.setFocus()
    qtbot.keyClick(place.use, Key.Key_Space)
    chosen = window.work.session.project.preset
    assert chosen is not None and chosen.proxies is not None and chosen.proxies.scale == Fraction(1, 3)
    assert window.ingest.card.preset.currentText() == SMALL and window.ingest.card.chosen_preset() == chosen
    tick(qtbot, place.for_new, True)
    new = open_window(tmp_path / "next" / "p.otio")
    assert new.work.session.project.preset == standing_preset() == chosen


def test_the_standing_preset_runs_by_itself_on_what_is_brought_in(
    qtbot: QtBot, film: Path, card: Path, open_window: Opener
) -> None:
    window = open_window(film)
    window.work.session.edit("x", lambda project: project.but(preset=find_preset(SMALL)))
    window.ingest.card.reload_presets()
    qtbot.mouseClick(window.ingest.card.by_itself, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert window.work.session.project.cut.by_itself
    clips = len(window.work.session.project.clips)
    for plan in CLIPS[3:]:
        (card / plan.path).unlink()
    window.ingest.bring_in(card)
    qtbot.waitUntil(lambda: window.work.last_report is not None, timeout=60_000)
    assert window.work.last_report is not None and window.work.last_report.here_already == 6
    assert len(window.work.session.project.clips) == clips


def test_numbers_stand_beside_it_and_change_at_once(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place, outlook = window.presets, window.presets.outlook
    kinds = kinds_of(samples_in(window.work.session.project))
    assert outlook.table.rowCount() == len(kinds) == 6
    choose(qtbot, place.sentence.fields["proxies.codec"].box, "h264")
    assert "not measured" in outlook.table.item(0, 3).text()
    choose(qtbot, place.sentence.frame_size.box, "1/2")
    assert outlook.table.item(0, 1).text() == "664 x 372\nexact shape"
    begun = time.perf_counter()
    place._changed()
    assert time.perf_counter() - begun < 1  # the bench has the figure; here only that nothing is decoded for it
    window.measuring.want_headrooms(window.work.session.project)
    window.measuring.start()
    qtbot.waitUntil(lambda: "h per hour" in outlook.table.item(0, 3).text(), timeout=60_000)
    qtbot.waitUntil(lambda: window.measuring.waiting == 0 and not window.measuring.now, timeout=60_000)
    assert "to" in outlook.table.item(0, 2).text() and "x to" in outlook.table.item(0, 3).text()
    assert "clips need no proxy on this machine" in outlook.need.text()
    place.tabs.setCurrentIndex(1)
    assert "Not measured yet" in place.plot.says.text()
    qtbot.mouseClick(place.plot.measure, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(place.plot.points) > 20, timeout=60_000)
    point = next(p for p in place.plot.points if (p.data().codec, p.data().scale) == ("mjpeg", "1/2"))
    place.plot._items["mjpeg"].sigClicked.emit(place.plot._items["mjpeg"], [point], None)
    wanted = place.preset().proxies
    assert wanted is not None and (wanted.codec, wanted.scale) == ("mjpeg", Fraction(1, 2))


def test_marks_are_dragged_on_the_live_picture(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    qtbot.mouseClick(place.sentence.marks.add, Qt.MouseButton.LeftButton)
    picture = place.picture
    qtbot.waitUntil(lambda: picture._image is not None and len(picture.boxes) == 1, timeout=20_000)
    before = picture.box_rect(picture.boxes[0])
    grip = before.center().toPoint()
    qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=grip)
    for step in range(1, 6):
        qtbot.mouseMove(picture, grip + QPoint(12 * step, -8 * step))
    qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=grip + QPoint(60, -40))
    after = picture.box_rect(picture.boxes[0])
    assert abs(after.x() - before.x() - 60) < 6 and abs(before.y() - after.y() - 40) < 6
    wanted = place.preset().proxies
    assert wanted is not None and 0 < wanted.marks[0].x < 1 and 0 < wanted.marks[0].y < 1


def test_a_trial_is_made_looked_at_and_taken_over(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    place.trial.setFocus()
    qtbot.keyClick(place.trial, Key.Key_Space)
    dialog = place.trial_dialog
    dialog.clip.setCurrentIndex(next(n for n, s in enumerate(dialog.samples) if s.path.stem == "A001C002"))
    dialog.choices[1].setCurrentText(SMALL)
    dialog.choices[2].setCurrentText(BETTER)
    spin = dialog.seconds
    spin.setValue(0.4)
    qtbot.mouseClick(dialog.start, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(dialog.results) == 3 and all(p.shows for p in dialog.panes), timeout=60_000)
    by_name = {result.preset: result for result in dialog.results}
    assert by_name[BETTER].likeness > by_name[SMALL].likeness > 0.5
    assert "headroom" in dialog.facts[2].text() and "likeness" in dialog.facts[2].text()
    assert surfaces.faults_in_both_looks(dialog) == []
    dialog.zoom.setCurrentIndex(2)
    pane = dialog.panes[1]
    there = QPointF(pane.width() / 4, pane.height() / 2)
    none = Qt.MouseButton.NoButton
    moved = QMouseEvent(
        QEvent.Type.MouseMove, there, pane.mapToGlobal(there), none, none, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(pane, moved)
    qtbot.waitUntil(lambda: all(abs(other.centre.x() - 0.25) < 0.02 for other in dialog.panes))
    assert all(other.zoom == 4 for other in dialog.panes)
    qtbot.mouseClick(dialog.buttons[1], Qt.MouseButton.LeftButton)
    assert place.name.text() == SMALL and place.preset() == find_preset(SMALL)
    qtbot.waitUntil(lambda: not dialog._folder.exists(), timeout=20_000)


def test_the_library_is_kept_by_keyboard(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = opened(qtbot, open_window(film))
    library = window.presets.library
    library.choose(SMALL)
    assert not library.rename.isEnabled() and not library.remove.isEnabled()
    library.duplicate.setFocus()
    qtbot.keyClick(library.duplicate, Key.Key_Space)
    assert "Small files, quarter size 2" in library.names and library.rename.isEnabled()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Tired evening", True))
    library.rename.setFocus()
    qtbot.keyClick(library.rename, Key.Key_Space)
    assert find_preset("tired evening").name == "Tired evening"
    broken = tmp_path / "broken.json"
    broken.write_text(json.dumps({**find_preset("Everyday, quarter size").to_json(), "version": 9}))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(broken), ""))
    qtbot.mouseClick(library.import_, Qt.MouseButton.LeftButton)
    assert "newer version (9)" in window.presets.message.text()
    library.choose("Tired evening")
    library.remove.setFocus()
    qtbot.keyClick(library.remove, Key.Key_Space)
    assert "Tired evening" not in library.names


def test_a_moved_shelf_is_found_again_by_itself(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    (film.parent / "Laptop").rename(film.parent / "Old laptop")
    window = open_window(film)
    shelf = next(shelf for shelf in load_project(film).shelves if shelf.role == "proxies")
    qtbot.waitUntil(lambda: window.work.session.project.shelf(shelf.id) != shelf, timeout=10_000)
    moved = window.work.session.project.shelf(shelf.id)
    assert moved is not None and moved.root == film.parent / "Old laptop"
    qtbot.keyClick(window, Key.Key_6, ALT)
    storage = window.storage
    qtbot.waitUntil(lambda: len(storage.rows) == 2, timeout=10_000)
    assert "free" in storage.shelf.says.text()
    storage.add_shelf(film.parent / "Attic", "second copies")
    qtbot.waitUntil(lambda: len(storage.rows) == 3, timeout=10_000)
    attic = next(row.state.shelf for row in storage.rows if row.state.shelf.name == "Attic")
    storage.choose(attic.id)
    qtbot.waitUntil(lambda: storage.shelf.name.text() == "Attic")
    tick(qtbot, storage.shelf.for_all, True)
    qtbot.waitUntil(lambda: len(storage.rows) == 3 and any(row.for_all for row in storage.rows))


def test_a_ready_made_project_begins_the_next_one(
    qtbot: QtBot, film: Path, tmp_path: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(film)
    preset = find_preset(BETTER)
    window.work.session.edit("x", lambda project: project.but(preset=preset))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Ferry days", True))
    window.project_menu.keep_as_ready_made()
    qtbot.waitUntil(lambda: "Ferry days" in window.notice.text(), timeout=10_000)
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_a, **_k: ("Ferry days", True))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "next.otio"), ""))
    window.project_menu.new_from_ready_made()
    assert window.reopen_with == tmp_path / "next.otio" and window.ready_made == "Ferry days"

    session = ProjectSession.open(window.reopen_with, window.ready_made)
    session.close()
    project = load_project(tmp_path / "next.otio")
    assert project.preset == preset and project.clips == () and project.name == "next"
    assert [shelf.name for shelf in project.shelves] == ["Boathouse", "Laptop"]


def test_codecs_show_only_what_they_can_be_told(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    fields = window.presets.sentence.fields
    for codec in CODECS:
        choose(qtbot, fields["proxies.codec"].box, codec.name)
        assert fields["proxies.quality"].isVisible() is codec.has_quality
        assert fields["proxies.megabits"].isVisible() is codec.has_rate
        assert isinstance(window.presets.sentence.frame_size.lines, QSpinBox)
        wanted = window.presets.preset().proxies
        assert wanted is not None and wanted.codec == codec.name


def test_the_tab_key_alone_reaches_every_field(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    for button in place.sentence.more.values():
        button.setChecked(True)
    qtbot.mouseClick(place.sentence.marks.add, Qt.MouseButton.LeftButton)
    place.list.setFocus()
    reached = set()
    for _ in range(140):
        qtbot.keyClick(QApplication.focusWidget(), Key.Key_Tab)
        reached.add(QApplication.focusWidget())
    fields = [*place.sentence.fields.values(), place.sentence.make, *place.sentence.marks.fields]
    missed = [field.path for field in fields if field.isVisible() and field.focusProxy() not in reached]
    assert missed == []
    assert {
        place.save,
        place.use,
        place.trial,
        place.suggest,
        place.library.duplicate,
        place.sentence.marks.add,
    } <= reached


def test_lines_data_rate_and_the_hour_of_the_night_by_keyboard(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    window = opened(qtbot, open_window(film))
    place = window.presets
    for path, value in (
        ("proxies.scale", "lines"), ("proxies.codec", "h264-intra"), ("proxies.megabits", 6.5),
        ("when.start", "at-night"), ("when.from_time", "2130"), ("when.only_on_mains", True),
    ):  # fmt: skip
        set_field(qtbot, window, path, value)
    type_in(qtbot, place.sentence.frame_size.lines, "480")
    preset = place.preset()
    assert preset.proxies is not None
    assert (preset.proxies.height, preset.proxies.scale, preset.proxies.megabits) == (480, None, 6.5)
    assert (preset.when.start, preset.when.from_time, preset.when.only_on_mains) == ("at-night", "21:30", True)
