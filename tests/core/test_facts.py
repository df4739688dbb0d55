"""What undo takes back is what was decided; what happened in the world stays."""

from __future__ import annotations

import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule
from hypothesis.strategies import integers, sampled_from

from agile_shadow.core.media import MediaInfo
from agile_shadow.core.pairs import FileRef, Original, Proof, Proxy, Stamp
from agile_shadow.core.project import Clip, Project, ProjectSession, load_project, new_project, save_project
from agile_shadow.core.shelves import Shelf
from agile_shadow.core.timeline import append
from agile_shadow.core.upkeep.missing import Again, Missing, take_again
from agile_shadow.core.upkeep.search import Offer
from agile_shadow.core.upkeep.taking import accepted, take, unpair, with_offset, with_proxy

INFO = MediaInfo("video", "mov", 1, Fraction(2), frame_rate=Fraction(25), frames=50, width=16, height=16,
                 display_width=16, display_height=16)  # fmt: skip
FILES = [FileRef("light", f"p{n}.mov") for n in range(3)]


def a_clip(name: str, *proxies: Proxy) -> Clip:
    return Clip(name, name, Original(FileRef("drive", f"{name}.mov"), INFO, 1, 1), proxies)


def a_proof(offset: int, state: str = "proven") -> Proof:
    return Proof(state, Stamp(1, 1, 1, 1, offset))  # type: ignore[arg-type]


def a_project(*clips: Clip, folder: Path = Path("/nowhere")) -> Project:
    shelves = (Shelf("drive", "Drive", "originals", folder), Shelf("light", "Light", "proxies", folder))
    return new_project("facts").but(clips=clips, shelves=shelves)


@pytest.fixture
def session(tmp_path: Path):  # type: ignore[no-untyped-def]
    one = ProjectSession(tmp_path / "film.otio", a_project(a_clip("a"), a_clip("b"), folder=tmp_path))
    yield one
    one.end()


def test_a_proxy_that_was_made_stays_whatever_is_undone(session: ProjectSession) -> None:
    session.edit("Pin", lambda project: project.with_pin("a", "proxies"))
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1, made=True))))
    session.undo()
    shown = session.project.clip("a")
    assert shown is not None and shown.pin is None and [one.file for one in shown.proxies] == [FILES[0]]
    session.redo()
    shown = session.project.clip("a")
    assert shown is not None and shown.pin == "proxies" and len(shown.proxies) == 1


def test_undo_of_a_removed_file_does_not_bring_it_back(session: ProjectSession) -> None:
    session.edit("Pair", lambda project: with_proxy(project, "a", Proxy(FILES[0], INFO, 1)))
    session.edit("Unpair", lambda project: unpair(project, "a"))
    session.absorb(lambda now: now.without_proxy("a", FILES[0]))
    session.undo()
    assert session.project.clip("a").proxies == ()  # type: ignore[union-attr]


def test_a_pair_taken_by_hand_goes_with_its_step_and_comes_again_with_its_proof(session: ProjectSession) -> None:
    session.edit("Pair", lambda project: with_proxy(project, "a", Proxy(FILES[0], INFO, 1, offset=4)))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(4)))
    session.undo()
    assert session.project.clip("a").proxies == ()  # type: ignore[union-attr]
    session.redo()
    (pair,) = session.project.clip("a").proxies  # type: ignore[union-attr]
    assert (pair.offset, pair.state) == (4, "proven")


def test_a_proof_counts_for_its_offset_only(session: ProjectSession) -> None:
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1))))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(0, "doubtful")))
    session.edit("Use offset", lambda project: with_offset(project, "a", FILES[0], 3))
    assert session.project.clip("a").proxies[0].state == "paired"  # type: ignore[union-attr]
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(3)))
    assert session.project.clip("a").proxies[0].state == "proven"  # type: ignore[union-attr]
    session.undo()
    (pair,) = session.project.clip("a").proxies  # type: ignore[union-attr]
    assert (pair.offset, pair.proof) == (0, None)


def test_what_was_let_pass_holds_for_that_proof(session: ProjectSession) -> None:
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1))))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(0, "doubtful")))
    session.edit("Accept as is", lambda project: accepted(project, "a", FILES[0]))
    assert session.project.clip("a").proxies[0].state == "accepted"  # type: ignore[union-attr]
    other = replace(a_proof(0, "doubtful"), stamp=Stamp(1, 1, 2, 2, 0))
    session.absorb(lambda now: now.with_proof("a", FILES[0], other))
    assert session.project.clip("a").proxies[0].state == "doubtful"  # type: ignore[union-attr]


def test_a_chosen_original_gives_way_to_one_that_is_ingested_later(session: ProjectSession) -> None:
    elsewhere = replace(a_clip("a").original, file=FileRef("drive", "found again.mov"))
    session.edit("Find again", lambda project: project.with_original("a", elsewhere))
    assert session.project.clip("a").original == elsewhere  # type: ignore[union-attr]
    anew = replace(a_clip("a").original, file=FileRef("drive", "copied anew.mov"))
    session.absorb(lambda now: now.with_change("a", lambda clip: replace(clip, original=anew)))
    assert session.project.clip("a").original == anew  # type: ignore[union-attr]


def test_the_file_holds_what_is_shown(session: ProjectSession) -> None:
    session.edit("Pair", lambda project: with_proxy(project, "a", Proxy(FILES[0], INFO, 1, offset=4)))
    session.edit("Pin", lambda project: project.with_pin("b", "originals"))
    session.edit("Pair", lambda project: with_proxy(project, "b", Proxy(FILES[1], INFO, 1)))
    session.undo()
    session.close()
    read = load_project(session.path)
    assert read.clips == tuple(
        replace(clip, proxies=tuple(replace(one, by_itself=True) for one in clip.proxies))
        for clip in session.project.clips
    )
    assert read.cut.decision("b").pin == "originals" and read.footage.clip("b").pin is None  # type: ignore[union-attr]


def test_the_other_version_keeps_the_footage_of_both(session: ProjectSession) -> None:
    session.save_as(session.path)
    other = load_project(session.path)
    session.absorb(lambda now: now.with_clip(a_clip("c", Proxy(FILES[2], INFO, 1))))
    session.edit("Pair", lambda project: with_proxy(project, "a", Proxy(FILES[0], INFO, 1)))

    save_project(other.but(showing="proxies"), session.path)
    session.take_theirs()
    assert session.project.showing == "proxies" and session.project.clip("a").proxies == ()  # type: ignore[union-attr]
    assert session.project.clip("c") is not None
    session.undo()
    assert [one.file for one in session.project.clip("a").proxies] == [FILES[0]]  # type: ignore[union-attr]


def test_background_work_does_not_touch_the_history(session: ProjectSession) -> None:
    """Whatever its length: the steps are the same objects, and one clip's change leaves all others as they are."""
    many = tuple(a_clip(f"c{n}") for n in range(500))
    session.absorb(lambda now: replace(now, clips=many))
    for number in range(30):
        session.edit(f"Pin {number}", lambda project, number=number: project.with_pin(f"c{number}", "proxies"))
    steps, before = list(session._undo), session.project.clips
    session.absorb(lambda now: now.with_proof("c400", FILES[0], a_proof(0)))
    session.absorb(lambda now: now.with_change("c400", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1))))
    assert all(one is two for one, two in zip(steps, session._undo, strict=True))
    changed = [new.id for old, new in zip(before, session.project.clips, strict=True) if old is not new]
    assert changed == ["c400"]


def missing(session: ProjectSession, clip: str, part: str, file: FileRef) -> Missing:
    found = session.project.clip(clip)
    assert found is not None
    return Missing(found, part, file, INFO, 1, "Light", None)  # type: ignore[arg-type]


def test_what_was_found_elsewhere_is_a_step_that_can_be_taken_back(session: ProjectSession, tmp_path: Path) -> None:
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1, offset=2))))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(2)))
    before = session.project.clips
    original = before[0].original.file
    again = [
        Again(missing(session, "a", "original", original), tmp_path / "new place" / "a.mov", "certain", ()),
        Again(missing(session, "a", "proxy", FILES[0]), tmp_path / "new place" / "p0.mov", "certain", ()),
    ]
    session.edit("Find 2 again", lambda project: take_again(project, again, tmp_path / "new place"))
    now = session.project.clip("a")
    assert now is not None and now.original.file.path.endswith("new place/a.mov")
    (proxy,) = now.proxies
    assert proxy.file.path.endswith("p0.mov") and (proxy.offset, proxy.state) == (2, "proven")  # bytes prove it
    session.undo()
    assert session.project.clips == before
    session.redo()
    assert session.project.clip("a") == now


def test_originals_for_a_clip_cut_on_its_proxy_move_its_cuts_and_come_back(session: ProjectSession) -> None:
    clip = session.project.clip("a")
    assert clip is not None
    project = session.project.with_timeline_settings_of(clip)
    line = append(project.timeline, clip.piece(Fraction(1, 5), Fraction(1)))
    session.edit("Append", lambda _before: project.but(timeline=line))
    before = session.project
    offer = Offer(Path("/nowhere/big.mov"), INFO, 9, 9, "a", "original", 5, "certain", ())
    session.edit("Pair", lambda now: take(now, [offer], Path("/nowhere")))
    after = session.project.clip("a")
    assert after is not None and after.original.size == 9
    assert [(one.file, one.offset) for one in after.proxies] == [(clip.original.file, 5)]
    block = next(iter(session.project.timeline.blocks))
    assert block.source_start == Fraction(1, 5) + Fraction(5, 25)
    session.undo()
    assert session.project.timeline == before.timeline and session.project.clips == before.clips


def test_a_parted_pair_is_not_made_whole_by_a_proof_or_by_itself(session: ProjectSession) -> None:
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1, made=True))))
    session.edit("Unpair", lambda project: unpair(project, "a"))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(0)))
    assert session.project.clip("a").proxies == ()  # type: ignore[union-attr]
    session.edit("Pair", lambda project: with_proxy(project, "a", Proxy(FILES[0], INFO, 1, made=True)))
    assert [one.made for one in session.project.clip("a").proxies] == [True]  # type: ignore[union-attr]


def test_a_gesture_is_one_step_and_what_comes_between_stays(session: ProjectSession) -> None:
    gesture = object()
    for side in ("proxies", "originals", "proxies"):
        session.edit("Pin", lambda project, side=side: project.with_pin("a", side), gesture)  # type: ignore[misc]
        session.absorb(lambda now: now.with_change("b", lambda clip: clip.with_proxy(Proxy(FILES[1], INFO, 1))))
    session.undo()
    assert session.undo_label is None and session.project.clip("a").pin is None  # type: ignore[union-attr]
    assert len(session.project.clip("b").proxies) == 1  # type: ignore[union-attr]


def test_an_edit_that_decides_nothing_is_no_step(session: ProjectSession) -> None:
    session.edit("Pin", lambda project: project.with_pin("a", None))
    assert session.undo_label is None
    session.edit("Find", lambda project: project.but(bakes=()))
    assert session.undo_label is None


@pytest.mark.parametrize("module", ["agile_shadow.core.playback", "agile_shadow.core.upkeep.search"])
def test_heavy_libraries_are_loaded_when_they_are_needed(module: str) -> None:
    code = f"import {module}, sys; print([m for m in ('cv2', 'scipy', 'sounddevice') if m in sys.modules])"
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert said.strip() == "[]"


class Both(RuleBasedStateMachine):
    """Decisions and facts in any order, against a plain model of the two."""

    def __init__(self) -> None:
        super().__init__()
        self.session = ProjectSession(Path("/nowhere/film.otio"), a_project(a_clip("a"), a_clip("b")))
        self.session.end()
        self.facts: dict[str, list[FileRef]] = {"a": [], "b": []}
        self.pins: list[dict[str, str | None]] = [{"a": None, "b": None}]
        self.at = 0

    @rule(clip=sampled_from("ab"), side=sampled_from(["originals", "proxies", None]))
    def pin(self, clip: str, side: str | None) -> None:
        self.session.edit("Pin", lambda project: project.with_pin(clip, side))  # type: ignore[arg-type]
        if self.pins[self.at][clip] != side:
            self.pins = [*self.pins[: self.at + 1], {**self.pins[self.at], clip: side}]
            self.at += 1

    @rule(clip=sampled_from("ab"), file=integers(0, 2))
    def found(self, clip: str, file: int) -> None:
        self.session.absorb(
            lambda now: now.with_change(clip, lambda one: one.with_proxy(Proxy(FILES[file], INFO, 1, made=True)))
        )
        self.facts[clip] = [*(one for one in self.facts[clip] if one != FILES[file]), FILES[file]]

    @rule(clip=sampled_from("ab"), file=integers(0, 2))
    def gone(self, clip: str, file: int) -> None:
        self.session.absorb(lambda now: now.without_proxy(clip, FILES[file]))
        self.facts[clip] = [one for one in self.facts[clip] if one != FILES[file]]

    @rule()
    def undo(self) -> None:
        self.session.undo()
        self.at = max(0, self.at - 1)

    @rule()
    def redo(self) -> None:
        self.session.redo()
        self.at = min(len(self.pins) - 1, self.at + 1)

    @invariant()
    def both_hold(self) -> None:
        for clip in self.session.project.clips:
            assert clip.pin == self.pins[self.at][clip.id]
            assert [one.file for one in clip.proxies] == self.facts[clip.id]


TestBoth = Both.TestCase
TestBoth.settings = settings(max_examples=40, stateful_step_count=25, deadline=None)
