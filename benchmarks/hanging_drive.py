"""``python -m benchmarks.hanging_drive BEHIND FOLDER``: shows what lies at BEHIND as a drive mounted at FOLDER.

Standard input says how it behaves: ``hang`` (every call waits, as on a network drive without its server), ``go on``.
It needs the FUSE library of the system and a user who may mount.
"""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

_STAT = ("st_atime", "st_ctime", "st_gid", "st_mode", "st_mtime", "st_nlink", "st_size", "st_uid")
_ROOM = ("f_bavail", "f_bfree", "f_blocks", "f_bsize", "f_favail", "f_ffree", "f_files", "f_flag", "f_frsize")


def why_not() -> str:
    """Why no such drive can be mounted here; "" where one can."""
    if not os.access("/dev/fuse", os.R_OK | os.W_OK):
        return "no FUSE device here"
    try:
        import mfusepy  # noqa: F401  # an optional package that loads a library of the system
    except (ImportError, OSError) as error:
        return f"no FUSE library here ({error})"
    return ""


class HangingDrive:
    """A drive in a process of its own, so that this one can hang on it. Raises OSError where it cannot be mounted."""

    def __init__(self, behind: Path, folder: Path) -> None:
        self.folder = folder
        command = [sys.executable, "-m", "benchmarks.hanging_drive", str(behind), str(folder)]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True,
                                         stderr=subprocess.DEVNULL, cwd=Path(__file__).parent.parent)  # fmt: skip
        end = time.monotonic() + 20
        while not os.path.ismount(folder):
            if self._process.poll() is not None or time.monotonic() > end:
                self._process.kill()
                raise OSError("The drive could not be mounted.")
            time.sleep(0.02)

    def say(self, how: str) -> None:
        """``hang`` or ``go on``."""
        assert self._process.stdin is not None
        self._process.stdin.write(f"{how}\n")
        self._process.stdin.flush()

    def close(self) -> None:
        """Let everybody go, and unmount."""
        if self._process.poll() is None:
            self.say("go on")
            subprocess.run(["umount", "--lazy", self.folder], check=False, capture_output=True)
            try:
                self._process.wait(10)
            except subprocess.TimeoutExpired:
                self._process.kill()
        self._process.wait()


def _serve(behind: str, folder: str) -> None:
    import mfusepy  # loads a library of the system: only where a drive is served

    free = threading.Event()
    free.set()

    class Drive(mfusepy.Operations):  # type: ignore[misc]
        """What lies behind, as it is; nothing is kept by the kernel, so that every look asks."""

        use_ns = True

        def _path(self, below: str) -> str:
            free.wait()
            return behind + below

        def access(self, path: str, mode: int) -> int:
            return 0 if os.access(self._path(path), mode) else -1

        def getattr(self, path: str, fh: int | None = None) -> dict[str, Any]:
            found = os.lstat(self._path(path))
            values: dict[str, Any] = {name: getattr(found, name) for name in _STAT}
            return {**values, **{f"st_{one}time": getattr(found, f"st_{one}time_ns") for one in "acm"}}

        def statfs(self, path: str) -> dict[str, int]:
            found = os.statvfs(self._path(path))
            return {name: getattr(found, name) for name in _ROOM}

        def readdir(self, path: str, fh: int) -> list[str]:
            return [".", "..", *os.listdir(self._path(path))]

        def readlink(self, path: str) -> str:
            return os.readlink(self._path(path))

        def open(self, path: str, flags: int) -> int:
            return os.open(self._path(path), flags)

        def create(self, path: str, mode: int, fi: Any = None) -> int:
            return os.open(self._path(path), os.O_RDWR | os.O_CREAT, mode)

        def read(self, path: str, size: int, offset: int, fh: int) -> bytes:
            free.wait()
            return os.pread(fh, size, offset)

        def write(self, path: str, data: bytes, offset: int, fh: int) -> int:
            free.wait()
            return os.pwrite(fh, data, offset)

        def truncate(self, path: str, length: int, fh: int | None = None) -> None:
            os.truncate(self._path(path), length)

        def fsync(self, path: str, datasync: int, fh: int) -> None:
            free.wait()
            os.fsync(fh)

        def release(self, path: str, fh: int) -> None:
            os.close(fh)

        def mkdir(self, path: str, mode: int) -> None:
            os.mkdir(self._path(path), mode)

        def rmdir(self, path: str) -> None:
            os.rmdir(self._path(path))

        def unlink(self, path: str) -> None:
            os.unlink(self._path(path))

        def rename(self, old: str, new: str) -> None:
            os.rename(self._path(old), behind + new)

        def utimens(self, path: str, times: tuple[int, int] | None = None) -> None:
            os.utime(self._path(path), ns=times)

    def listen() -> None:
        words: dict[str, Callable[[], None]] = {"hang": free.clear, "go on": free.set}
        for line in sys.stdin:
            words.get(line.strip(), lambda: None)()
        free.set()  # whoever mounted it has ended
        subprocess.run(["umount", "--lazy", folder], check=False, capture_output=True)

    threading.Thread(target=listen, daemon=True).start()
    mfusepy.FUSE(Drive(), folder, foreground=True, attr_timeout=0, entry_timeout=0, direct_io=True)


if __name__ == "__main__":
    _serve(*sys.argv[1:])
