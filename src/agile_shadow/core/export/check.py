"""The final check: what an export would use, before it starts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ..errors import ExportError, ShadowError, os_reason, sentence
from ..hashing import checksum_of
from ..media.sequence import members, status
from ..project import Clip, Project
from ..timeline import Block, Timeline


@dataclass(frozen=True)
class SourceCheck:
    """One original that the timeline uses. ``problem`` is empty when it is there and unchanged."""

    clip: str
    path: str
    shelf: str
    blocks: int
    problem: str = ""
    note: str = ""


@dataclass(frozen=True)
class FinalCheck:
    """All originals of the timeline."""

    sources: tuple[SourceCheck, ...]
    empty: bool

    @property
    def ready(self) -> bool:
        """Whether the export may begin."""
        return not self.empty and not any(source.problem for source in self.sources)

    @property
    def warnings(self) -> list[str]:
        """Notes worth reading that do not stand against the export."""
        return [f"{source.path}: {source.note}" for source in self.sources if source.note]

    def refuse_if_not_ready(self) -> None:
        """Raises ExportError naming the first original that is missing or changed and its shelf."""
        if self.empty:
            raise ExportError("the timeline is empty", None, "Put a clip on it first.")
        for source in self.sources:
            if source.problem:
                raise ExportError(
                    f"{source.problem} (clip {source.clip}, shelf {source.shelf})",
                    source.path,
                    "Connect its shelf or bring the file back; the film is made from originals only.",
                )


def used_blocks(line: Timeline) -> Iterator[Block]:
    """Blocks of clips that are seen or heard: those of tracks that are on."""
    return (block for track in line.tracks if not track.off for block in track.blocks if block.title is None)


def what_is_used(project: Project) -> object:
    """What a final check depends on, besides the drives: equal as long as it would look at the same."""
    line = project.timeline
    uses = [(block.clip, block.link or block.id) for block in used_blocks(line)]
    clips = [project.clip(identity) for identity in dict.fromkeys(clip for clip, _use in uses)]
    originals = [clip.original for clip in clips if clip is not None]
    return uses, originals, project.shelves, (line.name, line.length, line.rate, line.width, line.height)


def final_check(project: Project) -> FinalCheck:
    """Look at each original of the timeline: is it there, and the file that was ingested? Reads drives; not for the
    interface thread. Size and modification time are compared; where only the time differs, the checksum decides."""
    used: dict[str, set[str]] = {}
    for block in used_blocks(project.timeline):
        used.setdefault(block.clip, set()).add(block.link or block.id)  # picture and its sound are one use
    checks = []
    for identity, blocks in used.items():
        clip = project.clip(identity)
        assert clip is not None
        checks.append(_check(project, clip, len(blocks)))
    return FinalCheck(tuple(checks), project.timeline.length == 0)


def _check(project: Project, clip: Clip, blocks: int) -> SourceCheck:
    shelf = project.shelf(clip.original.file.shelf)
    shelf_name = shelf.name if shelf is not None else "unknown"
    try:
        path = project.path(clip.original.file)
    except ShadowError as error:
        return SourceCheck(clip.name, clip.original.file.path, shelf_name, blocks, sentence(error))
    if path is None:
        return SourceCheck(clip.name, clip.original.file.path, shelf_name, blocks, "its shelf is not known")
    problem, note = _compare(path, clip)
    if clip.original.info.damage and not problem:
        note = f"it is damaged: {clip.original.info.damage}" + (f"; {note}" if note else "")
    return SourceCheck(clip.name, str(path), shelf_name, blocks, problem, note)


def _compare(path: Path, clip: Clip) -> tuple[str, str]:
    try:
        size, modified = status(path)
        if size != clip.original.size:
            return "the original has another size than when it was ingested", ""
        if modified == clip.original.modified:
            return "", ""
        if not clip.original.checksum_value:
            return "", "its date changed since it was ingested, and no checksum was taken then"
        if checksum_of(members(path), clip.original.checksum) != clip.original.checksum_value:
            return "the original is not the file that was ingested: its checksum differs", ""
        return "", "its date changed, its bytes did not"
    except FileNotFoundError:
        return "the original is missing", ""
    except OSError as error:
        return f"the original cannot be read: {os_reason(error)[0]}", ""
