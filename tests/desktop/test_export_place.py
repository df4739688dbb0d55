"""Films, the cut handed over and taken home, timeline settings: driven with clicks and keys."""

from __future__ import annotations

import threading
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from agile_shadow.core.film import FILM_SETTINGS, FilmPicture, FilmRequest, FilmSettings, read_certificate
from agile_shadow.core.handover import HandOver, hand_over
from agile_shadow.core.handover.plain import plain_timeline
from agile_shadow.core.helpers.suite import Suite
from agile_shadow.core.media import probe
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.timeline import Marker, append, remove
from agile_shadow.desktop.column_room import ColumnRoom
from agile_shadow.desktop.opening_timeline import MissingMediaDialog
from agile_shadow.desktop.places.export.handover_dialog import HandOverDialog
from agile_shadow.desktop.places.export.home_dialog import HomeDialog
from agile_shadow.desktop.places.export.settings_dialog import FilmSettingsDialog
from agile_shadow.desktop.window import MainWindow
from tests.desktop import surfaces
from tests.desktop.conftest import Opener
from tests.desktop.test_window import go
from tests.effects import named

LEFT = Qt.MouseButton.LeftButton


def with_cut(film: Path, *names: str) -> Project:
    """The project file with a cut of eight frames of each clip."""
    project = load_project(film)
    for name in names or ("A001C002", "00004", "00005"):
        clip = named(project, name)
        project = project.with_timeline_settings_of(clip)
        rate = clip.original.info.frame_rate
        project = project.but(timeline=append(project.timeline, clip.piece(2 / rate, 8 / rate)))
    save_project(project, film)
    return project


def small_settings() -> None:
    """Settings that make small films, kept in the library."""
    FILM_SETTINGS.save(FilmSettings(name="Small", picture=FilmPicture(width=320, height=180)))


def ready(qtbot: QtBot, window: MainWindow) -> None:
    """In Export, its check done, small settings chosen."""
    go(qtbot, window, "Export")
    window.export.card.chosen.setCurrentIndex(window.export.card.chosen.findText("Small"))
    qtbot.waitUntil(lambda: window.export.card.start.isEnabled(), timeout=20_000)


def test_no_film_is_offered_before_its_originals_were_looked_at(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    save_project(with_cut(film), film)
    window = open_window(film)
    card = window.export.card
    card.show_project(window.work.session.project)
    assert window.export.check is None and not card.start.isEnabled()
    go(qtbot, window, "Export")
    qtbot.waitUntil(card.start.isEnabled, timeout=20_000)
    assert window.export.check is not None and window.export.check.ready
    table, model = window.export.check_panel.table, window.export.check_panel.model
    window.resize(1024, 720)
    qtbot.waitUntil(lambda: table.width() < 560, timeout=5_000)
    model.set_rows([*model.rows, *(replace(row, clip="VID_20261012_093142", shelf="Boathouse by the quay",
                                           path="/long" * 60) for row in model.rows)])  # fmt: skip
    table.findChild(ColumnRoom).share()
    assert table.columnWidth(3) >= table.sizeHintForColumn(3)  # the result, whole
    assert table.model().index(0, 3).data() == "present, unchanged"


def test_three_films_and_a_draft_are_made_one_after_the_other(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    project = with_cut(film)
    save_project(project.but(timeline=replace(project.timeline, markers=(Marker(8, "a"), Marker(16, "b")))), film)
    small_settings()
    window = open_window(film)
    ready(qtbot, window)
    card, films = window.export.card, window.export.films
    card.stretch.setCurrentIndex(card.stretch.findData("each part between notes"))
    qtbot.mouseClick(card.start, LEFT)
    qtbot.waitUntil(lambda: len(films.runs) == 3, timeout=10_000)
    qtbot.waitUntil(lambda: any("waits until film" in films.model.columns[1].text(run) for run in films.runs) or
                    any(run.result is not None for run in films.runs), timeout=20_000)  # fmt: skip
    card.stretch.setCurrentIndex(0)
    qtbot.mouseClick(card.draft, LEFT, pos=card.draft.rect().center() - card.draft.rect().center() / 2)
    if not card.draft.isChecked():
        card.draft.click()
    assert card.start.text() == "Make the draft" and card.requests()[0].out.stem.endswith("draft")
    qtbot.mouseClick(card.start, LEFT)
    qtbot.waitUntil(lambda: len(films.runs) == 4 and all(run.result for run in films.runs), timeout=120_000)
    lengths = [probe(run.out).frames for run in films.runs]
    assert lengths == [8, 8, 8, 24]
    assert [read_certificate(run.out).draft for run in films.runs] == [False, False, False, True]
    begun = [run.board.pieces()[0].begun for run in films.runs]
    ended = [run.board.pieces()[0].ended for run in films.runs]
    assert all(one <= other for one, other in zip(ended, begun[1:], strict=False))
    assert "verified, 8 frames" in films.model.columns[1].text(films.runs[0])
    assert "times the film's" in films.model.columns[3].text(films.runs[3])


def test_a_film_is_estimated_and_one_that_waits_taken_back(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    with_cut(film)
    small_settings()
    window = open_window(film)
    ready(qtbot, window)
    card, films = window.export.card, window.export.films
    qtbot.mouseClick(card.estimate, LEFT)
    qtbot.waitUntil(lambda: card.estimated.text().startswith("About"), timeout=60_000)
    assert "by 24 pictures" in card.estimated.text() and card.estimate.isEnabled()
    card.chosen.setCurrentIndex(card.chosen.findText("ProRes 422"))  # takes longer than a press of a button
    qtbot.mouseClick(card.start, LEFT)
    card.chosen.setCurrentIndex(card.chosen.findText("Small"))
    card.out.setText(str(film.parent / "second.mp4"))
    qtbot.mouseClick(card.start, LEFT)
    qtbot.waitUntil(lambda: len(films.runs) == 2, timeout=10_000)
    assert [run.out.suffix for run in films.runs] == [".mov", ".mp4"]  # in the order they were asked for
    films.table.selectRow(1)
    qtbot.mouseClick(films.cancel, LEFT)
    qtbot.waitUntil(lambda: not window.work.desk.films, timeout=60_000)
    # a fast machine may have made it before the button was pressed: then it is there and told as finished
    assert (film.parent / "second.mp4").exists() == (films.runs[1].result is not None)
    assert films.runs[0].result is not None


def test_films_are_queued_in_the_order_they_were_asked_for(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    with_cut(film)
    small_settings()
    window = open_window(film)
    ready(qtbot, window)
    card, work, asked = window.export.card, window.work, threading.Event()
    queued: list[str] = []

    def film_of(request: FilmRequest) -> None:
        if request.out.name == "one.mp4":  # the first takes long to be put down
            assert asked.wait(20)
        queued.append(request.out.name)

    monkeypatch.setattr(work.desk, "film", film_of)
    for name in ("one.mp4", "two.mp4", "three.mp4"):
        card.out.setText(str(film.parent / name))
        qtbot.mouseClick(card.start, LEFT)
    asked.set()
    qtbot.waitUntil(lambda: len(queued) == 3, timeout=20_000)
    assert queued == ["one.mp4", "two.mp4", "three.mp4"]


def test_a_helper_is_asked_for_a_film_where_one_was_invited_and_what_stops_that_is_said(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    with_cut(film)
    small_settings()
    window = open_window(film)
    ready(qtbot, window)
    card, asked = window.export.card, list[FilmRequest]()
    monkeypatch.setattr(window.work.desk, "film", asked.append)
    assert not card.helpers.isEnabled() and "Storage, Helpers" in card.helpers.toolTip()
    Suite.of_this_user().invite("Edit 2", ("127.0.0.1",))
    go(qtbot, window, "Timeline")
    ready(qtbot, window)
    qtbot.keyClick(card.helpers, Qt.Key.Key_Space)
    assert card.helpers.isChecked()
    card.out.setText(str(film.parent.parent / "far" / "film.mp4"))
    assert card.where.isVisible() and "is on no shelf" in card.where.text()
    shelf = window.work.session.project.shelves[0]
    card.out.setText(str(shelf.root / "film.mp4"))
    assert not card.where.isVisible()
    qtbot.mouseClick(card.start, LEFT)
    qtbot.waitUntil(lambda: len(asked) == 1, timeout=20_000)
    assert asked[0].helpers and asked[0].out == shelf.root / "film.mp4"
    card.draft.click()
    assert "draft is made on this machine" in card.where.text()
    card.helpers.click()
    assert not card.where.isVisible() and not card.requests()[0].helpers


def test_film_settings_of_ones_own_are_checked_and_kept(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    with_cut(film)
    window = open_window(film)
    go(qtbot, window, "Export")
    card = window.export.card
    card.chosen.setCurrentIndex(card.chosen.findText("ProRes 422"))
    qtbot.mouseClick(card.change, LEFT)
    dialog = window.export.dialog
    assert isinstance(dialog, FilmSettingsDialog) and dialog.name.text() == "ProRes 422 2"
    assert dialog.save.isEnabled() and not dialog.remove.isVisible()
    dialog.name.setText("ProRes 422")
    assert not dialog.save.isEnabled() and "supplied" in dialog.says.text()
    dialog.name.setText("Square for the phone")
    fields = dialog._fields
    fields["file"].box.setCurrentIndex(fields["file"].box.findData("mp4"))
    assert fields["picture.format"].read() == "h264"  # what the file cannot hold is not on offer
    fields["picture.width"].tick.setChecked(True)
    fields["picture.width"].spin.setValue(721)
    assert not dialog.save.isEnabled() and "even numbers" in dialog.says.text()
    fields["picture.width"].spin.setValue(720)
    fields["picture.height"].spin.setValue(720)
    fields["sound.loudness"].tick.setChecked(True)
    qtbot.mouseClick(dialog.save, LEFT)
    assert card.chosen.currentText() == "Square for the phone" and "-23 LUFS" in card.description.text()
    kept = FILM_SETTINGS.find("Square for the phone")
    assert kept.picture is not None and (kept.picture.width, kept.picture.height) == (720, 720)


def test_the_cut_is_handed_over_with_what_is_left_out_said_before(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    with_cut(film, "A001C002", "PCK_0007")
    window = open_window(film)
    go(qtbot, window, "Export")
    qtbot.waitUntil(window.export.hand_over.isEnabled, timeout=20_000)
    qtbot.mouseClick(window.export.hand_over, LEFT)
    dialog = window.export.dialog
    assert isinstance(dialog, HandOverDialog)
    dialog.kind.setCurrentIndex(dialog.kind.findData("edl"))
    assert dialog.half.findData("both") < 0 and dialog.out.text().endswith(".edl")
    qtbot.waitUntil(lambda: "PCK_0007" in dialog.notes.toPlainText(), timeout=10_000)
    qtbot.mouseClick(dialog.write, LEFT)
    qtbot.waitUntil(lambda: dialog.said.text().startswith("Written"), timeout=30_000)
    assert len(list(film.parent.glob("*.edl"))) == 2
    dialog.out.setText("/proc/nowhere/cut.edl")
    qtbot.mouseClick(dialog.write, LEFT)
    qtbot.waitUntil(lambda: dialog.said.property("warned") is True, timeout=30_000)
    dialog.reject()


def test_a_timeline_comes_home_and_differences_are_taken_one_by_one(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = with_cut(film)
    line = remove(project.timeline, [project.timeline.pictures[0].blocks[1].id])
    line = append(line, named(project, "PCK_0007").piece(Fraction(0), Fraction(1, 2)))
    (back,) = hand_over(HandOver(project.but(timeline=line), "otio", film.parent / "back.otio")).paths
    window = open_window(film)
    go(qtbot, window, "Export")
    qtbot.mouseClick(window.export.bring_home, LEFT)
    dialog = window.export.dialog
    assert isinstance(dialog, HomeDialog) and not dialog.take_all.isEnabled() and not dialog.clip.isEnabled()
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_more: ([str(back)], ""))
    dialog._choose()
    qtbot.waitUntil(lambda: dialog.line is not None, timeout=30_000)
    kinds = [one.change for one in dialog.differences]
    assert sorted(set(kinds)) == ["added", "moved", "removed"] and not dialog.take_some.isEnabled()
    for number, one in enumerate(dialog.differences):
        if one.change == "removed":
            dialog.list.item(number).setCheckState(Qt.CheckState.Checked)
    qtbot.mouseClick(dialog.take_some, LEFT)
    qtbot.waitUntil(lambda: len(window.work.session.project.timeline.pictures[0].blocks) == 2, timeout=5_000)
    qtbot.waitUntil(lambda: all(one.change != "removed" for one in dialog.differences), timeout=10_000)
    assert window.work.session.undo_label == "Apply differences"
    qtbot.mouseClick(dialog.take_all, LEFT)
    names = [one.name for one in window.work.session.project.timelines]
    assert names == ["Timeline 1", "Timeline 1, home"]
    assert window.work.session.project.timeline.length == line.length
    window.export.open_home()
    dialog = window.export.dialog
    (film.parent / "noise.otio").write_text("nothing of the kind")
    assert isinstance(dialog, HomeDialog)
    dialog.read([film.parent / "noise.otio"])
    qtbot.waitUntil(lambda: "cannot be read as a timeline" in dialog.says.text(), timeout=30_000)
    dialog.reject()


def test_the_timeline_takes_the_size_of_the_originals_when_asked(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    project = with_cut(film, "A001C002")
    save_project(project.but(timeline=replace(project.timeline, width=320, height=180)), film)
    window = open_window(film)
    go(qtbot, window, "Export")
    panel = window.export.check_panel
    qtbot.waitUntil(lambda: panel.take_size.isVisible(), timeout=20_000)
    assert "960 x 540" in panel.findings.text() and not panel.look_for.isVisible()
    qtbot.mouseClick(panel.take_size, LEFT)
    line = window.work.session.project.timeline
    assert (line.width, line.height) == (960, 540)
    qtbot.waitUntil(lambda: not panel.take_size.isVisible(), timeout=20_000)


def test_a_gap_is_told_at_once_without_looking_at_the_originals_again(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    project = with_cut(film)
    window = open_window(film)
    go(qtbot, window, "Export")
    panel = window.export.check_panel
    qtbot.waitUntil(lambda: window.export.check is not None, timeout=20_000)
    assert "Nothing shows" not in panel.findings.text()
    number = window.export._number
    first, second, last = project.timeline.pictures[0].blocks
    row = replace(project.timeline.pictures[0], blocks=(first, replace(second, length=5), last))
    line = project.timeline.with_tracks(row)
    window.work.session.edit("Trim", lambda now: now.but(timeline=line))
    qtbot.waitUntil(lambda: "Nothing shows at 00:00:00:13" in panel.findings.text(), timeout=10_000)
    assert window.export._number == number


def test_timeline_settings_are_changed_and_told(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    with_cut(film)
    window = open_window(film)
    go(qtbot, window, "Timeline")
    place = window.timeline
    qtbot.mouseClick(place.lines.settings, LEFT)
    dialog = place.lines.dialog
    assert dialog is not None
    dialog.start.setText("01:00:00:00")
    dialog.start.textEdited.emit("01:00:00:00")
    dialog.rate.setCurrentIndex(dialog.rate.findText("30"))
    assert "between two frames" in dialog.says.text() and dialog.take.isEnabled()
    dialog.start.setText("01:00:00;00")
    dialog.start.textEdited.emit("01:00:00;00")
    assert "drop-frame" in dialog.says.text() and not dialog.take.isEnabled()
    dialog.rate.setCurrentIndex(dialog.rate.findText("29.97"))
    assert dialog.take.isEnabled()
    dialog.sound_rate.setCurrentIndex(dialog.sound_rate.findText("96 kHz"))
    qtbot.mouseClick(dialog.take, LEFT)
    line = window.work.session.project.timeline
    assert line.rate == Fraction(30000, 1001) and line.timecode(0) == "01:00:00;00" and line.drop
    assert line.sound_rate == 96_000
    assert "29.97" in place.lines.settings.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.work.session.project.timeline.rate == 25


def test_a_clip_is_chosen_by_hand_for_an_event_that_was_not_found(
    qtbot: QtBot, film: Path, open_window: Opener
) -> None:
    project = with_cut(film)
    made = plain_timeline(project, project.timeline, "original")
    made.metadata.clear()
    for clip in made.find_clips():
        clip.metadata.clear()
        if clip.name == "A001C002":
            clip.name = "shot one"
            clip.media_reference = otio.schema.MissingReference()
            clip.source_range = otio.opentime.TimeRange(
                otio.opentime.RationalTime(3, 25), otio.opentime.RationalTime(8, 25)
            )
    otio.adapters.write_to_file(made, str(film.parent / "elsewhere.otio"))
    window = open_window(film)
    go(qtbot, window, "Export")
    window.export.open_home()
    dialog = window.export.dialog
    assert isinstance(dialog, HomeDialog)
    dialog.read([film.parent / "elsewhere.otio"])
    qtbot.waitUntil(lambda: dialog.line is not None, timeout=30_000)
    assert dialog.model.rows[0].match.state == "not found" and "gap of 8 frames" in dialog.told.text()
    assert [one.change for one in dialog.differences if one.kind == "picture"] == ["removed"]
    dialog.table.selectRow(0)
    clip = named(project, "A001C002")
    dialog.clip.setCurrentIndex(dialog.clip.findData(clip.id))
    dialog.clip.activated.emit(dialog.clip.currentIndex())
    qtbot.waitUntil(lambda: dialog.model.rows[0].clip == "A001C002", timeout=10_000)
    assert dialog.model.rows[0].match.reasons == ("chosen by hand",)
    first = dialog.line.pictures[0].blocks[0]
    assert first.clip == clip.id and first.source_start == Fraction(3, 25)


def test_a_timeline_of_another_tool_is_opened_as_a_project(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = with_cut(film, "A001C002", "00004")
    made = plain_timeline(project, project.timeline, "original")
    made.metadata.clear()
    for clip in made.find_clips():
        clip.metadata.clear()
    otio.adapters.write_to_file(made, str(film.parent / "elsewhere.otio"))
    window = open_window(film)
    target = film.parent / "of it.otio"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_more: (str(target), ""))
    opened: list[Path] = []
    monkeypatch.setattr(window, "reopen", opened.append)
    window.project_menu.open_file(film.parent / "elsewhere.otio")
    qtbot.waitUntil(lambda: opened == [target], timeout=30_000)
    kept = load_project(target)
    assert [clip.name for clip in kept.clips] == ["A001C002", "00004"]
    assert [one.source_start for one in kept.timeline.pictures[0].blocks] == [
        one.source_start for one in project.timeline.pictures[0].blocks
    ]
    window.project_menu.open_file(film)  # a project is opened as it is
    qtbot.waitUntil(lambda: opened == [target, film], timeout=30_000)


def test_media_that_are_not_where_a_timeline_says_are_asked_for(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = with_cut(film, "A001C002", "00004")
    made = plain_timeline(project, project.timeline, "original")
    made.metadata.clear()
    for clip in made.find_clips():
        clip.metadata.clear()
        address = clip.media_reference.target_url
        clip.media_reference = otio.schema.ExternalReference(f"file:///elsewhere/{Path(address).name}")
    cut, target = film.parent / "elsewhere.otio", film.parent / "of it.otio"
    otio.adapters.write_to_file(made, str(cut))
    window = open_window(film)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_more: (str(target), ""))
    opened: list[Path] = []
    monkeypatch.setattr(window, "reopen", opened.append)
    window.project_menu.open_file(cut)
    qtbot.waitUntil(lambda: bool(window.findChildren(MissingMediaDialog)), timeout=30_000)
    dialog = window.findChild(MissingMediaDialog)
    assert isinstance(dialog, MissingMediaDialog)
    assert dialog.headline.text() == "2 of 2 media files not found" and not dialog.without.isEnabled()
    assert surfaces.faults_in_both_looks(dialog) == []
    assert [dialog.missing.item(row).text() for row in range(2)] == ["A001C002", "00004"]

    def search(folder: Path) -> None:
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_more: str(folder))
        qtbot.mouseClick(dialog.search, LEFT)

    search(film.parent / "Nowhere")
    qtbot.waitUntil(lambda: "is not a folder" in dialog.notes.text(), timeout=20_000)
    original = project.path(named(project, "A001C002").original.file)
    assert original is not None and dialog.search.isEnabled()
    search(original.parent)
    qtbot.waitUntil(lambda: dialog.headline.text() == "1 of 2 media files not found", timeout=20_000)
    assert dialog.without.isEnabled() and not target.exists()
    search(film.parent / "Boathouse")
    qtbot.waitUntil(lambda: opened == [target], timeout=30_000)
    assert not dialog.isVisible() and [clip.name for clip in load_project(target).clips] == ["A001C002", "00004"]


def test_an_edit_list_is_kept_before_a_pair_is_parted(qtbot: QtBot, film: Path, open_window: Opener) -> None:
    with_cut(film)
    window = open_window(film)
    go(qtbot, window, "Pairs")
    window.pairs.table.selectRow(0)
    window.pairs.doing_with.unpair()
    folder = film.with_name("The Tern Ferry - edit lists")
    qtbot.waitUntil(lambda: len(list(folder.rglob("*.edl"))) == 2, timeout=10_000)
