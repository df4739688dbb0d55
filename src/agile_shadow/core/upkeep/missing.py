"""Files of a project that are not where they were, and finding them again by what they are."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Literal, NamedTuple

from ..amounts import counted
from ..errors import Cancelled, ShadowError
from ..hashing import checksum_of
from ..jobs import Executor
from ..matching.evidence import Sign
from ..media import MediaInfo
from ..media.recording import as_form, form_of
from ..media.sequence import exists, members
from ..pairs import FileRef, Proxy
from ..project import Clip, Project
from .listing import Found, Left, files_at
from .probing import ProbeRequest, probe_or_reason
from .recognising import Recognised, RecogniseRequest, Wanted, recognise
from .taking import reference_of, with_proxy

Part = Literal["original", "proxy"]


@dataclass(frozen=True)
class Missing:
    """A file that is not there: of which clip, which half, and where it should be."""

    clip: Clip
    part: Part
    file: FileRef
    info: MediaInfo
    size: int
    shelf: str
    path: Path | None
    checksum: str = ""
    checksum_value: str = ""


@dataclass(frozen=True)
class Again:
    """A file that is the missing one: certain by its checksum or all that is known of it, or likely."""

    missing: Missing
    path: Path
    verdict: Literal["certain", "likely"]
    findings: tuple[Sign, ...]


@dataclass(frozen=True)
class FoundAgain:
    """The outcome: ``found``; ``still``: what is missing yet; ``left``: files that are none of them."""

    found: tuple[Again, ...]
    still: tuple[Missing, ...]
    left: tuple[Left, ...]


class NotThere(NamedTuple):
    """A file that is not there: of which clip, of which of its proxies (None: the original), and where it should be;
    None for a path that leaves its shelf."""

    clip: Clip
    proxy: Proxy | None
    path: str | None

    @property
    def file(self) -> FileRef:
        """As the project names it."""
        return self.clip.original.file if self.proxy is None else self.proxy.file


def missing_files(project: Project, away: frozenset[Path] = frozenset()) -> list[Missing]:
    """Files of a project that are not there now, with all that is known of them. As :func:`lost_files`."""
    names = {shelf.id: shelf.name for shelf in project.shelves}
    return [_missing(lost, names.get(lost.file.shelf, "an unknown shelf")) for lost in lost_files(project, away)]


def _missing(lost: NotThere, shelf: str) -> Missing:
    clip, file = lost.clip, lost.file
    path = as_form(Path(lost.path), file.form) if lost.path is not None else None
    if lost.proxy is not None:
        return Missing(clip, "proxy", file, lost.proxy.info, lost.proxy.size, shelf, path)
    original = clip.original
    return Missing(clip, "original", file, original.info, original.size, shelf, path, original.checksum,
                   original.checksum_value)  # fmt: skip


def lost_files(project: Project, away: frozenset[Path] = frozenset()) -> Iterator[NotThere]:
    """Files of a project that are not there now. Touches drives: each folder is listed once. ``away``: roots of shelves
    that are known to be away, or not to answer: they are not touched.

    Told by names alone wherever that will do: ten thousand may be missing, and are looked for every few seconds for
    days, while somebody travels without the big drive.
    """
    there = _There(away, project)
    for clip in project.clips:
        if not there.has(clip.original.file):
            yield from _lost(NotThere(clip, None, there.named(clip.original.file)), project, there)
        for proxy in clip.proxies:
            if not there.has(proxy.file):
                yield from _lost(NotThere(clip, proxy, there.named(proxy.file)), project, there)


def _lost(named: NotThere, project: Project, there: _There) -> Iterator[NotThere]:
    """It, unless what is no plain path by its name is there all the same."""
    if named.path is not None:
        yield named
        return
    path = project.place_or_none(named.file)
    if path is None or path not in there:
        yield named._replace(path=str(path) if path is not None else None)


def paths_below(project: Project, roots: frozenset[Path]) -> frozenset[str]:
    """Where the files of shelves under these roots should be, by name: touches no drive."""
    there = _There(roots, project)
    files = (file for clip in project.clips for file in (clip.original.file, *(proxy.file for proxy in clip.proxies)))
    paths = (there.named(file) or str(project.place_or_none(file) or "") for file in files if there.is_away(file.shelf))
    return frozenset(path for path in paths if path)


class _There:
    """What lies in folders, each listed when it is first asked for."""

    def __init__(self, away: frozenset[Path], project: Project) -> None:
        self._away = away
        self._names: dict[str, frozenset[str]] = {}
        self._all = {shelf.id: f"{str(shelf.root).rstrip('/')}/" for shelf in project.shelves}
        self._roots = {
            shelf.id: f"{shelf.root}/" for shelf in project.shelves
            if not any(shelf.root.is_relative_to(root) for root in away)
        }  # fmt: skip

    def has(self, file: FileRef) -> bool:
        """Whether a plain file is seen at its place. Told by names alone, for there may be ten thousand, looked for
        every few seconds: False is no answer yet."""
        root = self._roots.get(file.shelf)
        if root is None or file.form != "file" or ".." in file.path or file.path.startswith("/"):
            return False
        folder, _, name = file.path.rpartition("/")
        return name in self._in(root + folder if folder else root[:-1])

    def named(self, file: FileRef) -> str | None:
        """Where a plain file should be; None where that takes more than putting names together."""
        root, path = self._all.get(file.shelf), file.path
        if root is None or file.form != "file" or not path or path[0] == "/" or path[-1] in "/.":
            return None
        return None if "//" in path or "./" in path else root + path

    def is_away(self, shelf: str) -> bool:
        """Whether a shelf of the project lies below one of those that are away."""
        return shelf in self._all and shelf not in self._roots

    def _in(self, folder: str) -> frozenset[str]:
        names = self._names.get(folder)
        if names is None:
            try:
                names = frozenset(os.listdir(folder))
            except OSError:
                names = frozenset()
            self._names[folder] = names
        return names

    def __contains__(self, path: Path) -> bool:
        if self._away and any(path.is_relative_to(root) for root in self._away):
            return False
        folder, name = os.path.split(path)
        if form_of(path) != "file":
            return exists(path)
        return name in self._in(folder)


def find_again(
    wanted: Sequence[Missing], places: Iterable[Path], pool: Executor,
    report: Callable[[str, float], None] = lambda what, part: None, stopped: Callable[[], bool] = lambda: False,
) -> FoundAgain:  # fmt: skip
    """Look through places for missing files: by size and checksum, else by size, name, what the file is and what an
    original showed when its proxy was made.

    Raises ShadowError for a place that is not there, Cancelled once it is ``stopped``. Reads whole files only where
    their size fits and a checksum is known that the name does not already confirm.
    """

    def going_on() -> None:
        if stopped():
            raise Cancelled

    files, left = files_at(places, going_on)
    by_size: dict[int, list[Found]] = defaultdict(list)
    for one in files:
        by_size[one.size].append(one)
    found: list[Again] = []
    used: set[Path] = set()
    refused: set[Path] = set()
    for number, lost in enumerate(wanted):
        going_on()
        report("Searching for missing files", number / max(1, len(wanted)))
        fitting = [file for file in by_size.get(lost.size, []) if file.path not in used]
        again = _best(lost, fitting, refused, pool, going_on)
        if again is not None:
            used.add(again.path)
            found.append(again)
    known = {(one.missing.clip.id, one.missing.file) for one in found}
    still = tuple(one for one in wanted if (one.clip.id, one.file) not in known)
    sizes = {one.size for one in wanted}
    left += [Left(str(one.path), _why_left(one, sizes, refused)) for one in files if one.path not in used]
    return FoundAgain(tuple(found), still, tuple(left))


def _why_left(one: Found, sizes: set[int], refused: set[Path]) -> str:
    if one.size not in sizes:
        return "no missing file has its size"
    if one.path in refused:
        return "it has the size of a missing file, but is another one"
    return "another file was found for the missing one of its size"


def _best(
    one: Missing, candidates: Sequence[Found], refused: set[Path], pool: Executor, going_on: Callable[[], None]
) -> Again | None:
    """The file among those of its size that it is; those that are not are ``refused``."""
    name = PurePosixPath(one.file.path).name
    ranked = sorted(candidates, key=lambda file: (PurePosixPath(file.name).name != name, file.name))
    possible: list[Again] = []
    for file in ranked:
        again = _compared(one, file, name, pool, going_on)
        if again is not None and again.verdict == "certain":
            return again
        if again is not None:
            possible.append(again)
        else:
            refused.add(file.path)
    return possible[0] if possible else None


def _compared(
    one: Missing, file: Found, name: str, pool: Executor, going_on: Callable[[], None]
) -> Again | None:
    going_on()
    findings = [Sign("size", 4.0, f"the same size, {one.size} bytes")]
    named = PurePosixPath(file.name).name == name
    if named:
        findings.append(Sign("names", 4.0, "the same name"))
    if one.checksum_value:
        try:
            value = checksum_of(members(file.path), one.checksum, lambda _count: going_on())
        except OSError:
            return None
        if value != one.checksum_value:
            return None
        findings.append(Sign("checksum", 30.0, f"the same {one.checksum}, {value}"))
        return Again(one, file.path, "certain", tuple(findings))
    future: Future[MediaInfo | str] = pool.submit(probe_or_reason, ProbeRequest(file.path))
    try:
        info = future.result()
    except ShadowError:  # a file that ends its reader is not the one
        return None
    if not isinstance(info, MediaInfo) or replace(info, size=0) != replace(one.info, size=0):
        return None
    findings.append(Sign("data", 8.0, "all that the file says of itself is the same"))
    seen = _recognised(one, file.path, pool)
    if seen is not None and not seen.same:
        return None  # cameras use names again, and give files of one length one size
    if seen is not None:
        findings.append(Sign("picture", 20.0, f"the same picture at {counted(seen.frames, 'frame')}"))
    return Again(one, file.path, "certain" if named or seen is not None else "likely", tuple(findings))


def _recognised(one: Missing, path: Path, pool: Executor) -> Recognised | None:
    """Whether it shows the pictures of a missing original; None where these are not known."""
    if one.part != "original" or one.path is None or one.info.kind != "video":
        return None
    wanted = Wanted(one.path, one.size, one.clip.original.modified)
    request = RecogniseRequest(wanted, path, one.info.frames, one.info.sequence_rate)
    future: Future[Recognised | None] = pool.submit(recognise, request)
    try:
        return future.result()
    except ShadowError:
        return None


def take_again(project: Project, found: Iterable[Again], place: Path) -> Project:
    """With missing files where they were found. Proofs stay: size, time and bytes tell whether they hold."""
    for one in found:
        clip = project.clip(one.missing.clip.id)
        if clip is None:
            continue
        role = "originals" if one.missing.part == "original" else "proxies"
        project, file = reference_of(project, one.path, place, role)
        if one.missing.part == "original":
            project = project.with_original(clip.id, replace(clip.original, file=file))
        elif (old := next((p for p in clip.proxies if p.file == one.missing.file), None)) is not None:
            project = project.with_decision(clip.id, project.cut.decision(clip.id).with_parted(old.file))
            project = with_proxy(project, clip.id, replace(old, file=file))
    return project
