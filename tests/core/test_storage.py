"""What takes room, what may go, and which card may be wiped."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from agile_shadow.core.below import Anchor
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.files import partial_path
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import Proxies
from agile_shadow.core.project import Clip, Project, ProjectSession, load_project, other_projects, save_project
from agile_shadow.core.project.guarding import footage_of
from agile_shadow.core.storage import (
    REASONS,
    Area,
    Card,
    CardAnswer,
    Room,
    RoomRequest,
    after,
    all_cards,
    answer_words,
    ask_card,
    ask_request,
    asking,
    before,
    claims_of,
    count_room,
    find_items,
    keep_answer,
    kept_answers,
    look_at_claims,
    measure_room,
    plan,
    tidy,
    undo,
)
from agile_shadow.core.storage.records import recorded_below
from agile_shadow.core.timeline import append
from tests.footage import TWICE, here, ingest, preset


def quiet(done: float) -> None:
    pass


def kept_of(place: Path) -> Path:
    """The untouched copy of it."""
    return place.with_name(f".{place.name} kept")


def cut_with(project: Project, clip: Clip) -> Project:
    project = project.with_timeline_settings_of(clip)
    return project.but(timeline=append(project.timeline, clip.piece()))


def used(room: Path) -> int:
    return int(subprocess.run(["du", "-sxB1", room], capture_output=True, text=True, check=True).stdout.split()[0])


def count(root: Path, project: Project | None = None, role: str = "") -> Room:
    claims = look_at_claims(claims_of(project)) if project is not None else {}
    return count_room(Anchor.of(root), claims, recorded_below(root, role))


# What takes room


def test_room_adds_up_to_what_the_system_says(tmp_path: Path) -> None:
    root, rng = tmp_path / "shelf", random.Random(3)
    for number in range(300):
        folder = root / "/".join(rng.choice("abc") for _ in range(rng.randrange(5)))
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"{number}.mov").write_bytes(b"x" * rng.randrange(30_000))
    (root / "sparse.mov").open("wb").truncate(10_000_000)
    os.link(root / "sparse.mov", root / "again.mov")
    first = next(root.rglob("*.mov"))
    os.link(first, root / "second name.mov")
    (root / "link").symlink_to(tmp_path)
    (tmp_path / "outside.mov").write_bytes(b"x" * 5_000_000)
    room = count(root)
    assert room.whole.room == used(root) == sum(room.whole.kinds.values())

    def adds_up(area: Area) -> None:
        if area.kind is None:
            assert sum(one.room for one in area.inner) + area.rest[1] == area.room and area.rest[1] >= 0
            assert sum(one.files for one in area.inner) + area.rest[0] == area.files and area.rest[0] >= 0
        for one in area.inner:
            adds_up(one)

    adds_up(room.whole)


def test_every_file_is_of_the_kind_that_it_is(place: Path) -> None:
    project = load_project(place / "film.otio")
    partial_path(place / "Laptop" / "x.mov").write_bytes(b"half")
    (place / "Laptop" / "letter.txt").write_bytes(b"not ours" * 1000)
    roles = {"Boathouse": "originals", "Laptop": "proxies", "Attic": "second copies"}
    originals, proxies, second = (count(place / name, project, role) for name, role in roles.items())
    videos = [clip for clip in project.clips if clip.proxies]
    assert originals.counts["originals"] >= len(project.clips) and "other files" not in originals.counts
    assert proxies.counts["unused proxies"] == len(videos) and "used proxies" not in proxies.counts
    assert proxies.counts["leftovers"] == 1 and proxies.counts["other files"] == 1
    assert second.counts["second copies"] == originals.counts["originals"]
    for room, name in ((originals, "Boathouse"), (proxies, "Laptop"), (second, "Attic")):
        assert room.whole.room == used(place / name)


def test_proxies_are_told_apart_by_what_became_of_them(place: Path) -> None:
    path = place / "film.otio"
    project = load_project(path)
    first, second, *_rest = [clip for clip in project.clips if clip.proxies]
    cut = cut_with(project, first)
    assert count(place / "Laptop", cut).counts["used proxies"] == 1
    changed = cut.path(second.original.file)
    assert changed is not None
    os.utime(changed, ns=(1, 1))
    assert count(place / "Laptop", cut).counts["stale proxies"] == 1
    other = TWICE.model_copy(update={"proxies": Proxies(scale=Fraction(1, 4), codec="h264")})
    assert "used proxies" not in count(place / "Laptop", cut.but(preset=other)).counts
    shutil.copy2(place / "Laptop" / first.proxies[0].file.path, place / "Laptop" / "twin.mov")
    without = Project(cut.footage.without_proxy(first.id, first.proxies[0].file), cut.cut)
    counts = count(place / "Laptop", without).counts
    assert counts["proxies without a clip"] == 1 and counts["other files"] == 1


def test_what_another_project_uses_is_used(place: Path) -> None:
    project = load_project(place / "film.otio")
    clip = next(clip for clip in project.clips if clip.proxies)
    other = cut_with(project, clip).but(name="other")
    save_project(other, place / "other.otio")
    ProjectSession.open(place / "other.otio").close()
    request = RoomRequest(place / "Laptop", tuple(claims_of(project)), place / "film.otio", "proxies")
    assert measure_room(request, quiet).counts["used proxies"] == 1


def test_a_folder_that_cannot_be_read_and_other_drives_are_told(tmp_path: Path) -> None:
    deep = tmp_path / "shelf"
    for _ in range(125):
        deep = deep / "d"
    deep.mkdir(parents=True)
    assert ("too many folders" in reason for _path, reason in count(tmp_path / "shelf").unread)
    with pytest.raises(ShadowError, match="not there"):
        count(tmp_path / "nowhere")


# What may go


def trash_of(place: Path) -> set[str]:
    folder = place / "data" / "Trash" / "files"
    return {path.name for path in folder.iterdir()} if folder.is_dir() else set()


def test_what_goes_can_be_brought_back_in_one_step(place: Path) -> None:
    path = place / "film.otio"
    project = load_project(path)
    clip = next(clip for clip in project.clips if clip.proxies)
    cut = cut_with(project, clip)
    found = find_items(cut)
    chosen = plan(cut, found, {"unused"})
    assert len(chosen.items) == sum(len(one.proxies) for one in cut.clips) - 1
    assert chosen.size == sum(item.path.lstat().st_blocks * 512 for item in chosen.items)
    assert chosen.on_originals == 0 and chosen.on_nothing == ()
    assert plan(cut, found, {"again"}).on_originals == 1
    assert plan(cut, found, {"unused"}, clips={clip.id}).items == ()
    before_it = {path: path.read_bytes() for path in place.rglob("*") if path.is_file() and "home" not in path.parts}
    free = used(place / "Laptop")
    done = tidy(cut, chosen.items)
    assert done.size == chosen.size == free - used(place / "Laptop") and not done.kept
    left = after(cut.footage, done)
    assert [len(one.proxies) for one in left.clips if one.id != clip.id] == [0] * (len(left.clips) - 1)
    back = undo(done)
    assert back.files == len(chosen.items) and not back.problems
    again = before(left, back)
    assert {one.id: one.proxies for one in again.clips} == {one.id: one.proxies for one in cut.footage.clips}
    now = {path: path.read_bytes() for path in place.rglob("*") if path.is_file() and "home" not in path.parts}
    assert {one: now.get(one) for one in before_it} == before_it


def test_what_could_not_be_shown_afterwards_is_named(place: Path) -> None:
    project = load_project(place / "film.otio")
    clip = next(clip for clip in project.clips if clip.proxies)
    cut = cut_with(project, clip)
    place_of = cut.path(clip.original.file)
    assert place_of is not None
    place_of.rename(place / "away.mov")
    found = find_items(cut)
    chosen = plan(cut, found, {"all"})
    assert chosen.on_nothing == (clip.name,)
    assert clip.id not in {item.clip.id for item in plan(cut, found, {"again"}).items if item.clip is not None}


def test_hours_to_make_again_are_measured(place: Path) -> None:
    code, said, _text = here("tidy", "--project", place / "film.otio", "--what", "again", "--dry-run")
    assert code == 0 and said["seconds_to_make_again"] > 0 and said["bytes"] > 0
    assert trash_of(place) == set()
    code, said, _text = here("tidy", "--project", place / "film.otio", "--what", "unused")
    assert code == 0 and said["removed_bytes"] == said["bytes"] and len(trash_of(place)) == len(said["files"])
    assert all(not clip.proxies for clip in load_project(place / "film.otio").clips)
    code, said, _text = here("storage", "--project", place / "film.otio", "--shelf", "laptop")
    assert code == 0 and said["shelves"][0]["bytes"] == used(place / "Laptop")


def harm(place: Path, project: Project, rng: random.Random) -> Project:
    """A project file that says things that are not so, and names that lead elsewhere."""
    clips = list(project.clips)
    for _ in range(rng.randrange(1, 4)):
        with suppress(OSError, ShadowError):
            project = lie_about(place, project, clips, rng)
    return project.but(clips=tuple(clips))


def lie_about(place: Path, project: Project, clips: list[Clip], rng: random.Random) -> Project:
    number, lie = rng.randrange(len(clips)), rng.randrange(6)
    clip = clips[number]
    target = rng.choice([one.original for one in clips])
    proxy = next((one for each in clips for one in each.proxies), None)
    if proxy is None:
        return project
    if lie == 0:  # an original said to be a proxy that was made
        clips[number] = replace(clip, proxies=(replace(proxy, file=target.file, made=True),))
    elif lie == 1:  # a path that leaves the shelf
        file = replace(proxy.file, path=f"../{rng.choice(['Boathouse', 'Attic', 'private'])}/letter.mov")
        clips[number] = replace(clip, proxies=(replace(proxy, file=file, made=True),))
    elif lie == 2 and clip.proxies:  # a link where the proxy was
        at = project.place(clip.proxies[0].file)
        assert at is not None
        at.unlink(missing_ok=True)
        at.symlink_to(rng.choice([place / "private" / "letter.mov", place / "Attic"]))
    elif lie == 3 and clip.proxies:  # the original under another name
        at, original = project.place(clip.proxies[0].file), project.place(target.file)
        assert at is not None and original is not None
        if original.exists():
            at.unlink(missing_ok=True)
            os.link(original, at)
    elif lie == 4 and clip.proxies:  # other bytes where the proxy was
        at = project.place(clip.proxies[0].file)
        assert at is not None
        at.unlink(missing_ok=True)
        at.write_bytes(b"somebody's own" * 100)
    else:  # a shelf that is the user's own folder
        shelves = tuple(replace(one, root=place / "private") if one.role == "proxies" else one
                        for one in project.shelves)  # fmt: skip
        project = project.but(shelves=shelves)
    return project


@pytest.mark.parametrize("seed", range(40))
def test_nothing_goes_that_is_not_known_to_be_made_here(place: Path, seed: int) -> None:
    rng = random.Random(seed)
    (place / "private").mkdir()
    (place / "private" / "letter.mov").write_bytes(b"a letter")
    project = load_project(place / "film.otio")
    made = {path.read_bytes() for path in (place / "Laptop").rglob("*") if path.suffix in (".mov", ".mp4")}
    other = replace(rng.choice(project.clips), pin=None)
    save_project(project.but(name="other", clips=(other,)), place / "other.otio")
    ProjectSession.open(place / "other.otio").close()
    project = harm(place, project, rng)
    others = other_projects(place / "film.otio")
    guarded = footage_of([load_project(place / "film.otio")]) | footage_of(others, proxies=True)

    def all_files() -> dict[Path, bytes]:
        return {path: path.read_bytes() for path in place.rglob("*")
                if path.is_file() and not path.is_symlink() and not {"home", "data"} & set(path.parts)}  # fmt: skip

    before_it = all_files()
    keys = {path: (path.stat().st_dev, path.stat().st_ino) for path in before_it}
    found = find_items(project, others)
    tidy(project, plan(project, found, set(REASONS)).items, others)
    now = all_files()
    gone = set(before_it) - set(now)
    assert all(before_it[path] in made and keys[path] not in guarded for path in gone), gone
    assert all(now[path] == before_it[path] for path in now)
    assert not {path for path in gone if "Laptop" not in path.parts}


def test_the_last_look_before_removing_knows_the_other_projects_too(place: Path) -> None:
    project = load_project(place / "film.otio")
    save_project(project.but(name="other"), place / "other.otio")
    ProjectSession.open(place / "other.otio").close()
    items = find_items(project, ())[0]
    assert len([item for item in items if item.proxy is not None]) > 1
    done = tidy(project, items, other_projects(place / "film.otio"))
    assert not done.pairs.gone and all("another project uses it" in text for text in done.pairs.kept)


# Cards


def ask(place: Path, source: Path | None = None, needless: tuple[str, ...] = ()) -> tuple[Card, CardAnswer]:
    project = load_project(place / "film.otio")
    card, request = ask_request(project, all_cards(project, JobStore()), source or place / "Card", needless=needless)
    return card, ask_card(request, quiet)


def test_an_undisturbed_card_may_be_wiped_and_the_answer_has_an_age(place: Path) -> None:
    card, answer = ask(place)
    on_card = {path.relative_to(place / "Card").as_posix() for path in (place / "Card").rglob("*") if path.is_file()}
    assert {file.path for file in answer.files} == on_card
    assert answer.may_be_wiped and answer.why().startswith("May be wiped") and len(answer.shelves) == 2
    for file in card.files:
        assert {copy.shelf for copy in file.copies} == {shelf.id for shelf in answer.shelves}
        assert all(copy.read > 0 and copy.value for copy in file.copies)
    keep_answer(place / "film.otio", card, answer)
    kept = kept_answers(place / "film.otio")[card.id]
    assert answer_words(kept, now=answer.ended + 5) == (True, f"{answer.why()} (read just now)")
    for age in (3600.0, 90_000.0, 30 * 86_400.0):
        good, words = answer_words(kept, now=answer.ended + age)
        assert not good and words.startswith("Not yet") and "ago" in words
    assert answer_words(None)[0] is False
    (place / "Card").rename(place / "pocket")
    good, words = answer_words(kept, kept.changed(), answer.ended + 5)
    assert not good and "not in any more" in words
    (place / "pocket").rename(place / "Card")
    (place / "Card" / "SHOT_SINCE.MOV").write_bytes(b"new")
    good, words = answer_words(kept, kept.changed(), answer.ended + 5)
    assert not good and "SHOT_SINCE.MOV" in words
    (place / "Card" / "SHOT_SINCE.MOV").unlink()
    copy = Path(kept.copies[0][0])
    assert kept.changed() == ""
    os.utime(copy)
    good, words = answer_words(kept, kept.changed(), answer.ended + 5)
    assert not good and copy.name in words


def one_byte(path: Path, rng: random.Random) -> None:
    """Change one byte, and leave size and time as they were."""
    status = path.stat()
    data = bytearray(path.read_bytes())
    data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
    path.write_bytes(data)
    os.utime(path, ns=(status.st_atime_ns, status.st_mtime_ns))


def some_file(folder: Path, rng: random.Random) -> Path:
    return rng.choice(sorted(path for path in folder.rglob("*") if path.is_file() and path.stat().st_size
                             and not path.name.startswith(".")))  # fmt: skip


def _card_byte(place: Path, rng: random.Random) -> None:
    one_byte(some_file(place / "Card", rng), rng)


def _shelf_byte(place: Path, rng: random.Random) -> None:
    one_byte(some_file(place / rng.choice(["Boathouse", "Attic"]), rng), rng)


def _shelf_missing(place: Path, rng: random.Random) -> None:
    some_file(place / rng.choice(["Boathouse", "Attic"]), rng).unlink()


def _card_more(place: Path, rng: random.Random) -> None:
    name = rng.choice(["new.mov", "NOTES.TXT", "deep/er/clip.mov", ".hidden"])
    (place / "Card" / name).parent.mkdir(parents=True, exist_ok=True)
    (place / "Card" / name).write_bytes(bytes(rng.randrange(256) for _ in range(rng.randrange(50))))


def _shelf_away(place: Path, rng: random.Random) -> None:
    name = rng.choice(["Boathouse", "Attic"])
    (place / name).rename(place / "elsewhere")
    if rng.random() < 0.5:
        (place / name).mkdir()  # as an unmounted drive leaves it


def _damaged_since(place: Path, rng: random.Random) -> None:
    card, answer = ask(place)
    assert answer.may_be_wiped
    keep_answer(place / "film.otio", card, answer)
    _shelf_byte(place, rng)


DISTURBED: list[Callable[[Path, random.Random], None]] = [
    _card_byte, _shelf_byte, _shelf_missing, _card_more, _shelf_away, _damaged_since,
]  # fmt: skip


@pytest.mark.parametrize("disturb", DISTURBED)
def test_a_disturbed_card_may_never_be_wiped(place: Path, disturb: Callable[[Path, random.Random], None]) -> None:
    for seed in range(5):
        shutil.rmtree(place)
        shutil.copytree(kept_of(place), place, symlinks=True)
        disturb(place, random.Random(seed))
        _card, answer = ask(place)
        assert not answer.may_be_wiped and answer.why().startswith("Not yet, because "), seed


def test_what_changes_while_the_card_is_asked_counts(place: Path) -> None:
    project = load_project(place / "film.otio")
    _card, request = ask_request(project, all_cards(project, JobStore()), place / "Card")
    for change in ("Card", "Attic"):
        done: list[float] = []

        def touch(part: float, where: str = change, seen: list[float] = done) -> None:
            seen.append(part)
            if len(seen) == 12:
                first = min(path for path in (place / where).rglob("*") if path.is_file() and path.suffix == ".MOV")
                os.utime(first, ns=(5, 5))

        answer = ask_card(request, touch)
        assert not answer.may_be_wiped and "while" in answer.why(), (change, answer.why())


def test_a_shelf_on_the_card_itself_is_no_copy(place: Path) -> None:
    project = load_project(place / "film.otio")
    cards = all_cards(project, JobStore())
    card, request = ask_request(project, cards, place / "Card")
    inside = replace(request, shelves=tuple(replace(one, root=place / "Card") for one in request.shelves))
    assert "on the card itself" in ask_card(inside, quiet).why()
    for file in card.files:
        for copy in file.copies:
            copy.path.unlink()
            os.link(place / "Card" / file.path, copy.path)
    assert "the very same file" in ask_card(request, quiet).why()
    with pytest.raises(ShadowError, match="no card that was ingested"):
        ask_request(project, cards, place / "Laptop")


def test_shelves_on_one_drive_are_named_and_a_file_that_two_lead_to_is_one_copy(
    place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    card, answer = ask(place)
    first, second = (shelf.name for shelf in answer.shelves)
    assert answer.may_be_wiped and answer.why().endswith(f"; {first} and {second} are on the same drive")
    for file in card.files:
        one, other = (copy.path for copy in file.copies)
        other.unlink()
        os.link(one, other)
    _card, answer = ask(place)
    assert not answer.may_be_wiped and f"one and the same file on {first} and {second}" in answer.why()
    for file in card.files:
        one, other = (copy.path for copy in file.copies)
        other.unlink()
        shutil.copy2(one, other)
    monkeypatch.setattr(asking, "on_one_drive", lambda one, other: one == other)
    _card, answer = ask(place)
    assert answer.may_be_wiped and "same drive" not in answer.why()


def test_another_card_in_the_same_folder_does_not_get_its_answer(place: Path) -> None:
    card, answer = ask(place)
    keep_answer(place / "film.otio", card, answer)
    shutil.rmtree(place / "Card")
    (place / "Card").mkdir()
    shutil.copy2(next((place / "Laptop").rglob("*.m*")), place / "Card" / "other.mov")
    session = ProjectSession.open(place / "film.otio")
    IngestRun(IngestRequest(place / "Card", place / "Boathouse", place / "Laptop", TWICE, place / "Attic"), session,
              JobStore()).run()  # fmt: skip
    session.close()
    new, old = sorted(all_cards(load_project(place / "film.otio"), JobStore()), key=lambda one: len(one.files))
    assert [file.path for file in new.files] == ["other.mov"] and len(old.files) == len(answer.files)
    answers = kept_answers(place / "film.otio")
    assert card.id in answers and new.id not in answers


def test_a_card_is_known_without_the_machines_memory(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(place / "new home"))
    _card, answer = ask(place)
    whole = [file for file in answer.files if file.is_on(answer.shelves)]
    assert len(answer.shelves) == 2 and len(whole) >= 3
    assert {file.path for file in answer.missing}.isdisjoint(file.path for file in whole)


def test_the_command_line_says_it_by_its_status(place: Path) -> None:
    shutil.move(place / "Card", place / "mounted elsewhere")
    out = place / "answer.html"
    code, said, _text = here("card", "ask", place / "mounted elsewhere", "--project", place / "film.otio", "--out", out)
    assert code == 0 and said["may_be_wiped"] and "May be wiped" in out.read_text()
    (place / "mounted elsewhere" / "LIST.XML").write_bytes(b"<a/>")
    arguments: tuple[object, ...] = ("card", "ask", place / "mounted elsewhere", "--project", place / "film.otio")
    code, said, _text = here(*arguments)
    assert code == 1 and "LIST.XML has no copy" in said["answer"]
    code, said, _text = here(*arguments, "--needless", "*.xml", "--out", place / "answer.csv")
    assert code == 0 and "1 that need no copy go with it" in said["answer"]
    assert (place / "answer.csv").read_text().count("\n") > len(said["files"])
    code, said, _text = here("cards", "--project", place / "film.otio")
    assert code == 0 and said["cards"][0]["may_be_wiped"] and "just now" in said["cards"][0]["answer"]
    code, said, _text = here("card", "ask", place / "Laptop", "--project", place / "film.otio")
    assert code == 1 and "no card" in said["error"]


def test_what_the_ingest_passed_over_goes_only_when_a_person_says_so(place: Path) -> None:
    (place / "Card" / "SHOTS.TXT").write_bytes(b"notes")
    session = ProjectSession.open(place / "film.otio")
    IngestRun(IngestRequest(place / "Card", place / "Boathouse", place / "Laptop", TWICE, place / "Attic"), session,
              JobStore()).run()  # fmt: skip
    session.close()
    arguments = ("card", "ask", place / "Card", "--project", place / "film.otio")
    code, said, _text = here(*arguments)
    assert code == 1 and "SHOTS.TXT has no copy on" in said["answer"] and "skipped" in said["answer"]
    code, said, _text = here(*arguments, "--passed-over-may-go")
    assert code == 0 and "1 that need no copy go with it" in said["answer"]
    (place / "Card" / "MORE.TXT").write_bytes(b"later")
    code, said, _text = here(*arguments, "--passed-over-may-go")
    assert code == 1 and "MORE.TXT has no copy on" in said["answer"] and "skipped" not in said["answer"]


def test_an_ingest_that_left_originals_never_says_wipe(card: Path, tmp_path: Path) -> None:
    ingest(card, tmp_path / "film.otio", preset(do="leave"))
    code, said, _text = here("card", "ask", card, "--project", tmp_path / "film.otio")
    assert code == 1 and said["answer"].startswith("Not yet")
