"""A simulated card reader and simulated drives: folders that can be pulled out, slow, full, or faulty at a byte.

What they do is written in a control file beside them, so that every process that reads or writes sees the same drive.
Name this module in the environment (see :mod:`..drives`) and the control file in ``AGILE_SHADOW_STAND_IN_DRIVES``.
"""

from __future__ import annotations

import errno
import json
import os
import time
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from ..core.drives import REPLACED_BY, Drives
from ..core.files import written_atomically

CONTROL = "AGILE_SHADOW_STAND_IN_DRIVES"
_PULLED = ".pulled-out-"


@dataclass(frozen=True)
class Behaviour:
    """How a drive behaves.

    ``speed``: bytes a second, 0 for as fast as it goes. ``room``: bytes it holds in all, None for what there is.
    ``unreadable``: path below the drive and the byte from which on reading fails; ``fails``: how often it fails in one
    process before it reads after all, None for always. ``unwritable``: from which byte of any file writing fails.
    """

    root: str
    speed: float = 0.0
    room: int | None = None
    gone: bool = False
    unreadable: tuple[str, int] | None = None
    fails: int | None = None
    unwritable: int | None = None


class StandInDrive:
    """One simulated drive or card: a folder that tests and the demo control."""

    def __init__(self, root: Path, control: Path) -> None:
        self.root = root.absolute()
        self._control = control

    def environment(self) -> dict[str, str]:
        """What a process needs in its environment to see the drive as it behaves."""
        return {REPLACED_BY: __name__, CONTROL: str(self._control)}

    def behave(self, **changes: object) -> None:
        """Change how it behaves from now on."""
        every = _read(self._control)
        now = replace(every.get(str(self.root), Behaviour(str(self.root))), **changes)  # type: ignore[arg-type]
        every[str(self.root)] = now
        self._control.parent.mkdir(parents=True, exist_ok=True)
        with written_atomically(self._control) as partial:
            partial.write_text(json.dumps([asdict(one) for one in every.values()]))

    def pull_out(self) -> None:
        """Take it out, whatever is being read: its folder is gone, and open files cannot be read on."""
        self.behave(gone=True)
        os.rename(self.root, self._aside)

    def insert(self) -> None:
        """Put it in again at the same place."""
        if self._aside.exists():
            os.rename(self._aside, self.root)
        self.behave(gone=False)

    @property
    def is_in(self) -> bool:
        """Whether it is in its slot."""
        return self.root.is_dir()

    @property
    def _aside(self) -> Path:
        return self.root.with_name(_PULLED + self.root.name)


class SimulatedDrives(Drives):
    """The machine's drives, with those of a control file behaving as it says."""

    def __init__(self, control: Path) -> None:
        self._control = control
        self._seen = 0
        self._behaviours: dict[str, Behaviour] = {}
        self._failed: dict[str, int] = {}

    def _of(self, path: Path) -> tuple[Behaviour, str] | None:
        try:
            stamp = self._control.stat().st_mtime_ns
        except OSError:
            return None
        if stamp != self._seen:
            self._seen, self._behaviours = stamp, _read(self._control)
        for root, behaviour in self._behaviours.items():
            if path.is_relative_to(root):
                return behaviour, path.relative_to(root).as_posix()
        return None

    def reading(self, path: Path, offset: int, count: int) -> None:
        found = self._of(path)
        if found is None:
            return
        behaviour, below = found
        _be_there(behaviour, path)
        count = min(count, max(0, path.stat().st_size - offset))
        _take_time(behaviour, count)
        if behaviour.unreadable is not None and below == behaviour.unreadable[0]:
            place = behaviour.unreadable[1]
            if offset <= place < offset + count and self._still_fails(below, behaviour):
                raise OSError(errno.EIO, os.strerror(errno.EIO), str(path))

    def _still_fails(self, below: str, behaviour: Behaviour) -> bool:
        self._failed[below] = self._failed.get(below, 0) + 1
        return behaviour.fails is None or self._failed[below] <= behaviour.fails

    def writing(self, path: Path, offset: int, count: int) -> None:
        found = self._of(path)
        if found is None:
            return
        behaviour, _below = found
        _be_there(behaviour, path)
        _take_time(behaviour, count)
        if behaviour.unwritable is not None and offset + count > behaviour.unwritable:
            raise OSError(errno.EIO, os.strerror(errno.EIO), str(path))
        if behaviour.room is not None and _used(Path(behaviour.root)) + count > behaviour.room:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path))

    def free(self, folder: Path) -> int:
        found = self._of(folder)
        room = super().free(folder)
        if found is None or found[0].room is None:
            return room
        return max(0, min(room, found[0].room - _used(Path(found[0].root))))

    def mounted(self) -> list[Path]:
        self._of(self._control)
        return [Path(root) for root, one in self._behaviours.items() if not one.gone and Path(root).is_dir()]


def drives() -> Drives:
    """The drives of a process that was told of a control file."""
    control = os.environ.get(CONTROL)
    return SimulatedDrives(Path(control)) if control else Drives()


def _read(control: Path) -> dict[str, Behaviour]:
    try:
        values = json.loads(control.read_text())
    except (OSError, ValueError):
        return {}
    found = {}
    for one in values:
        place = one.get("unreadable")
        found[one["root"]] = Behaviour(**{**one, "unreadable": tuple(place) if place else None})
    return found


def _be_there(behaviour: Behaviour, path: Path) -> None:
    if behaviour.gone:
        raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), str(path))


def _take_time(behaviour: Behaviour, count: int) -> None:
    if behaviour.speed:
        time.sleep(count / behaviour.speed)


def _used(root: Path) -> int:
    total = 0
    for folder, _folders, names in os.walk(root):
        for name in names:
            try:
                total += os.stat(os.path.join(folder, name)).st_size
            except OSError:
                continue
    return total
