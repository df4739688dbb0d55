"""A kit on another machine: no network, nothing of home in reach, other paths, another profile; and home again.

The road is a network and mount namespace of its own. Killed at random moments while it is brought up to date and while
it comes home, a kit ends as it would have ended undisturbed, or says that it is unfinished.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from benchmarks.hosts import why_not

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.kit import KitRequest, make_kit, open_kit, read_kit
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.timeline import Marker, Timeline
from tests.core.test_kit import cut
from tests.core.test_storage import quiet
from tests.footage import NUMBERS, codes, here

ROAD = """
import json, sys
from dataclasses import replace
from pathlib import Path
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.kit import open_kit
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.timeline import append
from tests.core.test_kit import there
from agile_shadow.core.switch import choose
from tests.footage import preset

if __name__ == "__main__":
    kit, home, card = map(Path, sys.argv[1:])
    session = ProjectSession.open(open_kit(kit))
    road, seen = session.project, there(session.project)
    shown = [str(choose(road, clip, seen).path) for clip in road.clips]
    first, *others = road.timeline.pictures[0].blocks
    row = replace(road.timeline.pictures[0], blocks=(replace(first, length=first.length - 5), *others))
    session.edit("Trim", lambda project: project.but(timeline=project.timeline.with_tracks(row)))
    IngestRun(IngestRequest(card, kit / "From the road", kit / "Proxies", preset()), session, JobStore()).run()
    new = next(clip for clip in session.project.clips if clip.name == "ROAD_0001")
    session.edit("Append", lambda project: project.but(timeline=append(project.timeline, new.piece())))
    session.close()
    print(json.dumps({"shown": shown, "home": [path.name for path in home.iterdir()],
                      "routes": open("/proc/net/route").read().splitlines()[1:]}))
"""


def on_the_road(kit: Path, drive: Path, home: Path, card: Path, profile: Path) -> dict[str, object]:
    """Cut with a kit, mounted at ``drive``, where nothing of ``home`` can be reached."""
    drive.mkdir()
    inside = (
        'mount --bind "$1" "$2" && mount -t tmpfs none "$3" && exec "$5" -c "$0" "$2/kit" "$3" "$4"'
    )  # fmt: skip
    command = ["unshare", "--user", "--map-root-user", "--net", "--mount", "bash", "-c", inside, ROAD,
               kit.parent, drive, home, card, sys.executable]  # fmt: skip
    values = {**os.environ, "AGILE_SHADOW_HOME": str(profile), "HOME": str(profile)}
    done = subprocess.run([*map(str, command)], capture_output=True, text=True, env=values, timeout=200,
                          cwd=Path(__file__).parents[2])  # fmt: skip
    assert done.returncode == 0, done.stderr
    return dict(json.loads(done.stdout.strip().splitlines()[-1]))


def road_card(place: Path, folder: Path) -> Path:
    """A take that home has never seen: another clip of the card, shortened."""
    folder.mkdir()
    source = next((place / "Card").rglob("*.MTS"))
    data = source.read_bytes()
    (folder / "ROAD_0001.MTS").write_bytes(data[: len(data) // 188 * 3 // 4 * 188])
    return folder


@pytest.mark.skipif(bool(why_not()), reason=why_not())
def test_cut_on_a_machine_that_sees_nothing_of_home_the_film_has_the_right_frames(place: Path, tmp_path: Path) -> None:
    home = place / "film.otio"
    document = cut(home, 3)
    carried = tmp_path / "carried"
    carried.mkdir()
    make_kit(KitRequest(document, carried / "kit"), quiet)
    card = road_card(place, tmp_path / "Road card")
    drive = tmp_path / "another drive"
    seen = on_the_road(carried / "kit", drive, place, card, tmp_path / "another profile")
    assert seen["home"] == [] and seen["routes"] == []
    assert all(path.startswith(str(drive)) for path in seen["shown"])  # type: ignore[attr-defined]
    mine = load_project(home)
    save_project(mine.but(timeline=replace(mine.timeline, markers=(Marker(4, "at home"),))), home)
    code, said, _text = here("kit", "home", carried / "kit", "--project", home)
    assert code == 0 and said["clips"] == ["ROAD_0001"] and not said["conflicts"]
    now = load_project(home)
    film = tmp_path / "film.mov"
    code, made, text = here("export", "--out", film, "--project", home)
    assert code == 0, (made, text)
    assert codes(film) == wanted_codes(now)
    originals = {now.path(clip.original.file) for clip in now.clips}
    certificate = json.loads(next(tmp_path.glob("film*.json")).read_text())
    assert {one["path"] for one in certificate["originals"]} <= {str(path) for path in originals}, certificate
    assert here("film", "verify", film)[0] == 0


def wanted_codes(project: Project) -> list[tuple[int, int] | None]:
    """(clip, frame) that each frame of the film must show, by the blocks alone."""
    line = project.timeline
    found: list[tuple[int, int] | None] = []
    for block in line.pictures[0].blocks:
        clip = project.clip(block.clip)
        assert clip is not None
        rate = clip.original.info.frame_rate
        number = NUMBERS.get(clip.name, NUMBERS["00004"])
        found += [None] * (block.start - len(found))  # what was trimmed away left a gap
        for at in range(block.length):
            found.append((number, int((block.source_start + Fraction(at) / line.rate) * rate)))
    return found


KILLED = """
import sys
from agile_shadow.cli import app
print("begun", flush=True)
import agile_shadow.core.kit.home as home
import agile_shadow.core.kit.making as making
for module in (home, making):
    def told(*arguments, copy=module.copy_file, **values):
        print("copying", flush=True)
        found = copy(*arguments, **values)
        print("copied", flush=True)
        return found
    def saved(*arguments, save=making.save_project, **values):
        print("saving", flush=True)
        save(*arguments, **values)
        print("saved", flush=True)
    module.copy_file = told
    making.save_project = saved
app(sys.argv[1:])
"""


def killed(seed: int, *arguments: object) -> None:
    """A command, killed soon after one of its first words (or not at all, if it ends before)."""
    chance = random.Random(seed)
    process = subprocess.Popen([sys.executable, "-c", KILLED, *map(str, arguments)], stdout=subprocess.PIPE,
                               stderr=subprocess.DEVNULL, text=True)  # fmt: skip
    assert process.stdout is not None
    for _ in range(chance.randrange(1, 14)):
        if not process.stdout.readline():
            break
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()


def with_a_marker_and_more(home: Path) -> None:
    document = load_project(home)
    line = replace(document.timeline, markers=(Marker(4, "at home"),))
    save_project(document.but(timeline=line, others=(replace(Timeline("New at home"), rate=Fraction(25)),)), home)


@pytest.mark.parametrize("seed", [0, 5, 6])
def test_killed_while_it_is_brought_up_to_date_nothing_of_either_side_is_lost(place: Path, seed: int) -> None:
    home, kit = place / "film.otio", place / "kit"
    cut(home)
    make_kit(KitRequest(load_project(home), kit, only_used=True), quiet)
    road = open_kit(kit)
    document = load_project(road)
    save_project(document.but(timeline=replace(document.timeline, name="Cut on the road")), road)
    with_a_marker_and_more(home)
    killed(seed, "kit", "update", kit, "--project", home)
    if not read_kit(kit).whole:
        with pytest.raises(ShadowError, match="unfinished"):
            open_kit(kit)
        code, _said, _text = here("kit", "update", kit, "--project", home)
        assert code == 0
    here("kit", "update", kit, "--project", home)
    assert not list(kit.rglob("*.part"))
    assert {one.name for one in load_project(open_kit(kit)).timelines} == {"Cut on the road", "New at home"}
    code, said, _text = here("kit", "home", kit, "--project", home)
    assert code == 0 and not said["conflicts"], said
    now = load_project(home)
    assert {one.name for one in now.timelines} == {"Cut on the road", "New at home"}
    assert [one.note for one in now.timeline.markers] == ["at home"]


@pytest.mark.parametrize("seed", [1, 14, 21])
def test_killed_while_it_comes_home_it_comes_home_the_second_time(place: Path, tmp_path: Path, seed: int) -> None:
    home, kit = place / "film.otio", place / "kit"
    cut(home)
    make_kit(KitRequest(load_project(home), kit), quiet)
    card = road_card(place, tmp_path / "Road card")
    from_the_road(kit, card)
    before = home.read_bytes()
    killed(seed, "kit", "home", kit, "--project", home)
    if home.read_bytes() != before:
        assert any(clip.name == "ROAD_0001" for clip in load_project(home).clips), "whole, or as it was"
    code, _said, _text = here("kit", "home", kit, "--project", home)
    assert code == 0
    now = load_project(home)
    (came,) = [clip for clip in now.clips if clip.name == "ROAD_0001"]
    path = now.path(came.original.file)
    assert path is not None and path.read_bytes() == (card / "ROAD_0001.MTS").read_bytes()
    assert not list(place.rglob("*.part")) and len(list((place / "Boathouse").rglob("ROAD_0001*.MTS"))) == 1
    assert now.timeline.pictures[0].blocks[-1].clip == came.id


def from_the_road(kit: Path, card: Path) -> None:
    """A take ingested and appended, in a process of its own with another profile."""
    done = subprocess.run([sys.executable, "-c", ROAD, kit, kit.parent / "kit", card], capture_output=True, text=True,
                          env={**os.environ, "AGILE_SHADOW_HOME": str(card.parent / "road profile")},
                          cwd=Path(__file__).parents[2])  # fmt: skip
    assert done.returncode == 0, done.stderr
    shutil.rmtree(card.parent / "road profile")
