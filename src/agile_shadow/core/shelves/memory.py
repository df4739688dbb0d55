"""What this machine remembers of the roots it wrote to: an unmounted drive leaves an empty folder, which is none."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..below import Anchor
from ..drives import existing, on_one_drive
from ..errors import ShadowError
from ..state import opened, state_file
from .volumes import mount_of

_TABLE = """CREATE TABLE IF NOT EXISTS roots (
  root TEXT PRIMARY KEY, device INTEGER NOT NULL, inode INTEGER NOT NULL, mount TEXT NOT NULL)"""


@dataclass(frozen=True)
class RootMemory:
    """A shelf's root when it was last written to: its device and inode, and where its drive was mounted."""

    device: int
    inode: int
    mount: str

    def same_drive(self, anchor: Anchor) -> bool:
        """Whether a root lies on the same drive, mounted at the same place."""
        return self.device == anchor.device and self.mount == mount_of(anchor.root)


def remember_root(anchor: Anchor) -> None:
    """Keep what a root is now. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        values = (str(anchor.root), _signed(anchor.device), _signed(anchor.inode), mount_of(anchor.root))
        db.execute("INSERT OR REPLACE INTO roots VALUES (?, ?, ?, ?)", values)


def remembered_root(root: Path) -> RootMemory | None:
    """What a root was when it was last written to; None when it never was, or this machine has forgotten. Raises
    StateError."""
    with opened(state_file(), _TABLE) as db:
        row = db.execute("SELECT device, inode, mount FROM roots WHERE root=?", (str(root),)).fetchone()
    return RootMemory(_unsigned(row[0]), _unsigned(row[1]), row[2]) if row else None


def would_share_a_drive(one: Path, other: Path) -> bool:
    """Whether what is put into two folders now lies on one file system; False where that cannot be told, as of a shelf
    whose drive is away. Touches drives."""
    with suppress(ShadowError, OSError):
        return _is_as_remembered(one) and _is_as_remembered(other) and on_one_drive(one, other)
    return False


def _is_as_remembered(root: Path) -> bool:
    memory = remembered_root(root)
    return memory is None or memory.same_drive(Anchor.of(existing(root)))


def _signed(number: int) -> int:
    """Device and inode numbers have 64 bits without a sign, the file's numbers have one."""
    return number - (1 << 64) if number >= 1 << 63 else number


def _unsigned(number: int) -> int:
    return number + (1 << 64) if number < 0 else number
