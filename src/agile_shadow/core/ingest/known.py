"""What is here already: copies proven in an earlier try, and originals of the project with the same bytes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path

from ..jobs import CopyRecord, JobStore
from ..media.sequence import exists, members, status
from ..project import Clip, Project, ProjectSession
from ..readings import note_readings, reading_now
from .copying import CopyRequest, CopyResult, Proved
from .known_as import KnownClip, candidate_of


class Known:
    """For one run; used by its thread only."""

    def __init__(self, session: ProjectSession, store: JobStore, checksum: str) -> None:
        self._session = session
        self._store = store
        self._checksum = checksum
        self._by_source: dict[str, str] = {}
        self._candidates: dict[str, tuple[Clip, object, Path, KnownClip]] = {}
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
        places = [target]
        if clip is not None and (place := self._session.project.place_or_none(clip.original.file)) is not None:
            places.append(place)
        try:
            return any(exists(place) and status(place)[0] == size for place in places)
        except OSError:
            return False

    def without_card(self, request: CopyRequest, roots: Sequence[Path]) -> tuple[Proved, ...]:
        """The copies of a clip whose card is away, as they were when they were read back: one of each of its files at
        each of the shelves. Nothing where one is missing, or the project does not know the clip."""
        if self.clip_from(request.place) is None:
            return ()
        found: list[Proved] = []
        for item in request.every:
            records = [one for one in self._store.copies_of(item.source) if one.checksum == self._checksum]
            for root in roots:
                record = next((one for one in reversed(records) if self._lies_below(one, root)), None)
                if record is None:
                    return ()
                stamp = (record.size, record.source_mtime)
                found.append(Proved(item.source, Path(record.target), record.value, stamp, stamp))
        own = {item.source: one.source_stamp for item in request.items for one in found if one.source == item.source}
        was = (sum(size for size, _time in own.values()), max((time for _size, time in own.values()), default=0))
        return tuple(found) if request.stamp in (None, was) else ()

    @staticmethod
    def _lies_below(record: CopyRecord, root: Path) -> bool:
        target = Path(record.target)
        return target.is_relative_to(root) and ".." not in target.parts and target.is_file()

    def was_taken(self, place: Path, size: int, modified: int) -> bool:
        """Whether the project took that very file in before. Nothing is said of where it lies now."""
        clip = self.clip_from(place)
        return clip is not None and (clip.original.size, clip.original.modified) == (size, modified)

    def result_of(self, place: Path, proved: tuple[Proved, ...], roots: Sequence[Path]) -> CopyResult | None:
        """The clip taken from there as it lies on its shelf, with copies that were read back just now."""
        clip = self.clip_from(place)
        path = self._session.project.path(clip.original.file) if clip is not None else None
        if clip is None or path is None or not exists(path):
            return None
        original = clip.original
        second = None
        if len(roots) > 1:
            first = {one.source: one.path for one in proved if one.path.is_relative_to(roots[0])}
            own = {source for source, target in first.items() if target in members(path)}
            lie = [one.path for one in proved if one.source in own and one.path.is_relative_to(roots[1])]
            second = lie[0] if lie else None
        return CopyResult(path, original.size, original.modified, original.checksum_value, original.info, "", (),
                          second, proved, clip=clip.id)  # fmt: skip

    def same_size(self, size: int, source: Path) -> tuple[KnownClip, ...]:
        """Clips of the project that a file of a source may be by its size and that can be told by their checksum."""
        project = self._session.project
        clips = (project.clip(identity) for identity in self._by_size.get(size, ()))
        told = (clip for clip in clips if clip is not None and clip.original.checksum_value)
        return tuple(self._candidate(clip, project, source) for clip in told)

    def _candidate(self, clip: Clip, project: Project, source: Path) -> KnownClip:
        """Made once for as long as the clip and the shelves stay what they are: a card may hold thousands of a size."""
        kept = self._candidates.get(clip.id)
        if kept is None or kept[0] is not clip or kept[1] is not project.shelves or kept[2] != source:
            kept = self._candidates[clip.id] = clip, project.shelves, source, candidate_of(clip, project, source)
        return kept[3]

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
        """Keep what each copy was when it was read back, so that going on without the card knows what to compare."""
        self._store.remember_copies(
            CopyRecord(str(one.source), *one.source_stamp, str(one.path), one.stamp[1], self._checksum, one.value)
            for one in proved
        )
        note_readings(reading_now(one.path, *one.stamp, self._checksum, one.value) for one in proved if one.value)
