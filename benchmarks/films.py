"""Films: how fast they are made against the plain command, how fast a draft is, and whether the proof finds what is
planted and nothing else."""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

from tests.effects import named, with_everything
from tests.footage import ingest
from tests.planted import exchanged, from_proxy, missing, repeated, writing

from agile_shadow.core.errors import ExportError
from agile_shadow.core.film import (
    FILM_SETTINGS,
    FilmPicture,
    FilmRequest,
    FilmSettings,
    certificate_path,
    make_film,
    read_certificate,
    verify_film,
)
from agile_shadow.core.film.drawing import Drawing
from agile_shadow.core.film.proof import MOVED
from agile_shadow.core.film.signature import signature_of
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.timeline import Effects, Placement, append, with_effects
from agile_shadow.stand_ins import draw_card
from footage import demo_card

Line = tuple[str, float, float, str]
_ROUNDS, _FRAMES = 3, 50  # as a rule; of a heavy clip: a film of all of it takes minutes
_PLAIN = {
    "Viewing copy": ["-c:v", "libx264", "-preset", "veryfast", "-crf", "18", "-pix_fmt", "yuv420p", "-c:a", "aac"],
    "DNxHR HQ, MOV": ["-c:v", "dnxhd", "-profile:v", "dnxhr_hq", "-pix_fmt", "yuv422p", "-c:a", "pcm_s24le"],
}


def quiet(done: float) -> None:
    pass


def measure_films(folder: Path, rounds: int = _ROUNDS) -> Iterator[Line]:
    """Paces of films against plain tools, on the demo card. With fewer ``rounds`` films are shorter too."""
    frames = _FRAMES * rounds // _ROUNDS
    path = folder / "films" / "The Tern Ferry.otio"
    ingest(demo_card(), path, Preset(name="Quarter", proxies=Proxies(scale=Fraction(1, 4), codec="dnxhr-lb")))
    project = load_project(path)
    heavy = max(project.clips, key=lambda clip: clip.original.info.width * (clip.original.info.codec == "hevc"))
    project = project.with_timeline_settings_of(heavy)
    plain = project.but(timeline=append(project.timeline, heavy.piece(Fraction(0), frames / project.timeline.rate)))
    tool = shutil.which("ffmpeg")
    for name, options in _PLAIN.items() if tool else ():
        yield _against_the_command(plain, heavy.id, name, [str(tool), "-y", "-v", "error"], options, folder, rounds)
    yield _composed(plain, folder)
    cut = _demo_cut(project, Fraction(rounds, _ROUNDS))
    settings = FILM_SETTINGS.find("Viewing copy")
    draft = make_film(FilmRequest(cut, folder / "draft.mp4", settings, draft=True), quiet)
    begun = time.perf_counter()
    film = make_film(FilmRequest(cut, folder / "film.mp4", settings), quiet)
    whole = time.perf_counter() - begun
    yield "draft of the demo's cut, times the pace of its film", -draft.pace / film.pace, -5.0, " times"
    yield "film with its proof, against the film alone", whole / (film.frames / film.pace), 2.0, ""


def _demo_cut(project: Project, seconds: Fraction) -> Project:
    """So much of each clip with a picture, one after the other."""
    line = replace(project.timeline, tracks=tuple(replace(one, blocks=()) for one in project.timeline.tracks))
    for clip in project.clips:
        if clip.original.info.kind == "video":
            line = append(line, clip.piece(Fraction(0), min(seconds, clip.length)))
    return project.but(timeline=line)


def _against_the_command(
    project: Project, clip: str, name: str, command: list[str], options: list[str], folder: Path, rounds: int
) -> Line:
    found = project.clip(clip)
    assert found is not None
    source = project.path(found.original.file)
    settings = FILM_SETTINGS.find(name)
    ours, theirs = [], []
    for number in range(rounds):
        out = folder / f"plain{number}{settings.ending}"
        begun = time.perf_counter()
        frames = ["-frames:v", str(project.timeline.length)]
        subprocess.run([*command, "-i", str(source), *frames, *options, str(out)], check=True)
        theirs.append(time.perf_counter() - begun)
        film = make_film(FilmRequest(project, folder / f"ours{number}{settings.ending}", settings), quiet)
        ours.append(film.frames / film.pace)
    return f"{name} of one untouched UHD original, pace of the ffmpeg command", -min(theirs) / min(ours), -0.9, " of it"


def _composed(project: Project, folder: Path) -> Line:
    """Zoomed and coloured against as it is: what the compositor costs beside decoding and encoding."""
    settings = FILM_SETTINGS.find("Viewing copy")
    line = project.timeline
    block = line.pictures[0].blocks[0]
    zoomed = project.but(timeline=with_effects(line, [block.id], lambda _old: Effects(Placement(scale=1.2, x=0.05))))
    first = make_film(FilmRequest(project, folder / "as it is.mp4", settings), quiet)
    second = make_film(FilmRequest(zoomed, folder / "zoomed.mp4", settings), quiet)
    return "composed film, pace of one that goes past the compositor", -second.pace / first.pace, -0.3, " of it"


def measure_film_faults(folder: Path, count: int = 10) -> Iterator[Line]:
    """Faults of each kind planted into films at random places, and right films."""
    draw_card(folder / "Card", shrink=4, seconds=Fraction(1))
    half = Preset(name="Half", proxies=Proxies(scale=Fraction(1, 2), codec="h264"))
    ingest(folder / "Card", folder / "small" / "p.otio", half)
    project = with_everything(load_project(folder / "small" / "p.otio"), frames=8)
    settings = FilmSettings(name="Small", picture=FilmPicture(width=320, height=180))
    request = FilmRequest(project, folder / "film.mp4", settings)
    moving = _moving(request)
    for kind in ("repeated", "missing", "exchanged", "late", "proxy"):
        noticed = sum(_refused(replace(request, project=_cut_for(kind, project)), _plant(kind, moving, project, n))
                      for n in range(count))  # fmt: skip
        yield f"films refused with a fault planted: {kind}, of {count}", -float(noticed), -float(count), ""
    right = 0
    for number in range(2 * count):
        chosen = _other_settings(number)
        out = folder / f"right{number}{chosen.ending}"
        right += not _refused(FilmRequest(project, out, chosen, number % 40, number % 40 + 40), None)
    yield f"right films that were taken, of {2 * count}", -float(right), -2.0 * count, ""


_WINDOW = """
import sys, time
from pathlib import Path
from agile_shadow.core.desk import Desk
from agile_shadow.core.film import FilmRequest, FilmPicture, FilmSettings
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.project import ProjectLock, ProjectSession
path, out = Path(sys.argv[1]), Path(sys.argv[2])
lock = ProjectLock(path)
lock.take("a window")
session = ProjectSession.open(path)
desk = Desk(session, JobStore())
small = FilmSettings(name="Small", picture=FilmPicture(width=320, height=180))
run = desk.film(FilmRequest(session.project, out, small))
while not any(piece.part > 0 or piece.state == "done" for piece in run.board.pieces()):
    time.sleep(0.005)
run.board.flush()
print("begun", flush=True)
time.sleep(600)
"""


def measure_film_kills(folder: Path, count: int = 5) -> Iterator[Line]:
    """Windows killed at random moments while a film is made; the queue then goes on without one."""
    draw_card(folder / "Killed", shrink=4, seconds=Fraction(1))
    path = folder / "killed" / "p.otio"
    ingest(folder / "Killed", path, Preset(name="Plain", proxies=None))
    project = with_everything(load_project(path), frames=6)
    save_project(project, path)
    well = 0
    for number in range(count):
        out = folder / "killed" / "films" / f"film {number}.mp4"
        well += _killed(path, out, random.Random(number).uniform(0, 9), project.timeline.length)
    yield f"films there, proven and alone after a kill, of {count}", -float(well), -float(count), ""


def _killed(path: Path, out: Path, after: float, frames: int) -> bool:
    """Whether a kill leaves nothing under the final name that is not proven, and the film comes all the same."""
    window = subprocess.Popen([sys.executable, "-c", _WINDOW, str(path), str(out)], stdout=subprocess.PIPE,
                              start_new_session=True)  # fmt: skip
    assert window.stdout is not None
    window.stdout.readline()
    time.sleep(after)
    os.killpg(window.pid, signal.SIGKILL)
    window.wait()
    true_before = not out.exists() or not certificate_path(out).exists() or verify_film(out).whole
    command = [sys.executable, "-m", "agile_shadow.cli", "jobs", "run", "--project", str(path)]
    subprocess.run(command, check=True, capture_output=True)
    left = [one.name for one in out.parent.iterdir() if one.name.endswith(".part")]
    return true_before and verify_film(out).whole and read_certificate(out).frames == frames and not left


def _moving(request: FilmRequest) -> list[int]:
    """Pictures that can be told from the one before: one repeated where nothing moves is the right one."""
    drawing = Drawing(request)
    seen = [signature_of(drawing.frame(number)).astype(float) / 256 for number in range(request.count)]
    drawing.close()
    pairs = pairwise(seen)
    return [place for place, (one, other) in enumerate(pairs, 1) if ((one - other) ** 2).mean() ** 0.5 > 1.5 * MOVED]


def _cut_for(kind: str, project: Project) -> Project:
    """A cut that has sound throughout, or only plain blocks, where the fault needs it."""
    if kind not in ("late", "proxy"):
        return project
    line = replace(project.timeline, tracks=tuple(replace(one, blocks=()) for one in project.timeline.tracks))
    for name in ("A001C002", "00004", "AIR_0012", "A001C001"):
        line = append(line, named(project, name).piece(Fraction(0), Fraction(3, 5)))
    return project.but(timeline=line)


def _plant(kind: str, moving: list[int], project: Project, number: int) -> AbstractContextManager[None]:
    chance = random.Random(f"{kind} {number}")
    at = chance.choice(moving)
    if kind == "exchanged":
        first = chance.randrange(0, 40)
        return writing(exchanged(first, first + chance.randrange(8, 30), first + chance.randrange(40, 60)))
    plants: dict[str, Callable[[], AbstractContextManager[None]]] = {
        "repeated": lambda: writing(repeated(at)), "missing": lambda: writing(missing(at)),
        "late": lambda: writing(late=2 * 1920),
        "proxy": lambda: from_proxy(chance.choice(("A001C002", "00004", "AIR_0012", "A001C001"))),
    }  # fmt: skip
    return plants[kind]()


def _refused(request: FilmRequest, fault: AbstractContextManager[None] | None) -> bool:
    try:
        if fault is None:
            make_film(request, quiet)
        else:
            with fault:
                make_film(request, quiet)
    except ExportError as error:
        return "not taken" in str(error)
    return False


def _other_settings(number: int) -> FilmSettings:
    """All shipped settings with a picture, in turn, small."""
    known = [entry.value for entry in FILM_SETTINGS.read().entries
             if entry.value.picture is not None and entry.value.file != "still"]  # fmt: skip
    chosen = known[number % len(known)]
    assert chosen.picture is not None
    return chosen.model_copy(update={"picture": chosen.picture.model_copy(update={"width": 320, "height": 180})})
