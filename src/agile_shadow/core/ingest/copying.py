"""Verified copying of a clip with what belongs to it: every file read from its source, every target read back.

What lies at a target already goes the same way as what is new: it counts when its bytes are those of the source, read
in this run. A target that is missing is added; one with other bytes is left alone.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ..below import Anchor, nearest_anchor
from ..errors import CopyError, ShadowError, from_os_error, sentence
from ..files import fitting_name
from ..hashing import hash_file, joined_checksum
from ..jobs import Report
from ..media import Form, MediaInfo, as_form, form_of, probe
from ..media.joined import joined_name
from ..media.sequence import members, numbered, status
from .known_as import KnownAs, KnownClip, known_as
from .writing import (
    NameTaken,
    Place,
    Read,
    SourceMoved,
    Stamp,
    Step,
    copy_error,
    copy_new,
    is_there,
    proof_kind,
    read_back,
    read_source_file,
)

_NAMES = 1000  # tried for a file whose name is taken
_RACES = 3  # how often another program may be faster with a name


@dataclass(frozen=True)
class CopyItem:
    """One file and where it goes: its place, then the places of further copies; none: it stays."""

    source: Path
    targets: tuple[Path, ...] = ()


ENDED_ITS_READER = "twice a process ended while it read this file, which no sound file does"


@dataclass(frozen=True)
class CopyRequest:
    """Copy the files of one original (several for a sequence or a split recording), its sidecars and small copies.

    ``checksum`` may be ``size``: then only sizes are compared. ``on_clash``: ``number`` or ``tell``. ``rate``: frames
    per second of a sequence. ``place`` is the original on the source, ``stamp`` what it was when the source was listed;
    None where that is not known. ``anchors``: roots of the shelves of the first, second ... targets. ``known``: clips
    whose original it may be; then its bytes decide where it belongs. ``homes``: roots of their shelves that are there.
    ``closed``: it is not opened, for it ended the process that did; it is copied and proved all the same.
    """

    place: Path
    items: tuple[CopyItem, ...]
    checksum: str
    sidecars: tuple[CopyItem, ...] = ()
    on_clash: str = "number"
    rate: Fraction | None = None
    copies: tuple[CopyItem, ...] = ()
    anchors: tuple[Anchor, ...] = ()
    stamp: Stamp | None = None
    known: tuple[KnownClip, ...] = ()
    homes: tuple[Anchor, ...] = ()
    closed: bool = False

    @property
    def every(self) -> tuple[CopyItem, ...]:
        """All its files."""
        return (*self.items, *self.sidecars, *self.copies)


@dataclass(frozen=True)
class Proved:
    """A copy that was read back and found equal: where from, where to, its checksum; and what both files were then."""

    source: Path
    path: Path
    value: str
    source_stamp: Stamp = (-1, 0)
    stamp: Stamp = (-1, 0)


@dataclass(frozen=True)
class CopyResult:
    """The original in its place. ``problem`` says why it cannot be played, if so; the copy holds all the same.

    ``second``: the second copy, if one was wanted. ``proved``: every file that was read back. ``copies``: the camera's
    own small copies that can be played. ``clip``: the clip of the project that it is, by its bytes. ``others``: files
    that had the wanted names and other bytes.
    """

    path: Path
    size: int
    modified: int
    value: str
    info: MediaInfo | None
    problem: str = ""
    sidecars: tuple[Path, ...] = ()
    second: Path | None = None
    proved: tuple[Proved, ...] = ()
    copies: tuple[tuple[Path, MediaInfo], ...] = ()
    clip: str = ""
    others: tuple[Path, ...] = ()


def copy_and_prove(request: CopyRequest, report: Report) -> CopyResult:
    """Bring one original with its sidecars to its place and probe it: a task for a worker.

    Every file is read from the source, and every target read back. A target with other bytes is left alone and the copy
    gets a number, or, if so wished, is not made. Raises CopyError naming the file and what stood against it, ShelfGone.
    """
    for last in (False, True):
        try:
            return _Copying(request, report).run()
        except SourceMoved as moved:
            if last:
                raise CopyError(
                    "changed while it was copied", moved.args[0],
                    "Wait until nothing writes to it any more, then ingest it again.",
                ) from moved  # fmt: skip
        except OSError as error:
            raise copy_error(error, error.filename or request.place) from error
    raise AssertionError


def copy_file(
    source: Path,
    targets: tuple[Path, ...],
    checksum: str,
    step: Step = lambda count: None,
    anchors: tuple[Anchor, ...] = (),
) -> tuple[Proved, ...]:
    """Copy and prove one file to each target, found equal or written; where they are now. Raises CopyError, ShelfGone.

    Without ``anchors`` the targets' own folders are taken for the roots, and made.
    """
    try:
        anchors = anchors or tuple(nearest_anchor(target.parent) for target in targets)
        group = _Group((CopyItem(source, targets),), anchors, checksum, "number", "file", step, {})
        return tuple(group.place())
    except SourceMoved as moved:
        raise CopyError("changed while it was copied", source, "Retry.") from moved
    except OSError as error:
        raise copy_error(error, error.filename or source) from error


class _Copying:
    """One try at a request."""

    def __init__(self, request: CopyRequest, report: Report) -> None:
        self._request = request
        self._step = _Steps(report, _work_of(request))
        self._reads: dict[Path, Read] = {}

    def run(self) -> CopyResult:
        request = self._request
        self._refuse_if_moved()
        clip, known = self._known()
        if known is not None:
            request = replace(
                request, items=known.items, sidecars=known.sidecars, copies=known.copies, anchors=known.anchors,
                on_clash="number",
            )  # fmt: skip
        result = self._placed(request) if request.items[0].targets else self._left()
        self._refuse_if_moved()
        return replace(result, clip=clip)

    def _refuse_if_moved(self) -> None:
        """Raises SourceMoved when the original is not what it was when the source was listed."""
        if self._request.stamp is not None and status(self._request.place) != self._request.stamp:
            raise SourceMoved(self._request.place)

    def _known(self) -> tuple[str, KnownAs | None]:
        """The clip whose original has these very bytes, and where they belong then; "" and None without one."""
        values: dict[str, str] = {}
        for one in self._request.known:
            if one.checksum not in values:
                values[one.checksum] = self._value(one.checksum)
            if values[one.checksum] == one.value and (known := known_as(one, self._request)) is not None:
                return one.clip, known
        return "", None

    def _value(self, checksum: str) -> str:
        """The checksum of the original as it lies on the source."""
        same = checksum == proof_kind(self._request.checksum)
        pairs = []
        for item in self._request.items:
            read = read_source_file(item.source, checksum, self._step)
            if same:
                self._reads[item.source] = read
            pairs.append((item.source.name, read.value))
        return joined_checksum(pairs, checksum)

    def _left(self) -> CopyResult:
        """An original that stays where it is: its bytes are read for its checksum."""
        checksum = self._request.checksum
        if checksum != "size" and not self._reads:
            self._value(checksum)
        value = ""
        if checksum != "size":
            pairs = [(item.source.name, self._reads[item.source].value) for item in self._request.items]
            value = joined_checksum(pairs, checksum)
        left = _described(self._request, self._request.place, value)
        return replace(left, copies=tuple(_playable([item.source for item in self._request.copies])))

    def _placed(self, request: CopyRequest) -> CopyResult:
        form = form_of(request.place)
        group = self._group(request, request.items, request.on_clash, form)
        proved = group.place()
        beside = []
        for item in (*request.sidecars, *request.copies):
            placed = self._group(request, (item,), "number", "file").place()
            proved += placed
            beside.append(placed[0].path)
        sidecars, copies = beside[: len(request.sidecars)], beside[len(request.sidecars) :]
        final = [_whole_name(form, [one.path for one in group.proved_at(k)]) for k in range(len(request.anchors))]
        joined = joined_checksum([(one.source.name, one.value) for one in group.proved_at(0)], request.checksum)
        whole = _described(request, final[0], joined)
        return replace(
            whole, sidecars=tuple(sidecars), second=final[1] if len(final) > 1 else None, proved=tuple(proved),
            copies=() if request.closed else tuple(_playable(copies)), others=tuple(group.others),
        )  # fmt: skip

    def _group(self, request: CopyRequest, items: tuple[CopyItem, ...], on_clash: str, form: Form) -> _Group:
        return _Group(items, request.anchors, request.checksum, on_clash, form, self._step, self._reads)


class _Group:
    """Files that stay together under one name: at each shelf all of them get the same number, if one is needed.

    ``reads`` holds what was read of the source already, for a second look at it.
    """

    def __init__(
        self, items: tuple[CopyItem, ...], anchors: tuple[Anchor, ...], checksum: str, on_clash: str, form: Form,
        step: Step, reads: dict[Path, Read],
    ) -> None:  # fmt: skip
        self._items = items
        self._anchors = anchors
        self._checksum = checksum
        self._on_clash = on_clash
        self._form = form
        self._step = step
        self._reads = reads
        self._found: dict[Path, Stamp] = {}
        self._proved: list[list[Proved]] = []
        self.others: list[Path] = []

    def place(self) -> list[Proved]:
        """Have all files at all places; raises CopyError, SourceMoved, OSError."""
        for left in reversed(range(_RACES)):
            try:
                return self._place_once()
            except FileExistsError:  # somebody else took a name meanwhile: it may well be the same file
                if not left:
                    raise
        raise AssertionError

    def proved_at(self, number: int) -> list[Proved]:
        """The copies at the first, second ... shelf."""
        return self._proved[number]

    def _place_once(self) -> list[Proved]:
        self._found.clear()
        columns = [self._named(number) for number in range(len(self._anchors))]
        for row, item in enumerate(self._items):
            missing = [column[row] for column in columns if column[row].path not in self._found]
            if missing:
                self._copy(item.source, missing)
        self._proved = [
            [self._proof(item.source, place) for item, place in zip(self._items, column, strict=True)]
            for column in columns
        ]
        return [one for column in self._proved for one in column]

    def _copy(self, source: Path, missing: list[Place]) -> None:
        read = copy_new(source, missing, self._checksum, self._step)
        known = self._reads.get(source)
        if known is not None and (known.stamp != read.stamp or (read.value and known.value != read.value)):
            raise SourceMoved(source)
        self._reads.setdefault(source, read)
        for place in missing:
            self._found[place.path] = status(place.path)

    def _proof(self, source: Path, place: Place) -> Proved:
        read = self._reads[source]
        value = "" if self._checksum == "size" else read.value
        return Proved(source, place.path, value, read.stamp, self._found[place.path])

    def _named(self, number: int) -> list[Place]:
        """The places at one shelf: the wanted names, or the first numbered ones that are free or hold these bytes."""
        wanted = [item.targets[number] for item in self._items]
        for count in range(1, _NAMES):
            places = [Place(_numbered(path, count, self._form == "sequence"), self._anchors[number]) for path in wanted]
            try:
                self._fit(places)
            except NameTaken:
                self._taken(places)
            else:
                return places
        raise CopyError("no free name was found for it", wanted[0], "Choose another place.")

    def _taken(self, places: list[Place]) -> None:
        if self._on_clash == "tell":
            raise CopyError(
                "another file of that name is there already", places[0].path,
                "Move one of the two away, or let the preset number such files.",
            ) from None  # fmt: skip
        self.others += [place.path for place in places if place.path not in self._found]

    def _fit(self, places: list[Place]) -> None:
        """See that each place is free or holds the source's bytes. Raises NameTaken."""
        if self._form == "sequence":
            _refuse_mixing([place.path for place in places])
        there = [(item.source, place) for item, place in zip(self._items, places, strict=True) if is_there(place)]
        if any(place.path.stat(follow_symlinks=False).st_size != source.stat().st_size for source, place in there):
            raise NameTaken
        for source, place in there:
            self._found[place.path] = read_back(place, self._read(source), self._checksum, self._step)

    def _read(self, source: Path) -> Read:
        """What the source's file is; of one that was only copied by its size, its checksum too."""
        read = self._reads.get(source)
        if read is None or not read.value:
            read = self._reads[source] = read_source_file(source, self._checksum, self._step)
        return read


def _playable(copies: Sequence[Path]) -> Iterator[tuple[Path, MediaInfo]]:
    for path in copies:
        try:
            yield path, probe(path)
        except ShadowError:
            continue  # it is kept, and cannot be paired


def _whole_name(form: Form, paths: Sequence[Path]) -> Path:
    """How a clip of these files is named: a file, a sequence's pattern, a recording's files."""
    if form == "sequence":
        return as_form(_pattern_of(paths[0]), form)
    return as_form(paths[0].with_name(joined_name([path.name for path in paths])), form)


def _pattern_of(path: Path) -> Path:
    one = numbered(path.name)
    return path.with_name(one.pattern) if one is not None else path


def _described(request: CopyRequest, path: Path, value: str) -> CopyResult:
    size, modified = status(path)
    if request.closed:
        return CopyResult(path, size, modified, value, None, f"{path}: {ENDED_ITS_READER}. Check the file.")
    try:
        info, problem = probe(path, request.rate), ""
    except ShadowError as error:
        info, problem = None, sentence(error)
    return CopyResult(path, size, modified, value, info, problem)


def _work_of(request: CopyRequest) -> int:
    """Bytes to read in all: once from the source, once from each copy."""
    try:
        return max(1, sum(item.source.stat().st_size * (1 + len(item.targets)) for item in request.every))
    except OSError as error:
        raise from_os_error(error, error.filename, CopyError) from error


class _Steps:
    """Turns counts of bytes into parts done."""

    def __init__(self, report: Report, total: int) -> None:
        self._report, self._total, self._done = report, total, 0

    def __call__(self, count: int) -> None:
        self._done += count
        self._report(min(1.0, self._done / self._total))


def _numbered(target: Path, number: int, sequence: bool = False) -> Path:
    """The names tried in turn: as wanted, then with 2, 3 ...; in a sequence before the frame's number."""
    if number == 1:
        return target.with_name(fitting_name(target.stem, target.suffix))
    if not sequence:
        return target.with_name(fitting_name(target.stem, f"_{number}{target.suffix}"))
    before = target.stem.rstrip("0123456789")
    return target.with_name(fitting_name(before, f"{number}_{target.stem[len(before) :]}{target.suffix}"))


def _refuse_mixing(paths: list[Path]) -> None:
    """A sequence never goes among the files of another one of its name."""
    pattern = as_form(_pattern_of(paths[0]), "sequence")
    if pattern.parent.is_dir() and set(members(pattern)) - set(paths):
        raise NameTaken


@dataclass(frozen=True)
class ReadBackRequest:
    """Copies whose source is away, each with the checksum that its source had when it was copied."""

    copies: tuple[Proved, ...]
    checksum: str


def read_copies_back(request: ReadBackRequest, report: Report) -> tuple[Proved, ...]:
    """Read copies of a source that is away and compare them with what the source's bytes were: a task for a worker.

    Those that are equal, with what they are now; an empty tuple as soon as one is not. Raises CopyError.
    """
    step = _Steps(report, sum(max(1, one.stamp[0]) for one in request.copies))
    equal = []
    for one in request.copies:
        try:
            value = hash_file(one.path, request.checksum, step, fresh=True) if one.value else ""
            stamp = status(one.path)
        except FileNotFoundError:
            return ()
        except OSError as error:
            raise copy_error(error, one.path) from error
        if value != one.value or stamp[0] != one.source_stamp[0]:
            return ()
        equal.append(replace(one, stamp=stamp))
    return tuple(equal)
