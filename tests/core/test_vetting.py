"""A file that ends its reader is opened by a worker first, and never by the window or a command."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from agile_shadow.core.errors import MediaError
from agile_shadow.core.jobs import vetting
from agile_shadow.core.jobs.vetting import Vetting, remember_read, try_out, was_read
from agile_shadow.core.media import FrameReader, SoundReader, probe
from agile_shadow.core.media.asking import Question
from agile_shadow.core.media.opening import open_media
from agile_shadow.core.media.poster import poster
from agile_shadow.core.media.sequence import status
from agile_shadow.core.state import state_file
from tests.drawn import draw
from tests.footage import ingest
from tests.until import until


def deadly(question: Question, report: Any) -> None:
    """What a file that ends its reader does: a task for a worker."""
    with question.path.with_suffix(".tries").open("a") as file:
        file.write("x")
    os.abort()


def stumbles(question: Question, report: Any) -> None:
    raise RuntimeError("planted")


def counted(question: Question, report: Any) -> None:
    with question.path.with_suffix(".tries").open("a") as file:
        file.write("x")
    try_out(question, report)


def tries(path: Path) -> int:
    try:
        return len(path.with_suffix(".tries").read_text())
    except FileNotFoundError:
        return 0


@pytest.fixture
def door() -> Iterator[Vetting]:
    with Vetting() as one:
        yield one


@pytest.fixture
def clip(tmp_path: Path) -> Path:
    return draw(tmp_path / "a.mov", 12, sound=True)


@pytest.mark.parametrize("opening", [FrameReader, SoundReader, probe, poster, open_media])
def test_whoever_opens_it_a_worker_tries_it_twice_and_this_process_never(
    door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch, opening: Any
) -> None:
    monkeypatch.setattr(vetting, "try_out", deadly)
    for _time in range(2):
        with pytest.raises(MediaError, match=r"twice a process ended while it read this file.*Check the file"):
            opening(clip)
    assert tries(clip) == 2  # the second time it was known
    assert not was_read(clip, *status(clip))


def test_a_file_is_tried_once_and_again_when_it_changed(
    door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(vetting, "try_out", counted)
    for _time in range(3):
        assert probe(clip).frames == 12
    assert tries(clip) == 1 and was_read(clip, *status(clip))
    with Vetting():  # another process of this machine
        assert probe(clip).frames == 12 and tries(clip) == 1
    draw(clip, 13)
    with Vetting():
        assert probe(clip).frames == 13 and tries(clip) == 2


def test_several_that_ask_at_once_wait_for_one_answer(
    door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(vetting, "try_out", counted)
    found: list[int] = []
    threads = [threading.Thread(target=lambda: found.append(probe(clip).frames)) for _number in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert found == [12] * 6 and tries(clip) == 1


def test_what_workers_read_in_an_ingest_is_not_tried_again(
    tmp_path: Path, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    card = tmp_path / "Card"
    card.mkdir()
    clip.rename(card / clip.name)
    ingest(card, tmp_path / "film" / "p.otio")
    monkeypatch.setattr(vetting, "try_out", counted)
    copy = tmp_path / "film" / "Boathouse" / "a.mov"
    with Vetting():
        assert probe(copy).frames == 12
    assert tries(copy) == 0


def test_errors_are_told_in_the_words_of_whoever_opens_it(door: Vetting, tmp_path: Path) -> None:
    (tmp_path / "b.mov").write_bytes(b"no film" * 99)
    (tmp_path / "c.mov").write_bytes(b"")
    for name, words in (("b.mov", "cannot be read as media"), ("c.mov", "is empty"), ("d.mov", "it is not there")):
        with pytest.raises(MediaError, match=words):
            probe(tmp_path / name)


def test_what_a_worker_lives_through_is_no_harm(door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(vetting, "try_out", stumbles)
    assert probe(clip).frames == 12


def test_a_door_that_closes_lets_go_and_another_stays(clip: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(vetting, "try_out", deadly)
    with Vetting() as first:
        with Vetting():  # a window that opens another project, before the old one is closed
            first.end()
            with pytest.raises(MediaError, match="twice a process ended"):
                probe(clip)
        assert probe(clip).frames == 12
    closing = Vetting()
    closing.end()
    with pytest.raises(MediaError, match="closing"):
        closing.vet(clip)


def test_a_state_that_cannot_be_written_costs_only_another_try(
    door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(vetting, "try_out", counted)
    state_file().unlink(missing_ok=True)
    monkeypatch.setattr(vetting, "state_file", lambda: clip / "state.sqlite")
    remember_read([clip, clip.with_name("gone.mov")])
    assert not was_read(clip, *status(clip)) and probe(clip).frames == 12 and tries(clip) == 1


def test_a_command_opens_through_the_door(clip: Path) -> None:
    code = (
        "import sys; from agile_shadow.core.media import opening; from agile_shadow import cli;"
        "cli.run = lambda arguments: print(len(opening._gates)) or 0; sys.argv[1:] = words; cli.main()"
    )
    for words, gates in ((["probe", "a.mov"], "1"), (["jobs", "list"], "0")):  # one that opens no file needs no worker
        done = subprocess.run([sys.executable, "-c", f"words = {words}; {code}"], capture_output=True, text=True,
                              timeout=60)  # fmt: skip
        assert done.stdout.strip() == gates and done.returncode == 0, done.stderr


def waits(question: Question, report: Any) -> None:
    """A drive that does not answer: until somebody says so, beside the file."""
    if question.path.stem == "hanging":
        question.path.with_suffix(".begun").touch()
        while not question.path.with_suffix(".go on").exists():
            report(0.0)
    try_out(question, report)


def test_nobody_waits_for_a_file_on_a_drive_that_does_not_answer(
    door: Vetting, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(vetting, "try_out", waits)
    hanging = draw(clip.with_name("hanging.mov"), 12)
    other = draw(clip.with_name("other.mov"), 12)
    remember_read([clip])
    thread = threading.Thread(target=lambda: probe(hanging))
    thread.start()
    try:
        until(hanging.with_suffix(".begun").exists)
        assert probe(clip).frames == probe(other).frames == 12  # one that is known, and one that is tried
        assert thread.is_alive()
    finally:
        hanging.with_suffix(".go on").touch()
        thread.join(20)
    assert not thread.is_alive()
