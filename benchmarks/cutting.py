"""Cutting on proxies, measured in the real window: playing, scrubbing, the switch, a large project, starting."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtTest import QTest
from tests.effects import best_shift, luma, reduced, with_everything

from agile_shadow.core import timeline as edits
from agile_shadow.core.compositing import Compositor, Window, picture_steps
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import FrameReader, fit_rectangle, to_bgra
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import Clip, Project, ProjectSession, load_project, save_project
from agile_shadow.core.switch import Presence
from agile_shadow.core.timeline import Block, Effects, Placement, Timeline
from agile_shadow.core.upkeep.making import make_request
from agile_shadow.desktop.folders import Folders
from agile_shadow.desktop.starting import make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from footage import demo_card
from ledger import big_project
from window import Stretch, pause, until

Line = tuple[str, float, float, str]
_IN_TURN = 10  # frames
_SECONDS = 30  # that are played, as a rule
_SEEKS = 60
_START = """
import sys, time
begun = float(sys.argv[2])
from pathlib import Path
from PySide6.QtCore import QTimer
from agile_shadow.desktop.starting import make_app, open_window
app = make_app(["bench"])
window = open_window(Path(sys.argv[1]))
window.show()
def told():
    print(time.time() - begun, flush=True)
    window.close()
    app.quit()
QTimer.singleShot(0, told)
app.exec()
"""


def ingested(folder: Path, codec: str) -> Path:
    """A project whose clips have quarter-size proxies of a codec."""
    path = folder / codec / "The Tern Ferry.otio"
    preset = Preset(name=codec, originals=Originals(do="leave"), proxies=Proxies(scale=Fraction(1, 4), codec=codec))
    session = ProjectSession.open(path)
    IngestRun(IngestRequest(demo_card(), path.parent / "O", path.parent / "P", preset), session, JobStore()).run()
    session.close()
    return path


def named(project: Project, name: str) -> Clip:
    """A clip by its name."""
    return next(clip for clip in project.clips if clip.name == name)


def one_layer(project: Project, names: tuple[str, ...]) -> Timeline:
    """Clips one after another, for half a minute."""
    project = project.with_timeline_settings_of(named(project, names[0]))
    line, number = project.timeline, 0
    while line.length < (_SECONDS + 2) * line.rate:
        line = edits.append(line, named(project, names[number % len(names)]).piece(Fraction(1, 4), Fraction(2)))
        number += 1
    return line


def three_layers(project: Project) -> Timeline:
    """The same with a dissolve at each cut, and two smaller pictures above."""
    line = one_layer(project, ("A001C002", "A001C001", "00004"))
    for block in line.pictures[0].blocks[1:]:
        line = edits.with_dissolve(line, block.id, 20)
    for number, (name, place) in enumerate(
        (("PCK_0007", Placement(scale=0.4, x=0.25, y=-0.2)), ("PCK_0008", Placement(scale=0.35, x=-0.25, rotation=4)))
    ):
        line = edits.add_track(line, "picture")
        track = line.pictures[number + 1].id
        while (end := line.track(track).end) < line.pictures[0].end:  # type: ignore[union-attr]
            line = edits.overwrite(
                line, named(project, name).piece(Fraction(0), Fraction(3)), end, edits.Targets(track)
            )
        ids = [block.id for block in line.track(track).blocks]  # type: ignore[union-attr]
        line = edits.with_effects(line, ids, lambda _old, place=place: Effects(place))
    return line


def measure_cutting(folder: Path, seconds: int = _SECONDS) -> Iterator[Line]:
    """What, value, wanted, unit of each measurement."""
    app = make_app(["bench"])
    intra, groups = ingested(folder, "dnxhr-lb"), ingested(folder, "h264")
    work = Work(ProjectSession.open(intra))
    window = MainWindow(work, Folders(None, folder, folder, folder), False, False)
    window.resize(1280, 800)
    window.show()
    window.command("place_4")
    pause(0.5)
    watch = Stretch()
    first = load_project(intra)
    yield from _first_pictures(window)
    yield from _plays(window, first, seconds)
    yield from _scrubs(window, first, "intra proxies", 25, 1.5)
    yield from _switch(window)
    yield "memory of the window while cutting", watch.memory, 900, " MB"
    watch.stop()
    window.close()
    work = Work(ProjectSession.open(groups))
    window = MainWindow(work, Folders(None, folder, folder, folder), False, False)
    window.resize(1280, 800)
    window.show()
    window.command("place_4")
    until(lambda: len(window.places.all_places()) == 6, 60)  # what the window does by itself after it came
    pause(3)
    yield from _scrubs(window, load_project(groups), "short groups", 45, 1.3)
    window.close()
    app.processEvents()
    yield from _starts(intra)


def _show(window: MainWindow, line: Timeline, side: str) -> None:
    window.work.session.edit("bench", lambda now: now.but(timeline=line, showing=side))  # type: ignore[arg-type]
    window.timeline._sought(0)
    until(lambda: window.timeline.panel.viewer.picture is not None and _here(window), 20)


def _here(window: MainWindow) -> bool:
    panel = window.timeline.panel
    picture = panel.viewer.picture
    return picture is not None and picture.frame == panel.player.position and not panel.viewer._awaited


def _plays(window: MainWindow, project: Project, seconds: int) -> Iterator[Line]:
    for what, line, beside in (
        ("one layer at 25", one_layer(project, ("A001C002", "A001C001", "00004", "00005")), False),
        ("one layer at 50, a proxy being made", one_layer(project, ("PCK_0007", "PCK_0008")), True),
        ("three layers with dissolves at 25", three_layers(project), False),
    ):
        _show(window, line, "proxies")
        panel = window.timeline.panel
        if beside:
            _make_beside(window, project)
        QTest.keyClick(window, Qt.Key.Key_Space)
        pause(seconds)
        reading = panel.player.meter()
        panel.halt()
        assert reading is not None
        yield f"late of {reading.frames} frames in {seconds} s, {what}", reading.late, 0, ""
        for run in window.work.desk.makes:
            run.stop(for_good=True)
        until(lambda: not window.work.desk.runs, 60)
    yield "three layers with dissolves, drawn as fast as it goes: times real time", -_headroom(project, line), -1.5, ""


def _make_beside(window: MainWindow, project: Project) -> None:
    """A worker of the window's own begins a proxy of a heavy clip."""
    preset = Preset(name="Beside", proxies=Proxies(scale=Fraction(1, 2), place="project"))
    clips = tuple(named(project, name).id for name in ("A001C002", "A001C001"))
    window.work.asked.make(make_request(window.work.session.project, window.work.session.path.parent, clips, preset))
    until(lambda: any(run.progress()[2] > 0 for run in window.work.desk.makes), 60)


def _headroom(project: Project, line: Timeline) -> float:
    """How many times real time ten seconds are drawn at the viewer's size, by one thread of the player's kind."""
    compositor, count = Compositor(Presence(), 8), int(10 * line.rate)
    project, size = project.but(timeline=line, showing="proxies"), Window.all_of((960, 540))
    aspect = Fraction(line.width, line.height)
    compositor.picture(project, picture_steps(line, 0), aspect, size)
    begun = time.perf_counter()
    for frame in range(1, count + 1):
        compositor.picture(project, picture_steps(line, frame), aspect, size)
    took = time.perf_counter() - begun
    compositor.close()
    return float(count / line.rate) / took


def _scrubs(window: MainWindow, project: Project, what: str, wanted: float, ratio: float) -> Iterator[Line]:
    """From the request to the picture on screen, and the same frames by the bare reader."""
    line = one_layer(project, ("A001C002", "A001C001", "PCK_0007"))
    _show(window, line, "proxies")
    panel, random = window.timeline.panel, np.random.default_rng(1)
    frames = [int(n) for n in random.integers(0, 150, _SEEKS)]
    readers: dict[str, FrameReader] = {}
    taken: list[float] = []
    bare: list[float] = []
    view = panel.viewer.width(), panel.viewer.height()
    for first in range(0, len(frames), _IN_TURN):  # in turns, for the machine's pace changes within seconds
        part = frames[first : first + _IN_TURN]
        taken += [_scrubbed(window, frame) for frame in part]
        pause(0.3)  # what the hand leaves to do when it rests
        bare += _bare(project, line, part, view, readers)
    late = float(np.percentile(taken, 95))
    yield f"scrub to picture, {what}, 95th percentile", late, wanted, " ms"
    yield f"the same against bare seek and convert, {what}", late / float(np.percentile(bare, 95)), ratio, ""
    yield f"the same, median, {what}", float(np.median(taken) / np.median(bare)), ratio, ""


def _scrubbed(window: MainWindow, frame: int) -> float:
    """Milliseconds from the request until the picture is painted, which is told after it."""
    panel, loop = window.timeline.panel, QEventLoop()
    ended: list[float] = []

    def came() -> None:
        if _here(window) and not ended:
            ended.append(time.perf_counter())
            loop.quit()

    panel.picture_came.connect(came)
    limit = QTimer()
    limit.timeout.connect(loop.quit)
    limit.start(10_000)
    begun = time.perf_counter()
    panel.seek(frame)
    loop.exec()
    panel.picture_came.disconnect(came)
    return 1000 * ((ended[0] if ended else time.perf_counter()) - begun)


def _bare(
    project: Project, line: Timeline, frames: list[int], view: tuple[int, int], readers: dict[str, FrameReader]
) -> list[float]:
    taken = []
    place = fit_rectangle(Fraction(line.width, line.height), *view)
    for frame in frames:
        block = line.pictures[0].block_at(frame)
        assert block is not None
        clip = project.clip(block.clip)
        assert clip is not None
        path = project.path(clip.proxies[-1].file)
        assert path is not None
        reader = readers.setdefault(block.clip, FrameReader(path)) if block.clip not in readers else readers[block.clip]
        begun = time.perf_counter()
        decoded = reader.frame(reader.index.frame_at(block.moment(frame, line.rate)))
        to_bgra(decoded, place.width, place.height)
        taken.append(1000 * (time.perf_counter() - begun))
    return taken


def _first_pictures(window: MainWindow) -> Iterator[Line]:
    """Choosing a clip in the list for the first time, until its picture is there."""
    window.work.session.edit("bench", lambda now: now.but(showing="proxies"))
    panel, taken = window.timeline.panel, []
    for row, clip in enumerate(window.timeline.model.rows):
        if not clip.proxies:
            continue
        before = panel.viewer.picture
        begun = time.perf_counter()
        window.timeline.clips.selectRow(row)
        until(lambda before=before: panel.viewer.picture is not before and panel.viewer.picture is not None, 10)  # type: ignore[misc]
        taken.append(1000 * (time.perf_counter() - begun))
    yield "first picture after opening a clip, from a proxy, slowest", max(taken), 100, " ms"


def _switch(window: MainWindow) -> Iterator[Line]:
    """Paused: to the proxy, and to a heavy original: how long the interface thread is busy with it."""
    project = window.work.session.project
    _show(window, one_layer(project, ("A001C002", "A001C001")), "originals")
    panel, taken, busy = window.timeline.panel, [], []
    for number in range(12):
        panel.seek(7 + 11 * number)
        until(lambda: _here(window), 30)
        pause(0.4)
        begun = time.perf_counter()
        QTest.keyClick(window, Qt.Key.Key_Q)
        until(lambda: _here(window) and panel.viewer.mark_text.startswith("PROXY"), 10)
        panel.viewer.repaint()
        taken.append(1000 * (time.perf_counter() - begun))
        pause(0.3)
        watch = Stretch()
        QTest.keyClick(window, Qt.Key.Key_Q)
        pause(0.5)
        busy.append(watch.longest)
        watch.stop()
    yield "paused: key to the proxy's picture, 95th percentile", float(np.percentile(taken, 95)), 50, " ms"
    yield "paused: interface thread busy when flipped to a heavy original, median", float(np.median(busy)), 10, " ms"
    yield "the same, longest", max(busy), 10, " ms"


def measure_sides(folder: Path, frames: int = 200) -> Iterator[Line]:
    """The same frames from originals, reduced to the proxies' size, and from quarter-size proxies, at full size: about
    so many."""
    project = with_everything(load_project(ingested(folder, "dnxhr-lb")))
    line = project.timeline
    full, small = (line.width, line.height), (line.width // 4, line.height // 4)
    compositors = [Compositor(Presence(), only=side) for side in ("originals", "proxies")]  # type: ignore[arg-type]
    values, shifted, before, worse = [], 0, None, 0
    for frame in range(0, line.length, max(1, line.length // frames)):
        steps, aspect = picture_steps(line, frame), Fraction(*full)
        original = compositors[0].picture(project, steps, aspect, Window.all_of(full))
        proxy = compositors[1].picture(project, steps, aspect, Window.all_of(small))
        pair = reduced(original.pixels, small), luma(proxy.pixels)
        values.append(ssim(*pair))
        shifted += best_shift(*pair) != (0, 0)
        if before is not None:  # the frame before must not be more like it
            worse += ssim(before, pair[1]) > values[-1] + 1e-3
        before = pair[0]
    for one in compositors:
        one.close()
    yield f"likeness of both sides, lowest of {len(values)} frames (at least 0.95): 1 - SSIM", 1 - min(values), 0.05, ""
    yield "mean: 1 - SSIM", 1 - float(np.mean(values)), 0.05, ""
    yield "frames that are more alike when shifted by a pixel", shifted, 0, ""
    yield "frames that are more like the frame before", worse, 0, ""


def measure_big(folder: Path) -> Iterator[Line]:
    """A project of 10,000 clips with a timeline of 3,000 blocks."""
    app = make_app(["bench"])
    project = big_project(folder)
    project = project.but(timeline=_long_line(project))
    path = folder / "big.otio"
    save_project(project, path)
    opened = []
    for _ in range(3):
        begun = time.perf_counter()
        load_project(path)
        opened.append(time.perf_counter() - begun)
    yield "10,000 clips, 3,000 blocks: opened in", min(opened), 1, " s"
    session = ProjectSession.open(path)
    pause(12)  # what a session prepares meanwhile
    for number, what in enumerate(
        ("first saved in the background in", "saved again after an edit that moves all blocks in")
    ):
        block = session.project.timeline.pictures[0].blocks[3 + number]
        session.edit("x", lambda now, block=block: now.but(timeline=edits.trim(now.timeline, block.id, "end", -2)))  # type: ignore[misc]
        begun = time.perf_counter()
        session.save()
        yield what, time.perf_counter() - begun, 1, " s"
    session.close()
    yield from _edits(folder, path)
    app.processEvents()


def _long_line(project: Project) -> Timeline:
    line = project.with_timeline_settings_of(project.clips[0]).timeline
    rows: list[list[Block]] = [[], []]
    for number in range(1500):
        for row in rows:
            row.append(
                Block(
                    project.clips[number].id,
                    20 * number,
                    20,
                    Fraction(0),
                    project.clips[number].length,
                    link=f"l{number}",
                )
            )
    tracks = [replace(track, blocks=tuple(row)) for track, row in zip(line.tracks, rows, strict=True)]
    return replace(line, tracks=tuple(tracks)).checked()


def _edits(folder: Path, path: Path) -> Iterator[Line]:
    work = Work(ProjectSession.open(path))
    window = MainWindow(work, Folders(None, folder, folder, folder), False, False)
    window.resize(1280, 800)
    window.show()
    window.command("place_4")
    pause(8)  # the first save, posters that are not there
    place = window.timeline
    taken: dict[str, list[float]] = {"trim with ripple": [], "move": [], "undo": []}
    painted: list[float] = []
    for number in range(20):
        block = work.session.project.timeline.pictures[0].blocks[5 + number]
        for what, call in (
            ("trim with ripple", lambda b=block: place.doing.edit("x", lambda line: edits.trim(line, b.id, "end", -1))),
            ("move", lambda b=block: place.doing.edit("x", lambda line: edits.move(line, [b.id], 1))),
            ("undo", lambda: window.command("undo")),
        ):
            begun = time.perf_counter()
            call()
            taken[what].append(1000 * (time.perf_counter() - begun))
            begun = time.perf_counter()
            place.view.repaint()
            painted.append(1000 * (time.perf_counter() - begun))
            pause(0.05)
    for what, times in taken.items():
        yield f"{what} on a timeline of 3,000 blocks, until all places know, median", float(np.median(times)), 8, " ms"
        yield "the same, 95th percentile", float(np.percentile(times, 95)), 16, " ms"
    yield "drawing all 3,000 blocks at once, median", float(np.median(painted)), 16, " ms"
    window.close()


def _starts(project: Path) -> Iterator[Line]:
    taken = []
    for _ in range(4):
        command = [sys.executable, "-c", _START, str(project), str(time.time())]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        taken.append(float(done.stdout.split()[0]))
    yield "start of the window with the demo's project, warm", min(taken[1:]), 1.5, " s"
