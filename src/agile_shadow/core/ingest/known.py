"""What is here already: copies proven in an earlier try, and originals of the project with the same bytes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path

from ..jobs import CopyRecord, JobStore
from ..media.sequence import exists, status
from ..project import Clip, ProjectSession
from .copying import CopyRequest, CopyResult, Proved
from .looking import Identity


class Known:
    """For one run; used by its thread only."""

    def __init__(self, session: ProjectSession, store: JobStore, checksum: str) -> None:
        self._session = session
        self._store = store
        self._checksum = checksum
        self._by_source: dict[str, str] = {}
        self._by_size: defaultdict[int, list[str]] = defaultdict(list)
        for clip in session.project.clips:
            self._by_source.setdefault(clip.source, clip.id)
            self._by_size[clip.original.size].append(clip.id)

    def add(self, clip: Clip) -> None:
        """A clip came into the project."""
        self._by_source[clip.source] = clip.id
        if clip.id not in self._by_size[clip.original.size]:
            self._by_size[clip.original.size].append(clip.id)

    def clip_from(self, source: Path) -> Clip | None:
        """The clip that was taken from that place, if any."""
        return self._session.project.clip(self._by_source.get(str(source), ""))

    def lies_there(self, source: Path, target: Path, size: int) -> bool:
        """Whether a file needs no room any more: it is there by name and size, or the project took it from there."""
        clip = self.clip_from(source)
        if clip is not None and clip.original.size == size:
            return True
        try:
            return exists(target) and status(target)[0] == size
        except OSError:
            return False

    def proven(self, request: CopyRequest) -> CopyResult | None:
        """The copies of an earlier try, when proofs and files still agree and the project knows the clip."""
        clip = self.clip_from(request.place)
        if clip is None:
            return None
        proved = []
        for item in (*request.items, *request.sidecars, *request.copies):
            for target in item.targets or (item.source,):
                record = self._record_that_holds(item.source, target)
                if record is None:
                    return None
                proved.append(Proved(item.source, target, record.value))
        targets = request.items[0].targets
        return self._result(clip, targets[1] if len(targets) > 1 else None, tuple(proved))

    def without_card(self, place: Path, size: int, modified: int) -> CopyResult | None:
        """The copy of a file whose card is gone, when the project took it in and it lies on the shelf as it was."""
        clip = self.clip_from(place)
        path = self._session.project.path(clip.original.file) if clip is not None else None
        if clip is None or path is None or not exists(path):
            return None
        same = (clip.original.size, clip.original.modified) == (size, modified) == status(path)
        return self._result(clip, None, ()) if same else None

    def _result(self, clip: Clip, second: Path | None, proved: tuple[Proved, ...]) -> CopyResult | None:
        path = self._session.project.path(clip.original.file)
        if path is None or not exists(path):
            return None
        original = clip.original
        return CopyResult(path, original.size, original.modified, original.checksum_value, original.info, "", (),
                          second, proved)  # fmt: skip

    def _record_that_holds(self, source: Path, target: Path) -> CopyRecord | None:
        record = self._store.proven_copy(source, target)
        if record is None or record.checksum != self._checksum:
            return None
        try:
            there, here = source.stat(), target.stat()
        except OSError:
            return None
        same = (record.size, record.source_mtime, record.target_mtime) == (
            there.st_size, there.st_mtime_ns, here.st_mtime_ns,
        )  # fmt: skip
        return record if same and here.st_size == there.st_size else None

    def same_size(self, size: int) -> tuple[Identity, ...]:
        """Originals of the project that may be a file by its size and can be told by their checksum."""
        project = self._session.project
        found = []
        for identity in self._by_size.get(size, ()):
            clip = project.clip(identity)
            path = project.place(clip.original.file) if clip is not None else None
            if clip is not None and clip.original.checksum_value and path is not None and exists(path):
                found.append(Identity(clip.id, clip.original.checksum, clip.original.checksum_value))
        return tuple(found)

    def clip_at(self, result: CopyResult) -> Clip | None:
        """The clip whose original lies where a copy was found or made, with its checksum."""
        project = self._session.project
        for identity in self._by_size.get(result.size, ()):
            clip = project.clip(identity)
            same = clip is not None and clip.original.checksum_value == result.value
            if clip is not None and same and project.place(clip.original.file) == result.path:
                return clip
        return None

    def remember(self, proved: Sequence[Proved]) -> None:
        """Keep the proof of each copy, so that going on does not copy it again."""
        for one in proved:
            try:
                here = one.path.stat()
            except OSError:
                continue  # the shelf is gone: it will be looked at again
            try:
                there = one.source.stat()
            except OSError:
                there = here  # the card is gone: a copy keeps size and time of its original
            self._store.remember_copy(
                CopyRecord(str(one.source), there.st_size, there.st_mtime_ns, str(one.path), here.st_mtime_ns,
                           self._checksum, one.value)
            )  # fmt: skip
