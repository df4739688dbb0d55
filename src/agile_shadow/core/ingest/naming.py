"""Where everything of one file goes, and what its jobs are called."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from ..below import Anchor
from ..errors import ShadowError, ShelfGone
from ..jobs import Piece
from ..media import MediaInfo
from ..presets import Proxies, describes_proxies
from ..project import Clip
from ..shelves import Shelf
from .copying import CopyItem, CopyRequest
from .places import Context, original_places, proxy_place, token_values
from .setting import Setting
from .source import SourceFile


class Naming:
    """For one run."""

    def __init__(self, setting: Setting) -> None:
        self._s = setting
        request = setting.request
        self._context = Context(request.source, setting.project.name, request.preset.name)

    def values(self, file: SourceFile, info: MediaInfo | None) -> dict[str, str]:
        """The tokens of a file."""
        return token_values(file, self._s.numbers.get(file.path, 0), self._context, info)

    def values_of_clip(self, file: SourceFile, clip: Clip) -> dict[str, str]:
        """The tokens of a file that is a clip."""
        return {**self.values(file, clip.original.info), "name": clip.name}

    def rate(self, file: SourceFile) -> Fraction | None:
        """Frames per second of a sequence, which says none itself."""
        return self._s.preset.takes.sequence_rate if file.kind == "sequence" else None

    # Copies

    def copy_roots(self) -> list[Path]:
        """Of the shelves that originals are copied to."""
        originals, request = self._s.preset.originals, self._s.request
        roots = [] if originals.do == "leave" else [request.originals]
        if originals.do == "copy" and originals.second_copy and request.second is not None:
            roots.append(request.second)
        return roots

    def _places(self, file: SourceFile) -> list[tuple[str, str]]:
        values = self._s.values.get(file.path) or self.values(file, None)
        return list(original_places(file, self._s.preset.originals, values))

    def copy_request(self, file: SourceFile) -> CopyRequest:
        """What a worker is asked to copy and prove."""
        originals, source, roots = self._s.preset.originals, self._s.request.source, self.copy_roots()
        places = self._places(file)
        items = tuple(CopyItem(source / path, tuple(root / place for root in roots)) for path, place in places)
        own, beside = len(file.files), len(file.files) + len(file.sidecars)
        sidecars = items[own:beside] if originals.do == "copy" else ()
        request = CopyRequest(
            file.at(source), items[:own], originals.checksum, sidecars, originals.on_clash, self.rate(file),
            items[beside:], self._s.shelves.anchors(roots), (file.size, file.modified),
        )  # fmt: skip
        if not self._s.preset.takes.skip_known or originals.do == "leave":
            return request
        alike = self._s.known.same_size(file.size, source)
        return replace(request, known=alike, homes=tuple(self._homes({one.home for one in alike})))

    def _homes(self, roots: set[Path | None]) -> Iterator[Anchor]:
        for root in roots:
            if root is not None:
                with suppress(ShelfGone, ShadowError):
                    yield self._s.shelves.anchor(root)

    @property
    def proving_checksum(self) -> str:
        """What a copy is proved with that sizes alone would not prove."""
        return "xxh128" if self._s.checksum == "size" else self._s.checksum

    # Proxies

    def proxy_shelf(self, clip: Clip) -> Shelf:
        """The shelf that a clip's proxy lies on."""
        wanted, shelves = self._s.preset.proxies, self._s.shelves
        beside = wanted is not None and wanted.place == "beside"
        known = self._s.project.shelf(clip.original.file.shelf) if beside else None
        return known or shelves.proxies

    def proxy_target(self, file: SourceFile, clip: Clip, wanted: Proxies) -> Path:
        """Where a clip's proxy goes."""
        several, same = clip.original.file.form != "file", file.path in self._s.same_stem
        below = proxy_place(clip.original.file.path, wanted, self.values_of_clip(file, clip), same, several)
        return self.proxy_shelf(clip).root / below

    def second_place(self, below: str) -> Path:
        """Where a second copy of a proxy goes."""
        assert self._s.shelves.roots.second is not None
        return self._s.shelves.roots.second / "Proxies" / below

    # Jobs

    def piece(self, file: SourceFile, kind: str) -> Piece:
        """The job as it is listed."""
        clip, wanted = self._s.clip_of(file), self._s.preset.proxies
        source = self._s.request.source / file.path
        if kind == "copy":
            target = self._s.request.originals / self._places(file)[0][1] if self._s.shelves.roots.copied else source
            settings = "sizes compared" if self._s.checksum == "size" else f"verified with {self._s.checksum}"
            return Piece(self._s.board.run, kind, file.path, str(source), str(target), settings, 0.0, file.size)
        if clip is None or wanted is None:
            return Piece(self._s.board.run, kind, file.path, str(source), size=file.size)
        source = self._s.project.place(clip.original.file) or source
        target, settings = self.proxy_target(file, clip, wanted), describes_proxies(wanted)
        if kind == "second copy" and self._s.shelves.roots.second is not None:
            source, below = target, target.name
            with suppress(ValueError):
                below = str(target.relative_to(self._s.shelves.proxies.root))
            target, settings = self.second_place(below), f"verified with {self.proving_checksum}"
        seconds = float(clip.original.info.duration)
        return Piece(self._s.board.run, kind, file.path, str(source), str(target), settings, seconds, file.size)
