"""Nothing that is called proved is anything else: whatever lies on the shelves, is known, moves or goes away."""

from __future__ import annotations

import os
import shutil
import tempfile
import wave
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from agile_shadow.core import below as below_module
from agile_shadow.core import hashing as reading
from agile_shadow.core.drives import Drives
from agile_shadow.core.errors import ShelfGone
from agile_shadow.core.ingest import IngestReport, IngestRequest, IngestRun, copying, writing
from agile_shadow.core.ingest import waiting as waiting_module
from agile_shadow.core.ingest.board import READING, Progress
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import Originals, Preset, Takes
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.shelves import MARK
from tests.conftest import hashes
from tests.inline import inline_machine

NAMES = ("a.wav", "b.wav", "sub/c.wav")


def sound(path: Path, seed: int, samples: int = 400) -> None:
    """A small sound file of its own."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with wave.open(str(path), "wb") as out:
        out.setparams((1, 2, 8000, 0, "NONE", ""))
        out.writeframes(bytes((seed * 31 + k * 7) % 251 for k in range(2 * samples)))


class ScriptedDrives(Drives):
    """The machine's drives; at the n-th stretch that is read or written something happens."""

    def __init__(self) -> None:
        self.at: dict[int, Callable[[], None]] = {}
        self.steps = 0
        self.exchanged: set[Path] = set()

    def _step(self) -> None:
        self.steps += 1
        self.at.pop(self.steps, lambda: None)()

    def reading(self, path: Path, offset: int, count: int) -> None:
        self._step()

    def writing(self, path: Path, offset: int, count: int) -> None:
        self._step()

    def identity(self, folder: Path) -> tuple[int, int]:
        device, inode = super().identity(folder)
        return (device + 1000, inode) if folder in self.exchanged else (device, inode)


@dataclass
class World:
    """A card, two shelves, a project, and what each run did."""

    folder: Path
    drives: ScriptedDrives = field(default_factory=ScriptedDrives)

    @property
    def card(self) -> Path:
        return self.folder / "Card"

    @property
    def shelves(self) -> tuple[Path, Path]:
        return self.folder / "one", self.folder / "two"

    def run(self, second: bool = True, card: Path | None = None, checksum: str = "xxh128") -> IngestRun:
        originals = Originals(second_copy=second, checksum=checksum, manifest=False)  # type: ignore[arg-type]
        preset = Preset(name="T", takes=Takes(), originals=originals, proxies=None)
        session = ProjectSession.open(self.folder / "p.otio")
        request = IngestRequest(card or self.card, self.shelves[0], self.folder / "p", preset, self.shelves[1])
        run = IngestRun(request, session, JobStore(), now=True, machine=inline_machine())
        try:
            run.run()
        finally:
            session.close()
        return run


@contextmanager
def world() -> Iterator[World]:
    folder = Path(tempfile.mkdtemp(prefix="truth-"))
    made = World(folder)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        for module in (reading, writing, below_module):
            patch.setattr(module, "drives", lambda: made.drives)
        try:
            yield made
        finally:
            shutil.rmtree(folder, ignore_errors=True)


def report_of(run: IngestRun) -> IngestReport:
    assert run.report is not None
    return run.report


def every_proof_is_true(run: IngestRun, card: Path, roots: tuple[Path, ...]) -> None:
    """What the run counts as proved has the card's bytes at each place now."""
    good: dict[Path, set[Path]] = {}
    for one in run._s.proofs.every():
        assert one.path.is_file() and not one.path.is_symlink()
        assert one.path.read_bytes() == one.source.read_bytes(), one
        good.setdefault(one.source, set()).add(next(root for root in roots if one.path.is_relative_to(root)))
    whole = sum(1 for places in good.values() if places == set(roots))
    report = report_of(run)
    assert report.proved <= whole and report.copied <= whole and report.proved <= report.found
    assert report.as_many_as_shot == (report.proved == report.found > 0 and not report.failed)


damages = st.sampled_from(["none", "missing", "emptied", "cut off", "a byte off", "other", "a link", "a folder"])
moments = st.sampled_from(["card grows", "card replaced", "card truncated", "target changes", "drive goes", "nothing"])


def damage(path: Path, how: str, outside: Path) -> None:
    """Do something to a file that lies on a shelf, or put something where one will lie."""
    path.parent.mkdir(parents=True, exist_ok=True)
    content = path.read_bytes() if path.is_file() else b"x" * 900
    time = path.stat().st_mtime_ns if path.is_file() else 10**18
    if how == "none":
        return
    path.unlink(missing_ok=True)
    if how == "emptied":
        path.write_bytes(b"")
    elif how == "cut off":
        path.write_bytes(content[:-5])
    elif how == "a byte off":
        path.write_bytes(content[:-1] + bytes([content[-1] ^ 1]))
    elif how == "other":
        path.write_bytes(b"y" * len(content))
    elif how == "a link":
        outside.write_bytes(content)
        path.symlink_to(outside)
    elif how == "a folder":
        path.mkdir()
    if path.is_file() and not path.is_symlink():
        os.utime(path, ns=(time, time))  # size and time alone would say that nothing happened


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    files=st.integers(1, 3), known=st.sampled_from(["nothing", "this card", "another card", "one shelf only"]),
    first=st.lists(damages, min_size=3, max_size=3), second=st.lists(damages, min_size=3, max_size=3),
    moment=moments, step=st.integers(1, 12), which=st.integers(0, 2), two=st.booleans(),
)  # fmt: skip
def test_what_is_proved_is_true(
    files: int, known: str, first: list[str], second: list[str], moment: str, step: int, which: int, two: bool
) -> None:
    with world() as made:
        names = NAMES[:files]
        for number, name in enumerate(names):
            sound(made.card / name, number)
        if known != "nothing":
            other = made.folder / "Other card"
            shutil.copytree(made.card, other)
            card = made.card if known == "this card" else other
            assert report_of(made.run(known != "one shelf only", card)).proved == files
        outside = made.folder / "outside"
        outside.mkdir()
        roots = made.shelves if two else made.shelves[:1]
        for how, root in ((first, made.shelves[0]), (second, made.shelves[1])):
            for number, name in enumerate(names):
                damage(root / name, how[number], outside / f"{root.name}{number}")
        before = hashes(outside)
        victim = made.card / names[which % files]
        made.drives.at[made.drives.steps + step] = _event(moment, made, victim, made.shelves[0] / names[which % files])
        try:
            run = made.run(two)
        except ShelfGone:
            assert moment == "drive goes"
            return
        every_proof_is_true(run, made.card, roots)
        assert hashes(outside) == before  # what links lead to is left alone
        if moment == "nothing":
            assert report_of(run).proved == files  # nothing stood against it


def _event(moment: str, made: World, victim: Path, target: Path) -> Callable[[], None]:
    def grow() -> None:
        with victim.open("ab") as handle:
            handle.write(b"more")
        os.utime(victim, ns=(10**18 + 5, 10**18 + 5))

    def replace() -> None:
        content = victim.read_bytes()
        victim.unlink()
        victim.write_bytes(bytes(len(content)))

    def truncate() -> None:
        os.truncate(victim, 50)

    def change() -> None:
        if target.is_file() and not target.is_symlink():
            target.write_bytes(b"changed meanwhile")

    def go() -> None:
        made.drives.exchanged.add(made.shelves[0])

    return {
        "card grows": grow, "card replaced": replace, "card truncated": truncate, "target changes": change,
        "drive goes": go, "nothing": lambda: None,
    }[moment]  # fmt: skip


# The single ones, in words


def test_a_known_file_that_was_emptied_on_the_shelf_is_copied_anew_and_the_clip_has_the_new_one() -> None:
    with world() as made:
        for number in range(2):
            sound(made.card / NAMES[number], number)
        made.run(second=False)
        shelf = made.shelves[0] / "a.wav"
        time = shelf.stat().st_mtime_ns
        shelf.write_bytes(b"")
        os.utime(shelf, ns=(time, time))
        other = Path(shutil.copytree(made.card, made.folder / "Other"))
        run = made.run(second=False, card=other)
        report = report_of(run)
        assert (report.copied, report.proved, report.here_already) == (2, 2, 2)
        project = run._s.session.project
        assert len(project.clips) == 2
        path = project.path(next(clip for clip in project.clips if clip.name == "a").original.file)
        assert path == made.shelves[0] / "a_2.wav" and path.read_bytes() == (other / "a.wav").read_bytes()
        assert "other bytes" in report.rows[0].note and shelf.read_bytes() == b""


def test_a_second_copy_that_is_missing_is_added_to_what_is_known() -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        made.run(second=False)
        report = report_of(made.run(second=True))
        assert (report.copied, report.proved, report.second_copies) == (1, 1, 1)
        assert hashes(made.shelves[1]) == hashes(made.shelves[0]) == hashes(made.card)
        (made.shelves[1] / "a.wav").unlink()
        assert report_of(made.run(second=True)).proved == 1 and (made.shelves[1] / "a.wav").is_file()


@pytest.mark.parametrize("again", [False, True])
def test_a_card_file_that_changes_while_it_is_copied_is_copied_once_more_or_told(
    again: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        card = made.card / "a.wav"
        was = card.stat()
        content = card.read_bytes()

        def change() -> None:
            card.write_bytes(content[::-1])
            os.utime(card, ns=(10**18, 10**18))

        def begin(*arguments: Any) -> Any:
            tries.append(1)
            if len(tries) == 2 and not again:  # by the second try all is as it was listed
                card.write_bytes(content)
                os.utime(card, ns=(was.st_atime_ns, was.st_mtime_ns))
            return real(*arguments)

        real, tries = copying._Copying, list[int]()
        monkeypatch.setattr(copying, "_Copying", begin)
        made.drives.at[2] = change
        report = report_of(made.run(second=False))
        copied = hashes(made.shelves[0])
        assert len(tries) == 2
        if again:
            assert report.proved == 0 and "changed while it was copied" in report.failed[0].reason and copied == {}
        else:
            assert report.proved == 1 and copied == hashes(made.card)
            assert (made.shelves[0] / "a.wav").stat().st_mtime_ns == was.st_mtime_ns


def test_a_file_that_changes_after_it_was_copied_is_not_counted() -> None:
    with world() as made:
        for number, name in enumerate(NAMES):
            sound(made.card / name, number)
        made.drives.at[10] = lambda: sound(made.card / "a.wav", 9)  # the last file is being read by then
        report = report_of(made.run(second=False))
        assert (report.copied, report.proved) == (2, 2) and not report.as_many_as_shot
        assert [problem.path for problem in report.failed] == ["a.wav"]


def test_a_drive_that_is_not_there_is_never_made_anew() -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        made.run()
        shutil.move(made.shelves[0], made.folder / "away")  # its mount point is gone with it
        sound(made.card / "b.wav", 2)
        with pytest.raises(ShelfGone, match="its drive is away"):
            made.run()
        assert not made.shelves[0].exists()
        made.shelves[0].mkdir()  # the empty mount point of an unmounted drive: another device, no mark
        made.drives.exchanged.add(made.shelves[0])
        with pytest.raises(ShelfGone):
            made.run()
        assert list(made.shelves[0].iterdir()) == []
        made.drives.exchanged.clear()
        made.shelves[0].rmdir()
        shutil.move(made.folder / "away", made.shelves[0])
        assert report_of(made.run()).proved == 2


def test_a_drive_taken_away_in_the_middle_is_told_and_the_system_drive_stays_empty() -> None:
    with world() as made:
        for number, name in enumerate(NAMES):
            sound(made.card / name, number)
        made.run(second=False)
        shutil.rmtree(made.card)
        for number, name in enumerate(NAMES):
            sound(made.card / f"later/{name}", number + 10)
        away = made.folder / "away"

        def unmount() -> None:
            made.shelves[0].rename(away)
            made.shelves[0].mkdir()

        made.drives.at[made.drives.steps + 4] = unmount
        report = report_of(made.run(second=False))
        assert list(made.shelves[0].iterdir()) == []  # nothing was made on the mount point
        assert report.failed and all("drive" in problem.reason for problem in report.failed)
        assert report.proved == 0  # what was copied before is not there now


def test_a_run_waits_for_a_drive_as_for_a_card() -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        made.run(second=False)
        sound(made.card / "b.wav", 2)
        waited: list[str] = []

        def unmount() -> None:
            made.drives.exchanged.add(made.shelves[0])

        made.drives.at[made.drives.steps + 1] = unmount
        session = ProjectSession.open(made.folder / "p.otio")
        preset = Preset(name="T", originals=Originals(), proxies=None)
        run = IngestRun(
            IngestRequest(made.card, made.shelves[0], made.folder / "p", preset), session, JobStore(), patient=True,
            machine=inline_machine(),
        )  # fmt: skip
        waiting_module.AGAIN, before = 0.05, waiting_module.AGAIN
        flush = run.board.flush_soon

        def look() -> None:
            flush()
            if run.waits_for_a_person and not waited:
                waited.append(run.waits_for_a_person)
                made.drives.exchanged.clear()

        run.board.flush_soon = look  # type: ignore[method-assign]
        try:
            assert run.run().proved == 2
        finally:
            waiting_module.AGAIN = before
            session.close()
        assert str(made.shelves[0]) in waited[0] and "connect it" in waited[0]


def test_shelves_bear_a_mark_and_a_hand_made_folder_on_the_same_drive_is_taken() -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        made.run(second=False)
        assert (made.shelves[0] / MARK).is_file()
        shutil.rmtree(made.shelves[0])
        made.shelves[0].mkdir()  # the user made it again: same drive, mounted at the same place
        assert report_of(made.run(second=False)).proved == 1


def test_a_root_that_no_project_names_any_more_is_made_where_its_drive_is_mounted() -> None:
    with world() as made:
        sound(made.card / "a.wav", 1)
        made.run(second=False)
        shutil.rmtree(made.shelves[0])
        (made.folder / "p.otio").unlink()  # as when a demo is deleted to be made again
        made.drives.exchanged.add(made.folder)
        with pytest.raises(ShelfGone):
            made.run(second=False)
        made.drives.exchanged.clear()
        assert report_of(made.run(second=False)).proved == 1


def test_what_a_running_ingest_calls_verified_is_what_was_read_back() -> None:
    progress = Progress(12, 11, 3, 8, 1, 0.5, None, proved=9)
    assert progress.of_files() == "11 of 12 in place, 9 verified" and progress.of_work() == "3 of 8 proxies"
    assert progress.in_short() == "9 of 12 verified" and replace(progress, copied=0, proved=0).in_short()[:2] == "0 "
    stays = replace(progress, proved=0, proxies_wanted=0)
    assert stays.of_files() == stays.in_short() == "11 of 12 in place" and stays.of_work() == "11 of 12 files"
    begins = replace(stays, files=0, copied=0)
    assert begins.of_files() == begins.of_work() == begins.in_short() == READING  # and not "0 of 0"
