import errno
import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.errors import Cancelled, CopyError
from agile_shadow.core.files import is_partial, partial_path, rename_new
from agile_shadow.core.hashing import hash_file, new_hasher
from agile_shadow.core.ingest.copying import copy_file
from agile_shadow.core.presets import CHECKSUMS
from agile_shadow.core.shelves import Shelf
from tests.footage import refusal


@pytest.fixture
def source(tmp_path: Path) -> Path:
    path = tmp_path / "card" / "clip.mov"
    path.parent.mkdir()
    path.write_bytes(os.urandom(9_500_000))
    os.utime(path, ns=(10**18, 10**18))
    return path


@pytest.mark.parametrize("checksum", CHECKSUMS)
def test_a_copy_is_equal_proved_and_keeps_its_time(source: Path, tmp_path: Path, checksum: str) -> None:
    (one,) = copy_file(source, (tmp_path / "shelf" / "a" / "clip.mov",), checksum)
    target, value = one.path, one.value
    hasher = new_hasher(checksum)
    hasher.update(source.read_bytes())
    assert target.read_bytes() == source.read_bytes()
    assert value == hasher.hexdigest() == hash_file(target, checksum)
    assert target.stat().st_mtime_ns == 10**18


def test_a_name_that_is_taken_is_never_overwritten(source: Path, tmp_path: Path) -> None:
    target = tmp_path / "clip.mov"
    target.write_bytes(b"another clip")
    assert copy_file(source, (target,), "xxh128")[0].path.name == "clip_2.mov"
    assert copy_file(source, (target,), "xxh128")[0].path.name == "clip_2.mov"
    assert target.read_bytes() == b"another clip"


@pytest.mark.parametrize("code", [errno.ENOSPC, errno.EIO])
def test_a_write_that_fails_is_told_and_leaves_nothing(
    source: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, code: int
) -> None:
    def fail(handle: int, data: bytes) -> int:
        raise OSError(code, os.strerror(code))

    monkeypatch.setattr(os, "write", fail)
    target = tmp_path / "shelf" / "clip.mov"
    said = refusal(lambda: copy_file(source, (target,), "xxh128"))
    assert str(target) in said and ("drive is full" in said or "fault" in said)
    assert list(target.parent.iterdir()) == []


def test_two_copies_come_from_one_reading_and_fail_together(
    source: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    targets = (tmp_path / "one" / "clip.mov", tmp_path / "two" / "clip.mov")
    read = []
    real = os.preadv

    def counted(handle: int, buffers: list[bytearray], offset: int) -> int:
        count = real(handle, buffers, offset)
        read.append(count if os.readlink(f"/proc/self/fd/{handle}") == str(source) else 0)
        return count

    monkeypatch.setattr(os, "preadv", counted)
    assert tuple(one.path for one in copy_file(source, targets, "xxh64")) == targets
    assert sum(read) == source.stat().st_size
    assert [target.read_bytes() == source.read_bytes() for target in targets] == [True, True]
    for target in targets:
        target.unlink()
    write = os.write

    def full(handle: int, data: bytes) -> int:
        if "/two/" in os.readlink(f"/proc/self/fd/{handle}"):
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return write(handle, data)

    monkeypatch.setattr(os, "write", full)
    assert str(targets[1]) in refusal(lambda: copy_file(source, targets, "xxh64"))
    assert [list(target.parent.iterdir()) for target in targets] == [[], []]


def test_a_copy_that_reads_back_otherwise_is_refused(
    source: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = os.write
    monkeypatch.setattr(os, "write", lambda handle, data: real(handle, bytes(len(data))))
    with pytest.raises(CopyError, match="differs"):
        copy_file(source, (tmp_path / "shelf" / "clip.mov",), "xxh128")
    assert list((tmp_path / "shelf").iterdir()) == []


def test_a_cancelled_copy_leaves_nothing(source: Path, tmp_path: Path) -> None:
    def cancel(done: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        copy_file(source, (tmp_path / "shelf" / "clip.mov",), "xxh128", cancel)
    assert list((tmp_path / "shelf").iterdir()) == []


def test_a_final_name_is_taken_only_when_free(tmp_path: Path) -> None:
    partial = partial_path(tmp_path / "x.mov")
    assert is_partial(partial.name) and not is_partial("x.mov")
    partial.write_bytes(b"new")
    (tmp_path / "x.mov").write_bytes(b"old")
    with pytest.raises(FileExistsError):
        rename_new(partial, tmp_path / "x.mov")
    assert (tmp_path / "x.mov").read_bytes() == b"old"


@given(st.lists(st.sampled_from(["a", "b", "..", "/", ".", ""]), max_size=5).map("/".join))
def test_no_path_leads_out_of_its_shelf(relative: str) -> None:
    shelf = Shelf("1", "Boathouse", "originals", Path("/nowhere/boathouse"))
    try:
        path = shelf.resolve(relative)
    except Exception as error:
        assert "Boathouse" in str(error)
    else:
        assert path.resolve().is_relative_to("/nowhere/boathouse")


def test_a_link_out_of_the_shelf_is_not_followed(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    root.mkdir()
    (root / "out").symlink_to(tmp_path)
    assert "link" in refusal(lambda: Shelf("1", "Boathouse", "originals", root).resolve("out/secret.mov"))
