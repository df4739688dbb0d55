"""What lies outside the shelves: what can be made again, earlier saves, logs; and the projects of this machine."""

from __future__ import annotations

import json
import os
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..errors import ShadowError, StateError, from_os_error, sentence
from ..files import written_atomically
from ..log import cache_folder, config_folder, state_folder
from ..media.signature import FOLDER
from ..media.sketch import FOLDER as SKETCHES
from ..project import Project, known_projects, load_project
from ..project.earlier import earlier_folder

DEFAULT_LIMIT = 2_000_000_000  # bytes of what can be made again
# folders of the cache whose files go when they are too many
_AGAIN = {
    "posters": "Posters", SKETCHES: "Sketches of clips", "waves": "Waveforms", FOLDER: "Signatures of originals",
}  # fmt: skip
_BLOCK = 512


@dataclass(frozen=True)
class Store:
    """Something kept outside the shelves: ``room`` in bytes on the drive; ``limited``: whether its files go, the least
    used first, when all together are over the limit."""

    name: str
    folder: Path
    files: int
    room: int
    limited: bool = False


@dataclass(frozen=True)
class KnownProject:
    """A project that this machine has opened: when (seconds since 1970), its clips, (shelf, folder, bytes of its files
    there), and how many of its files the open project has too. ``problem``: why it cannot be read."""

    path: Path
    opened: float
    clips: int = 0
    shelves: tuple[tuple[str, str, int], ...] = ()
    shared: int = 0
    problem: str = ""


def stores(project: Path) -> list[Store]:
    """All that is kept for this user and this project. Touches drives."""
    cache, state = cache_folder(), state_folder()
    found = [Store(name, cache / folder, *_sum(cache / folder), True) for folder, name in _AGAIN.items()]
    files, room = _sum(cache)
    files -= sum(one.files for one in found)
    room -= sum(one.room for one in found)
    found.append(Store("Demo footage and trials", cache, files, max(0, room)))
    logs = [path for path in state.glob("agile-shadow.log*") if path.is_file()]
    found.append(Store("Logs", state, len(logs), sum(_room(path) for path in logs)))
    memory = [path for path in state.glob("machine.sqlite*") if path.is_file()]
    found.append(Store("Memory of jobs and measurements", state, len(memory), sum(_room(path) for path in memory)))
    found.append(Store("Timelines of waiting films", state / "films", *_sum(state / "films")))
    found.append(Store("Earlier saves of this project", earlier_folder(project), *_sum(earlier_folder(project))))
    return found


def _sum(folder: Path) -> tuple[int, int]:
    files = room = 0
    for where, _folders, names in os.walk(folder):
        for name in names:
            room += _room(Path(where) / name)
            files += 1
    return files, room


def _room(path: Path) -> int:
    try:
        return path.lstat().st_blocks * _BLOCK
    except OSError:
        return 0


# The limit


def _settings() -> Path:
    return config_folder() / "storage.json"


def limit() -> int:
    """Bytes that posters, sketches, waveforms and signatures may take, of all projects together."""
    try:
        value = json.loads(_settings().read_text(encoding="utf-8"))["limit"]
    except (OSError, ValueError, KeyError, TypeError):
        return DEFAULT_LIMIT
    return value if isinstance(value, int) and 0 <= value < 10**15 else DEFAULT_LIMIT


def set_limit(size: int) -> None:
    """Choose it, once for all projects. Raises ShadowError."""
    path = _settings()
    try:
        with written_atomically(path) as partial:
            partial.write_text(json.dumps({"limit": size}) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path) from error


def keep_to_limit(most: int | None = None) -> int:
    """Remove posters, sketches, waveforms, signatures, the ones used longest ago first, until they keep to the limit.

    Gives the bytes that went.
    """
    most = limit() if most is None else most
    found: list[tuple[float, int, Path]] = []
    for name in _AGAIN:
        folder = cache_folder() / name
        with suppress(OSError), os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_file(follow_symlinks=False) and not entry.name.startswith("."):
                    status = entry.stat(follow_symlinks=False)
                    used = max(status.st_atime, status.st_mtime)
                    found.append((used, status.st_blocks * _BLOCK, Path(entry.path)))
    over = sum(size for _used, size, _path in found) - most
    gone = 0
    for _used, size, path in sorted(found):
        if gone >= over:
            break
        with suppress(OSError):
            path.unlink()
            gone += size
    return gone


# The projects of this machine


def look_at_projects(open_project: Project, path: Path) -> list[KnownProject]:
    """The projects that this machine has opened, the last one first. Touches drives. Raises StateError."""
    own = _places(open_project)
    found = []
    for other, opened in known_projects():
        if not other.is_file():
            found.append(KnownProject(other, opened, problem="not there"))
            continue
        try:
            project = open_project if other == path else load_project(other)
        except (ShadowError, StateError) as error:
            found.append(KnownProject(other, opened, problem=sentence(error)))
            continue
        shared = 0 if other == path else len(own & _places(project))
        found.append(KnownProject(other, opened, len(project.clips), _shelves(project), shared))
    return found


def _places(project: Project) -> set[Path]:
    files = (file for clip in project.clips for file in (clip.original.file, *(one.file for one in clip.proxies)))
    return {place for file in files if (place := project.place_or_none(file)) is not None}


def _shelves(project: Project) -> tuple[tuple[str, str, int], ...]:
    sizes: dict[str, int] = {}
    for clip in project.clips:
        halves = ((clip.original.file, clip.original.size), *((one.file, one.size) for one in clip.proxies))
        for file, size in halves:
            sizes[file.shelf] = sizes.get(file.shelf, 0) + size
    return tuple((shelf.name, str(shelf.root), sizes.get(shelf.id, 0)) for shelf in project.shelves)


def opened_words(seconds: float) -> str:
    """Day and time."""
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(seconds))
