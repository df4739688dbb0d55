"""What was copied and made comes into the project: new clips, known ones, their proxies."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ..jobs.vetting import remember_read
from ..media import MediaInfo
from ..media.joined import parts_of
from ..media.recording import is_joined
from ..pairs import Original, Proxy, pair_made_proxy
from ..presets import Proxies
from ..project import Clip
from ..proxies import ProxyResult, is_such_proxy
from ..shelves import Shelf
from ..timeline import new_id
from .copying import CopyResult
from .places import clip_name
from .setting import Setting
from .shelving import reference
from .source import SourceFile


class TakingIn:
    """For one run."""

    def __init__(self, setting: Setting) -> None:
        self._s = setting

    def clip(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> tuple[Clip, bool, str]:
        """The clip of the project that a copy is of, which lies where the copy lies from now on, or a new one; whether
        the project had it from elsewhere; and what is to be told."""
        source = file.at(self._s.request.source)
        known = self._s.project.clip(result.clip) if result.clip else self._s.known.clip_at(result)
        here, note = known is not None and known is not self._s.known.clip_from(source), ""
        if known is None:
            clip = self._new_clip(file, result, info)
        else:
            clip, note = self._where_it_lies(known, result, info)
        remember_read([result.path])
        self._s.session.absorb(lambda now: now.with_clip(_with_original_of(now.clip(clip.id), clip)))
        self._s.known.add(replace(clip, source=str(source)))
        self._s.taken[file.path] = clip.id
        self._s.small_copies += sum(1 for proxy in clip.proxies if not proxy.info.made_as) if file.copies else 0
        return clip, here, note

    def _where_it_lies(self, clip: Clip, result: CopyResult, info: MediaInfo) -> tuple[Clip, str]:
        """A known clip whose copy was missing or not whole any more has the new one, and a note says so."""
        project = self._s.project
        if project.place_or_none(clip.original.file) == result.path:
            return clip, ""
        home = project.shelf(clip.original.file.shelf)
        shelf = home if home is not None and result.path.is_relative_to(home.root) else self._s.shelves.originals
        damaged = project.place_or_none(clip.original.file) in result.others
        note = f"the copy that was there had other bytes: copied anew as {result.path.name}" if damaged else ""
        return replace(clip, original=self._original(shelf, result, info)), note

    def _original(self, shelf: Shelf, result: CopyResult, info: MediaInfo) -> Original:
        file = reference(shelf, result.path)
        return Original(file, info, result.size, result.modified, self._s.checksum, result.value)

    def _new_clip(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> Clip:
        shelf = self._s.shelves.originals
        own = [(path, known) for path, known in result.copies if _same_frames(known, info)]
        proxies = tuple(Proxy(reference(shelf, path), known, known.size) for path, known in own)
        paired = {path for path, _known in own}
        beside = [*result.sidecars, *(path for path, _known in result.copies if path not in paired)]
        sidecars = tuple(reference(shelf, path) for path in beside)
        name = clip_name(file) if self._s.preset.originals.do == "leave" else _name_of(result.path, file)
        original, source = self._original(shelf, result, info), str(file.at(self._s.request.source))
        return Clip(new_id(), name, original, proxies, sidecars, source=source)

    def such_proxy(self, clip: Clip, wanted: Proxies) -> Proxy | None:
        """The proxy made with these settings that the project has for the clip, if its file is there."""
        project = self._s.project
        for proxy in clip.proxies:
            path = project.path(proxy.file)
            if is_such_proxy(proxy.info, wanted) and path and path.is_file():
                return proxy
        return None

    def proxy(self, clip: Clip, shelf: Shelf, result: ProxyResult) -> Proxy:
        """The pair's other half, known to the project from now on, with what making it showed of the original."""
        remember_read([result.path])
        proxy = pair_made_proxy(reference(shelf, result.path), result)

        def add(current: Clip) -> Clip:
            known = any(old.file == proxy.file for old in current.proxies)
            return current if known else _damaged(current, result.original.damage).with_proxy(proxy)

        self._s.session.absorb(lambda now: now.with_change(clip.id, add))
        return proxy

    def damage(self, file: SourceFile, damage: str) -> None:
        """Keep with the clip what decoding its original showed."""
        if damage:
            taken = self._s.taken.get(file.path, "")
            self._s.session.absorb(lambda now: now.with_change(taken, lambda clip: _damaged(clip, damage)))


def _with_original_of(known: Clip | None, clip: Clip) -> Clip:
    """A clip of the footage with its original where ``clip`` has it; that one itself where the footage has none."""
    if known is None:
        return clip
    return known if known.original.file == clip.original.file else replace(known, original=clip.original)


def _damaged(clip: Clip, damage: str) -> Clip:
    """With what decoding showed, where nothing was known of it."""
    if not damage or clip.original.info.damage:
        return clip
    return replace(clip, original=replace(clip.original, info=replace(clip.original.info, damage=damage)))


def _name_of(path: Path, file: SourceFile) -> str:
    members = tuple(part.name for part in parts_of(path)) if is_joined(path) else file.members
    return clip_name(replace(file, path=path.name, members=members))


def _same_frames(small: MediaInfo, original: MediaInfo) -> bool:
    return small.kind == "video" and (small.frames, small.frame_rate) == (original.frames, original.frame_rate)
