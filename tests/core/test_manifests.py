"""ASC MHL manifests: whole or not there, one writer at a time, readable by the reference tool, safe to read."""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.below import Anchor
from agile_shadow.core.errors import CopyError
from agile_shadow.core.hashing import hash_file
from agile_shadow.core.ingest import history as histories
from agile_shadow.core.ingest import verify_folder
from agile_shadow.core.ingest.copying import Proved
from agile_shadow.core.ingest.ignoring import Ignored, name_fits
from agile_shadow.core.ingest.manifest import Wrote, write_manifest
from tests.footage import refusal

REFERENCE = Path(sys.executable).with_name("ascmhl-debug")


def put(root: Path, *names: str) -> list[Proved]:
    """Files of their own content, as proved copies."""
    proved = []
    for name in names:
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(name.encode("utf-8", "replace") * 20)
        proved.append(Proved(path, path, hash_file(path, "xxh128")))
    return proved


def write(root: Path, files: list[Proved]) -> Wrote:
    return write_manifest(Anchor.of(root), files, "xxh128")


def reference(*arguments: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run([REFERENCE, *map(str, arguments)], capture_output=True, text=True, timeout=120)


def test_the_reference_tool_verifies_files_folders_and_the_root(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov", "sub/b.mov", "sub/deep/c.mov"))
    assert reference("verify", root).returncode == 0
    folders = reference("verify", "-dh", "-v", root)
    said = folders.stdout + folders.stderr
    assert folders.returncode == 0, said
    assert said.count("OK") >= 3 and "ERROR" not in said and "root folder" in said
    (root / "sub" / "b.mov").write_bytes(b"other")
    assert reference("verify", "-dh", root).returncode != 0


def test_generations_follow_each_other_and_say_only_what_is_new(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    first = put(root, "a.mov")
    assert write(root, first).folders == (str(root / "ascmhl"),)
    write(root, [*first, *put(root, "b.mov")])
    assert write(root, first).folders == (str(root / "ascmhl"),)  # nothing new: no third generation
    assert len(list((root / "ascmhl").glob("*.mhl"))) == 2
    assert verify_folder(root).equal == 2 and reference("verify", root).returncode == 0


def test_a_name_that_no_manifest_can_hold_is_told_and_the_others_are_in_it(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    wrote = write(root, put(root, "good.mov", "bad\x07name.mov", "two\nlines.mov"))
    assert len(wrote.told) == 2 and "cannot hold" in wrote.told[0]
    assert verify_folder(root).equal == 1
    again = write(root, put(root, "later.mov", "bad\x07name.mov"))
    assert verify_folder(root).equal == 2 and len(again.told) == 1


@pytest.mark.parametrize("step", range(12))
def test_writing_that_breaks_off_anywhere_leaves_a_history_that_goes_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, step: int
) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    files = put(root, "b.mov")
    left = [step]

    def breaking(real: object) -> object:
        def call(*arguments: object, **named: object) -> object:
            left[0] -= 1
            if left[0] < 0:
                raise KeyboardInterrupt  # as a kill: nothing cleans up after it
            return real(*arguments, **named)  # type: ignore[operator]

        return call

    with monkeypatch.context() as patch:
        for module, name in (
            (os, "fsync"), (os, "replace"), (histories, "rename_new"), (Path, "unlink"), (os, "rename"),
        ):  # fmt: skip
            patch.setattr(module, name, breaking(getattr(module, name)))
        try:
            write(root, files)
        except KeyboardInterrupt:
            pass
    wrote = write(root, files)
    assert wrote.told == ()
    assert reference("verify", root).returncode == 0
    assert verify_folder(root).equal == 2
    assert len(list((root / "ascmhl").glob("*.mhl"))) == 2


@pytest.mark.parametrize(
    "harm", ["empty manifest", "cut manifest", "empty chain", "cut chain", "no chain", "an empty folder"]
)
def test_a_half_written_history_is_mended_or_set_aside(tmp_path: Path, harm: str) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    folder = root / "ascmhl"
    (manifest,) = folder.glob("*.mhl")
    chain = folder / "ascmhl_chain.xml"
    if harm == "empty manifest":
        (folder / "0002_shelf_2026-01-01_000000.mhl").write_bytes(b"")
    elif harm == "cut manifest":
        (folder / "0002_shelf_2026-01-01_000000.mhl").write_bytes(manifest.read_bytes()[:-40])
    elif harm == "empty chain":
        chain.write_bytes(b"")
    elif harm == "cut chain":
        chain.write_bytes(chain.read_bytes()[:-30])
    elif harm == "no chain":
        chain.unlink()
    else:
        manifest.unlink()
        chain.unlink()
    wrote = write(root, put(root, "a.mov", "b.mov"))
    assert bool(wrote.told) == (harm in ("empty manifest", "cut manifest", "empty chain", "cut chain"))
    assert all("set aside" in text for text in wrote.told)
    assert reference("verify", root).returncode == 0 and verify_folder(root).equal == 2


def test_a_history_that_was_tampered_with_is_told_and_left_alone(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    (manifest,) = (root / "ascmhl").glob("*.mhl")
    manifest.write_bytes(manifest.read_bytes().replace(b"a.mov", b"x.mov"))
    with pytest.raises(CopyError, match="could not be written"):
        write(root, put(root, "b.mov"))
    assert len(list((root / "ascmhl").glob("*.mhl"))) == 1


def test_two_processes_lose_no_generation(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    names = [f"{letter}{number}.mov" for letter in "ab" for number in range(6)]
    put(root, *names)
    script = (
        "import sys; from pathlib import Path; sys.path.insert(0, '.')\n"
        "from tests.core.test_manifests import write, put\n"
        f"root = Path({str(root)!r})\n"
        "for k in range(6): write(root, put(root, f'{sys.argv[1]}{k}.mov'))\n"
    )
    both = [subprocess.Popen([sys.executable, "-c", script, letter]) for letter in "ab"]
    assert [process.wait(120) for process in both] == [0, 0]
    assert len(list((root / "ascmhl").glob("*.mhl"))) == 12
    assert verify_folder(root).equal == 12 and reference("verify", root).returncode == 0


@pytest.mark.parametrize("harm", ["pipe chain", "pipe manifest", "link", "link folder", "huge"])
def test_a_hostile_history_is_refused_at_once(tmp_path: Path, harm: str) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    chain = root / "ascmhl" / "ascmhl_chain.xml"
    if harm == "pipe chain":
        chain.unlink()
        os.mkfifo(chain)
    elif harm == "pipe manifest":
        os.mkfifo(root / "ascmhl" / "0002_x.mhl")
    elif harm == "link":
        chain.rename(tmp_path / "chain.xml")
        chain.symlink_to(tmp_path / "chain.xml")
    elif harm == "link folder":
        (root / "ascmhl").rename(tmp_path / "history")
        (root / "ascmhl").symlink_to(tmp_path / "history")
    else:
        with chain.open("ab") as handle:
            handle.truncate(300_000_000)
    begun = time.monotonic()
    assert refusal(lambda: verify_folder(root))
    assert refusal(lambda: write(root, put(root, "b.mov")))
    assert time.monotonic() - begun < 5


def test_patterns_of_many_stars_take_no_time(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    (manifest,) = (root / "ascmhl").glob("*.mhl")
    text = manifest.read_text()
    evil = "*a" * 60 + "b"
    assert "<pattern>*.part</pattern>" in text
    manifest.write_text(text.replace("<pattern>*.part</pattern>", f"<pattern>{evil}</pattern>"))
    (root / "ascmhl" / "ascmhl_chain.xml").unlink()
    histories.mend(root)
    put(root, "a" * 120 + ".mov")
    begun = time.monotonic()
    assert verify_folder(root).unlisted == ["a" * 120 + ".mov"]
    assert time.monotonic() - begun < 2


def test_links_and_paths_out_of_the_folder_are_never_opened(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    write(root, put(root, "a/x.mov", "b.mov"))
    (tmp_path / "secret").mkdir()
    (tmp_path / "secret" / "x.mov").write_bytes((root / "a" / "x.mov").read_bytes())
    (root / "a" / "x.mov").unlink()
    (root / "a").rmdir()
    (root / "a").symlink_to(tmp_path / "secret")
    found = verify_folder(root)
    assert found.equal == 1 and len(found.unreadable) == 1 and "link" in found.unreadable[0]


LETTERS = st.sampled_from("ab.*?")


@settings(max_examples=300, deadline=None)
@given(st.text(LETTERS, max_size=8), st.text(st.sampled_from("ab."), max_size=8))
def test_a_name_fits_a_pattern_as_the_shell_says(pattern: str, name: str) -> None:
    from fnmatch import fnmatchcase

    assert name_fits(pattern, name) == fnmatchcase(name, pattern)


PATTERNS = ["*.part", "/a", "a/", "b/*.mov", "**/c", "a/**", "!x.mov", "?.txt", "[ab].x"]
PARTS = ["a", "b", "c", "x.mov", "y.txt", "a.x", "z.part"]


@settings(max_examples=200, deadline=None)
@given(st.lists(st.sampled_from(PATTERNS), max_size=4), st.lists(st.sampled_from(PARTS), min_size=1, max_size=4))
def test_what_is_left_out_is_what_the_package_leaves_out(patterns: list[str], parts: list[str]) -> None:
    pathspec = pytest.importorskip("pathspec")
    path = "/".join(parts)
    theirs = pathspec.PathSpec.from_lines("gitwildmatch", patterns).match_file(path)
    if not any(pattern.startswith("!") for pattern in patterns):  # what is put back below a folder differs by design
        assert Ignored(patterns).matches(path) == theirs


def test_random_bytes_in_place_of_a_history_never_raise_anything_else(tmp_path: Path) -> None:
    chance = random.Random(3)
    root = tmp_path / "shelf"
    write(root, put(root, "a.mov"))
    files = list((root / "ascmhl").iterdir())
    good = {path: path.read_bytes() for path in files}
    for _ in range(60):
        for path, content in good.items():
            mutated = bytearray(content)
            for _ in range(chance.randrange(1, 6)):
                at = chance.randrange(len(mutated))
                mutated[at : at + chance.randrange(0, 4)] = chance.randbytes(chance.randrange(0, 4))
            path.write_bytes(bytes(mutated))
        try:
            verify_folder(root)
            write(root, put(root, "b.mov"))
        except Exception as error:
            assert type(error).__name__ in ("ShadowError", "CopyError")
        for extra in root.glob("ascmhl*"):
            if extra.name != "ascmhl":
                extra.rename(tmp_path / f"gone {chance.random()}")
        (root / "ascmhl").mkdir(exist_ok=True)
        for path in (root / "ascmhl").iterdir():
            path.unlink()
        for path, content in good.items():
            path.write_bytes(content)
