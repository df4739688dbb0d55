"""What undo takes back is what was decided; what happened in the world stays."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule
from hypothesis.strategies import integers, sampled_from

from agile_shadow.core.media import MediaInfo
from agile_shadow.core.pairing.taking import accepted, unpair, with_offset, with_proxy
from agile_shadow.core.pairs import FileRef, Original, Proof, Proxy, Stamp
from agile_shadow.core.project import Clip, Project, ProjectSession, load_project, new_project, save_project
from agile_shadow.core.shelves import Shelf

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
    session.edit("Take offset", lambda project: with_offset(project, "a", FILES[0], 3))
    assert session.project.clip("a").proxies[0].state == "paired"  # type: ignore[union-attr]
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(3)))
    assert session.project.clip("a").proxies[0].state == "proven"  # type: ignore[union-attr]
    session.undo()
    (pair,) = session.project.clip("a").proxies  # type: ignore[union-attr]
    assert (pair.offset, pair.proof) == (0, None)


def test_what_was_let_pass_holds_for_that_proof(session: ProjectSession) -> None:
    session.absorb(lambda now: now.with_change("a", lambda clip: clip.with_proxy(Proxy(FILES[0], INFO, 1))))
    session.absorb(lambda now: now.with_proof("a", FILES[0], a_proof(0, "doubtful")))
    session.edit("Good as it is", lambda project: accepted(project, "a", FILES[0]))
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
