"""The final check: what a film would use, and what is odd about its timeline, before it starts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ..errors import ExportError, ShadowError, os_reason, sentence
from ..hashing import checksum_of
from ..media.sequence import members, status
from ..project import Clip, Project
from ..timeline import Block, Timeline
from .findings import Finding, findings_of


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
    """All originals of the stretch; ``findings``: what is odd about it."""

    sources: tuple[SourceCheck, ...]
    empty: bool
    findings: tuple[Finding, ...] = ()

    @property
    def ready(self) -> bool:
        """Whether the film may begin."""
        against = any(source.problem for source in self.sources) or any(one.stands_against for one in self.findings)
        return not self.empty and not against

    @property
    def warnings(self) -> list[str]:
        """Notes worth reading that do not stand against the film."""
        notes = [f"{source.path}: {source.note}" for source in self.sources if source.note]
        return notes + [one.text for one in self.findings if not one.stands_against]

    def refuse_if_not_ready(self) -> None:
        """Raises ExportError naming the first original that is missing or changed and its shelf."""
        if self.empty:
            raise ExportError("the timeline is empty", None, "Add a clip first.")
        for source in self.sources:
            if source.problem:
                raise ExportError(
                    f"{source.problem} (clip {source.clip}, shelf {source.shelf})",
                    source.path,
                    "Connect its shelf or bring the file back; the film is made from originals only.",
                )
        for one in self.findings:
            if one.stands_against:
                raise ExportError(one.text.rstrip("."), None, "Change the timeline, or bring the right original.")


def used_blocks(line: Timeline) -> Iterator[Block]:
    """Blocks of clips that are seen or heard: those of tracks that are on."""
    return (block for track in line.tracks if not track.off for block in track.blocks if block.title is None)


def blocks_in(line: Timeline, first: int, end: int | None) -> list[Block]:
    """Those of :func:`used_blocks` that lie in a stretch, at least in part."""
    last = line.length if end is None else end
    return [block for block in used_blocks(line) if block.start < last and block.end > first]


def what_is_used(project: Project) -> object:
    """What a final check depends on, besides the drives: equal as long as it would look at the same."""
    line = project.timeline
    uses = [(block.clip, block.link or block.id) for block in used_blocks(line)]
    clips = [project.clip(identity) for identity in dict.fromkeys(clip for clip, _use in uses)]
    originals = [clip.original for clip in clips if clip is not None]
    return uses, originals, project.shelves, (line.name, line.length, line.rate, line.width, line.height)


def final_check(project: Project, first: int = 0, end: int | None = None) -> FinalCheck:
    """Look at each original of a stretch (default: all) of the timeline: is it there, and the file that was ingested?
    And at the timeline. Reads drives; not for the interface thread. Size and modification time are compared; where
    only the time differs, the checksum decides."""
    used: dict[str, set[str]] = {}
    for block in blocks_in(project.timeline, first, end):
        used.setdefault(block.clip, set()).add(block.link or block.id)  # picture and its sound are one use
    checks = []
    for identity, blocks in used.items():
        clip = project.clip(identity)
        assert clip is not None
        checks.append(_check(project, clip, len(blocks)))
    return FinalCheck(tuple(checks), project.timeline.length == 0, findings_of(project, first, end))


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
            return "", "date changed since ingest; no checksum to compare with"
        if checksum_of(members(path), clip.original.checksum) != clip.original.checksum_value:
            return "the original is not the file that was ingested: its checksum differs", ""
        return "", "date changed, content unchanged"
    except FileNotFoundError:
        return "the original is missing", ""
    except OSError as error:
        return f"the original cannot be read: {os_reason(error)[0]}", ""
