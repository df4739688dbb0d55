"""Making proxies of clips that are in the project already, with any preset."""

from __future__ import annotations

import logging
import threading
from collections import Counter
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from ..below import Anchor
from ..errors import Cancelled, PresetError, ShadowError, sentence
from ..ingest import Context, SourceFile, proxy_place, token_values
from ..jobs import WorkerPool
from ..pairs import FileRef, pair_made_proxy
from ..presets import Preset, Proxies
from ..presets.library import parse_preset
from ..project import Clip, Footage, Project, ProjectSession
from ..proxies import ProxyRequest, ProxyResult, make_or_take_proxy
from ..shelves import open_root, put_mark_and_remember, shelf_for, user_shelves

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class MakeRequest:
    """Make a proxy of each of these clips (by identity) with a preset. ``root``: the folder of the shelf for proxies;
    None where the preset puts them beside the originals."""

    clips: tuple[str, ...]
    preset: Preset
    root: Path | None

    def to_json(self) -> dict[str, Any]:
        """Plain values for the job store."""
        root = str(self.root) if self.root is not None else None
        return {"clips": list(self.clips), "preset": self.preset.to_json(), "root": root}

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> MakeRequest:
        """The inverse of :meth:`to_json`. Raises KeyError, PresetError."""
        root = Path(values["root"]) if values.get("root") else None
        return cls(tuple(str(one) for one in values["clips"]), parse_preset(values["preset"]), root)


def make_request(project: Project, folder: Path, clips: tuple[str, ...], preset: Preset) -> MakeRequest:
    """With the folder that the preset means. ``folder``: the project file's. Raises ShadowError when none is known."""
    wanted = preset.proxies
    if wanted is None:
        raise PresetError(f"the preset {preset.name} makes no proxies", None, "Choose another preset.")
    if wanted.place == "beside":
        return MakeRequest(clips, preset, None)
    if wanted.place == "project":
        return MakeRequest(clips, preset, folder / wanted.folder)
    shelf = shelf_for(wanted.shelf, "proxies", (*user_shelves(), *project.shelves))
    if shelf is None:
        raise ShadowError("there is no shelf for proxies", None, "Make one in Storage first.")
    return MakeRequest(clips, preset, shelf.root)


class MakeRun:
    """One request at work: call :meth:`run` on a thread. ``part`` from 0 to 1, ``now`` names what is being made."""

    def __init__(self, request: MakeRequest, session: ProjectSession) -> None:
        self.request = request
        self._session = session
        self._pool = WorkerPool(1, stalled_after=600)
        self._stop = threading.Event()
        self._future: Future[ProxyResult] | None = None
        self.done = 0
        self.part = 0.0
        self.now = ""
        self.problems: list[str] = []

    @property
    def total(self) -> int:
        """How many clips are asked for."""
        return len(self.request.clips)

    def stop(self) -> None:
        """Take it back; what is finished stays."""
        self._stop.set()
        self._pool.cancel_all()

    def give_way(self, yes: bool) -> None:
        """Stand still while something plays."""
        self._pool.pause() if yes else self._pool.resume()

    def run(self, changed: Callable[[], None] = lambda: None) -> None:
        """Make one after the other. What fails is said in ``problems`` and the rest goes on. Raises Cancelled."""
        try:
            for identity in self.request.clips:
                if self._stop.is_set():
                    raise Cancelled
                clip = self._session.project.clip(identity)
                if clip is not None and clip.original.info.kind == "video":
                    self.now = clip.name
                    self._make(clip)
                self.done += 1
                self.part = 0.0
                changed()
        finally:
            self._pool.close()

    def _make(self, clip: Clip) -> None:
        wanted = self.request.preset.proxies
        assert wanted is not None
        try:
            request, shelf = self._proxy_request(clip, wanted)
            self._future = self._pool.submit(make_or_take_proxy, request, self._progress)
            result = self._future.result()
        except Cancelled:
            raise
        except Exception as error:  # the boundary to the user: one clip's trouble is not the others'
            log.warning("making a proxy of %s", clip.name, exc_info=True)
            self.problems.append(f"{clip.name}: {sentence(error)}")
            return
        self._session.absorb(lambda footage: _with_made(footage, clip.id, shelf, result))
        self._mark(shelf)

    def _mark(self, root: Path) -> None:
        shelf = next((one for one in self._session.project.shelves if one.root == root), None)
        if shelf is not None and shelf.role == "proxies":
            put_mark_and_remember(shelf, Anchor.of(root))

    def _progress(self, part: float) -> None:
        self.part = part

    def _proxy_request(self, clip: Clip, wanted: Proxies) -> tuple[ProxyRequest, Path]:
        project = self._session.project
        original, home = project.path(clip.original.file), project.shelf(clip.original.file.shelf)
        if original is None or home is None:
            raise ShadowError("its shelf is not known", clip.original.file.path, "Find the file again first.")
        file = SourceFile(clip.original.file.path, "video", clip.original.size, clip.original.modified)
        number = next(n for n, one in enumerate(project.clips, 1) if one.id == clip.id)
        context = Context(home.root, project.name, self.request.preset.name)
        values = {**token_values(file, number, context, clip.original.info), "name": clip.name}
        several = clip.original.file.form != "file"
        below = proxy_place(clip.original.file.path, wanted, values, _shares_stem(project, clip), several)
        root = self.request.root or home.root
        anchor = open_root(root, project.shelves)
        return ProxyRequest(original, root / below, wanted, clip.original.info, values, anchor=anchor), root


def _shares_stem(project: Project, clip: Clip) -> bool:
    """Whether another clip of that folder has the same name without its ending."""
    stems = Counter(
        (one.original.file.shelf, str(PurePosixPath(one.original.file.path).with_suffix("")).casefold())
        for one in project.clips
    )
    own = clip.original.file
    return stems[own.shelf, str(PurePosixPath(own.path).with_suffix("")).casefold()] > 1


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
