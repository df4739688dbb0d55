"""Proxies of clips that are in the project already, with any preset, in the queue."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import Any

from ..below import Anchor
from ..errors import ShadowError
from ..estimates import (
    HeadroomRequest,
    Measurements,
    gets_proxy,
    kept_headroom,
    measure_headroom,
    needs_headroom,
    needs_proxy,
)
from ..estimates.headroom import Headroom, keep_headroom, keep_pace
from ..ingest import Context, SourceFile, proxy_place, token_values
from ..ingest.setting import though_state_fails
from ..jobs import JobStore, Machine, Piece
from ..pairs import FileRef, pair_made_proxy
from ..presets import Proxies, describes_proxies
from ..project import Clip, Footage, ProjectSession
from ..proof.making import make_proven_proxy
from ..proxies import ProxyRequest, ProxyResult
from ..shelves import open_root, put_mark_and_remember
from ..upkeep.making import MakeRequest
from .queued import QueuedRun


class MakeRun(QueuedRun):
    """Raises KeyError, PresetError for a request that cannot be read."""

    kind = "make"

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.request = MakeRequest.from_json(values)
        self._measured = Measurements()
        self._anchors: dict[Path, Anchor] = {}
        self._numbers = {clip.id: number for number, clip in enumerate(session.project.clips, 1)}
        self._stems = Counter(_stem(clip) for clip in session.project.clips)
        clips = [clip for identity in self.request.clips if (clip := session.project.clip(identity)) is not None]
        names = Counter(clip.name for clip in clips)
        self._ids = {f"{one.name} ({one.id})" if names[one.name] > 1 else one.name: one.id for one in clips}
        super().__init__(values, session, store, machine)
        self.gives_way = self.request.preset.when.give_way

    def at_a_time(self) -> int:
        """As the preset says."""
        return self.request.preset.when.at_a_time

    def with_helpers(self) -> bool:
        """As the preset says."""
        return self.request.preset.when.where == "with-helpers"

    @property
    def wanted(self) -> Proxies:
        """What is made."""
        assert self.request.preset.proxies is not None
        return self.request.preset.proxies

    @property
    def title(self) -> str:
        """What it is, for a person."""
        return f"Proxies with {self.request.preset.name}"

    def pieces(self) -> Iterator[Piece]:
        """One for each clip that has a picture, in the order they were named. Those that need none are seen when their
        turn comes."""
        clips = ((name, self.session.project.clip(identity)) for name, identity in self._ids.items())
        return (self._piece(name, clip) for name, clip in clips if clip and gets_proxy(clip.original.info, self.wanted))

    def _piece(self, name: str, clip: Clip) -> Piece:
        info = clip.original.info
        source = self.session.project.place_or_none(clip.original.file)
        target = str(self.request.root or "beside the original")
        settings = describes_proxies(self.wanted)
        return Piece(0, "proxy", name, str(source), target, settings, float(info.duration), info.size)

    def _clip(self, piece: Piece) -> Clip:
        found = self.session.project.clip(self._ids.get(piece.path, ""))
        if found is None:
            raise ShadowError("is not in the project any more", piece.path, "")
        return found

    def work(self, piece: Piece) -> tuple[Any, Any] | None:
        """Measure whether it needs one, where the preset asks; else make it."""
        clip = self._clip(piece)
        request, _root = self._proxy_request(clip)
        if needs_headroom(self.wanted) and clip.original.info.kind == "video":
            known = kept_headroom(request.original, self._measured)
            if known is None:
                return measure_and_make, (HeadroomRequest(request.original, clip.original.info), self.wanted, request)
            if not needs_proxy(clip.original.info, self.wanted, known.ratio):
                return None
        return make_proven_proxy, request

    def take(self, piece: Piece, result: Any) -> str:
        """The pair is known from now on."""
        clip = self._clip(piece)
        request, root = self._proxy_request(clip)
        made = result
        if isinstance(result, tuple):
            headroom, made = result
            with though_state_fails():
                keep_headroom(request.original, headroom, self._measured)
            if made is None:
                return f"no proxy needed on this machine: headroom {headroom.ratio:.1f}x"
        with though_state_fails():
            keep_pace(request.original, clip.original.info, made.pace, self._measured)
        self.session.absorb(lambda footage: _with_made(footage, clip.id, root, made))
        shelf = next((one for one in self.session.project.shelves if one.root == root), None)
        if shelf is not None and shelf.role == "proxies":
            put_mark_and_remember(shelf, Anchor.of(root))
        return Path(made.path).name

    def _proxy_request(self, clip: Clip) -> tuple[ProxyRequest, Path]:
        project = self.session.project
        original, home = project.path(clip.original.file), project.shelf(clip.original.file.shelf)
        if original is None or home is None:
            raise ShadowError("its shelf is not known", clip.original.file.path, "Find the file again first.")
        file = SourceFile(clip.original.file.path, "video", clip.original.size, clip.original.modified)
        context = Context(home.root, project.name, self.request.preset.name)
        values = token_values(file, self._numbers.get(clip.id, 0), context, clip.original.info)
        values = {**values, "name": clip.name}
        several, shared = clip.original.file.form != "file", self._stems[_stem(clip)] > 1
        below = proxy_place(clip.original.file.path, self.wanted, values, shared, several)
        root = self.request.root or home.root
        anchor = self._anchors.get(root)
        if anchor is None or not anchor.holds():  # thousands of clips share a root: it is opened once
            anchor = self._anchors[root] = open_root(root, project.shelves)
        return ProxyRequest(original, root / below, self.wanted, clip.original.info, values, anchor=anchor), root


def measure_and_make(
    request: tuple[HeadroomRequest, Proxies, ProxyRequest], report: Any
) -> tuple[Headroom, ProxyResult | None]:
    """Measure a clip's headroom, and make its proxy where that is too small: a task for a worker."""
    asked, wanted, making = request
    headroom = measure_headroom(asked, lambda done: report(done / 10))
    assert asked.info is not None
    if not needs_proxy(asked.info, wanted, headroom.ratio):
        return headroom, None
    return headroom, make_proven_proxy(making, lambda done: report(0.1 + done * 0.9))


def _stem(clip: Clip) -> tuple[str, str]:
    """Folder and name without ending: clips of one name there need other names for their proxies."""
    file = clip.original.file
    return file.shelf, str(PurePosixPath(file.path).with_suffix("")).casefold()


def _with_made(footage: Footage, identity: str, root: Path, result: ProxyResult) -> Footage:
    clip = footage.clip(identity)
    if clip is None:
        return footage
    home = footage.shelf(clip.original.file.shelf)
    if home is not None and home.root == root:
        shelf = home
    else:
        footage, shelf = footage.with_shelf(root.name or str(root), "proxies", root)
    file = FileRef(shelf.id, result.path.absolute().relative_to(root.absolute()).as_posix())
    return footage.with_clip(clip.with_proxy(pair_made_proxy(file, result)))
