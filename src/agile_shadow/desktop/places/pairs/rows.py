"""What the ledger shows of a clip: both halves, the state on the spine; choosing, ordering and grouping rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ....core.amounts import counted
from ....core.pairs import FileRef, Proof, Proxy
from ....core.project import Clip, Project
from ....core.switch import Presence
from ... import words
from ...measuring import ENOUGH_HEADROOM
from ...tables import Column

_STATE_ORDER = ("original missing", "proxy missing", "refused", "doubtful", "no proxy", "paired", "cannot tell",
                "accepted", "proven", "no need")  # fmt: skip


@dataclass(frozen=True)
class Pair:
    """A row: one clip and the proxy that is used of it. ``used``: it is on the timeline; ``since``: when a missing file
    was first missed, in words."""

    clip: Clip
    proxy: Proxy | None
    original_missing: bool
    proxy_missing: bool
    original_shelf: str
    proxy_shelf: str
    headroom: float | None = None
    used: bool = False
    since: str = ""

    @cached_property
    def kind(self) -> str:
        """The state in one word or two, by which rows are chosen and ordered."""
        if self.clip.original.info.kind != "video" and not self.clip.proxies:
            return "no need"
        if self.original_missing:
            return "original missing"
        if self.proxy is None:
            return "no proxy"
        return "proxy missing" if self.proxy_missing else self.proxy.state

    @cached_property
    def state(self) -> str:
        """The spine: the state in words."""
        if self.kind == "no need":
            return f"{self.clip.original.info.kind}, no proxy needed"
        text = {"cannot tell": "picture cannot tell", "paired": "paired, not proven"}.get(self.kind, self.kind)
        return f"{text}, pinned to {self.clip.pin}" if self.clip.pin else text

    @property
    def proof(self) -> Proof | None:
        """Of the proxy in use."""
        return self.proxy.proof if self.proxy is not None else None

    @cached_property
    def why(self) -> str:
        """The second line of the spine: what is wrong, or worth knowing."""
        if self.original_missing or self.proxy_missing:
            return f"since {self.since}" if self.since else ""
        if self.clip.original.info.damage:
            return f"original damaged: {self.clip.original.info.damage}"
        if self.proof is None:
            return ""
        if self.proof.reasons:
            return self.proof.reasons[0]
        if self.proof.likeness:
            return f"likeness {self.proof.likeness:.3f}"
        return ""

    @cached_property
    def text(self) -> str:
        """Everything that is searched, in small letters."""
        cells = [column.text(self) for column in COLUMNS]
        proxy = self.proxy.file.path if self.proxy is not None else ""
        reel = self.clip.original.info.reel or ""
        return " ".join([*cells, self.why, *self.clip.tags, self.clip.original.file.path, proxy, reel]).casefold()

    @cached_property
    def keys(self) -> tuple[Any, ...]:
        """What it is ordered by, for each column: thousands are ordered while somebody waits."""
        return tuple(key(self) for key in _KEYS)

    @property
    def day(self) -> str:
        """Day of recording, as the file says."""
        return self.clip.original.info.recorded[:10]


@dataclass(frozen=True)
class Group:
    """A row above others that belong together."""

    title: str


Row = Pair | Group


def _of_pair(call: Callable[[Pair], Any], empty: Any = "") -> Callable[[Row], Any]:
    return lambda row: call(row) if isinstance(row, Pair) else empty


def _original_mark(row: Row) -> str | None:
    return None if isinstance(row, Group) else "missing" if row.original_missing else "original"


def _proxy_mark(row: Row) -> str | None:
    if isinstance(row, Group) or row.proxy is None:
        return None
    return "missing" if row.proxy_missing else "proxy"


def headroom_text(pair: Pair) -> str:
    """How many times faster than its rate the original decodes."""
    if pair.clip.original.info.kind != "video":
        return ""
    return f"{pair.headroom:.1f}x" if pair.headroom is not None else "?"


def _proxy_size(pair: Pair) -> str:
    return words.frame_size(pair.proxy.info) if pair.proxy is not None else ""


def _state_key(pair: Pair) -> tuple[int, float]:
    return _STATE_ORDER.index(pair.kind), pair.proof.likeness if pair.proof is not None else 0.0


def _about_original(pair: Pair) -> str:
    place = f"{pair.original_shelf}: {pair.clip.original.file.path}"
    return "\n".join([place, *words.oddities(pair.clip.original.info)])


def _pixels(pair: Pair) -> int:
    return pair.clip.original.info.display_width * pair.clip.original.info.display_height


ORIGINAL, STATE, PROXY = 0, 6, 7
LESS_ASKED = (2, 3, 8)  # columns that a narrow window leaves out
COLUMNS = (
    Column("Original", lambda row: row.clip.name if isinstance(row, Pair) else row.title, 206, mark=_original_mark,
           tip=_of_pair(_about_original),
           key=_of_pair(lambda p: p.clip.name.casefold())),
    Column("Picture", _of_pair(lambda p: words.frame_size(p.clip.original.info)), 102, key=_of_pair(_pixels, 0)),
    Column("Codec", _of_pair(lambda p: words.codec(p.clip.original.info)), 98),
    Column("Rate", _of_pair(lambda p: words.rate(p.clip.original.info)), 112,
           key=_of_pair(lambda p: p.clip.original.info.frame_rate, 0)),
    Column("Size", _of_pair(lambda p: words.gigabytes(p.clip.original.size)), 70, right=True,
           key=_of_pair(lambda p: p.clip.original.size, 0)),
    Column("Headroom", _of_pair(headroom_text), 80, right=True, key=_of_pair(lambda p: p.headroom or 0.0, 0.0),
           tip=_of_pair(lambda p: "How many times faster than its rate the original decodes here")),
    Column("State", _of_pair(lambda p: p.state), 188, key=_of_pair(_state_key, (0, 0.0)),
           tip=_of_pair(lambda p: "\n".join([p.state, *(p.proof.reasons + p.proof.notes if p.proof else ())]))),
    Column("Proxy", _of_pair(_proxy_size), 132, mark=_proxy_mark,
           tip=_of_pair(lambda p: f"{p.proxy_shelf}: {p.proxy.file.path}" if p.proxy else ""),
           key=_of_pair(lambda p: p.proxy.info.display_width if p.proxy else 0, 0)),
    Column("Codec", _of_pair(lambda p: words.codec(p.proxy.info) if p.proxy else ""), 74),
    Column("Size", _of_pair(lambda p: words.gigabytes(p.proxy.size) if p.proxy else ""), 74, right=True,
           key=_of_pair(lambda p: p.proxy.size if p.proxy else 0, 0)),
)  # fmt: skip

# What can be chosen: words, and whether a pair is one of them.
CHOICES: tuple[tuple[str, Callable[[Pair], bool]], ...] = (
    ("all pairs", lambda p: True),
    ("no proxy", lambda p: p.kind == "no proxy"),
    ("doubtful or refused", lambda p: p.kind in ("doubtful", "refused")),
    ("not proven", lambda p: p.kind in ("paired", "cannot tell", "accepted", "doubtful", "refused")),
    ("missing", lambda p: p.original_missing or p.proxy_missing),
    ("damaged or odd", lambda p: bool(p.clip.original.info.damage or p.clip.original.info.odd)),
    ("too heavy for this machine", lambda p: p.headroom is not None and p.headroom < ENOUGH_HEADROOM),
    ("on the timeline", lambda p: p.used),
    ("not on the timeline", lambda p: not p.used),
    ("pinned", lambda p: p.clip.pin is not None),
)
GROUPINGS: tuple[tuple[str, Callable[[Pair], str]], ...] = (
    ("not grouped", lambda p: ""),
    ("by shelf", lambda p: p.original_shelf),
    ("by reel", lambda p: p.clip.original.info.reel or "no reel"),
    ("by day", lambda p: p.day or "no date"),
    ("by tag", lambda p: ", ".join(p.clip.tags) or "no tag"),
)


# What rows are ordered by in each column.
_KEYS: tuple[Callable[[Pair], Any], ...] = (
    lambda p: p.clip.name.casefold(), _pixels, lambda p: words.codec(p.clip.original.info),
    lambda p: float(p.clip.original.info.frame_rate), lambda p: p.clip.original.size, lambda p: p.headroom or 0.0,
    _state_key, lambda p: p.proxy.info.display_width if p.proxy is not None else 0,
    lambda p: words.codec(p.proxy.info) if p.proxy is not None else "",
    lambda p: p.proxy.size if p.proxy is not None else 0,
)  # fmt: skip


class RowOrder:
    """All pairs in the order of a column, kept for as long as the pairs are the same: thousands are ordered at once."""

    def __init__(self, pairs: list[Pair]) -> None:
        self.pairs = pairs
        self._known: dict[int, list[Pair]] = {}

    def by(self, column: int | None, backward: bool) -> list[Pair]:
        """In that order; equal ones keep theirs."""
        if column is None:
            return self.pairs
        if column not in self._known:
            keys = [pair.keys[column] for pair in self.pairs]
            self._known[column] = [self.pairs[n] for n in sorted(range(len(keys)), key=keys.__getitem__)]
        found = self._known[column]
        return found[::-1] if backward else found


def arranged(pairs: list[Pair], text: str, choice: int, grouping: int) -> list[Row]:
    """The rows to show: those that have all words of ``text`` and are of the choice, under their groups."""
    wanted = CHOICES[choice][1]
    terms = text.casefold().split()
    rows = pairs if not choice else [pair for pair in pairs if wanted(pair)]
    for term in terms:
        rows = [pair for pair in rows if term in pair.text]
    if not grouping:
        return list(rows)
    group_of = GROUPINGS[grouping][1]
    groups: dict[str, list[Pair]] = {}
    sizes: dict[str, int] = {}
    for pair in rows:  # both at once: what a row holds lies far apart in memory where there are thousands
        title, size = group_of(pair), pair.clip.original.size
        if title in groups:
            groups[title].append(pair)
            sizes[title] += size
        else:
            groups[title], sizes[title] = [pair], size
    found: list[Row] = []
    for title in sorted(groups):
        held = groups[title]
        found.append(Group(f"{title}: {counted(len(held), 'clip')}, {words.gigabytes(sizes[title])}"))
        found.extend(held)
    return found


def changed_in_place(shown: Sequence[Row], rows: Sequence[Row]) -> list[int] | None:
    """Numbers of the rows that are others than those shown, of the same clips; None where rows came, went or moved."""
    if len(rows) != len(shown):
        return None
    changed = []
    for number, (row, before) in enumerate(zip(rows, shown, strict=True)):
        if row is not before:
            if not (isinstance(row, Pair) and isinstance(before, Pair) and row.clip.id == before.clip.id):
                return None
            changed.append(number)
    return changed


@dataclass(frozen=True)
class Surroundings:
    """What rows need to know of shelves and files: names and folders by shelf, paths that are missing, what is used."""

    names: dict[str, str]
    roots: dict[str, str]
    missing: frozenset[str]
    used: frozenset[str]
    presence: Presence

    @classmethod
    def of(cls, project: Project, presence: Presence) -> Surroundings:
        """As they are now; touches no drive."""
        return cls(
            {shelf.id: shelf.name for shelf in project.shelves},
            {shelf.id: f"{str(shelf.root).rstrip('/')}/" for shelf in project.shelves},
            presence.missing_now(),
            project.used_clips,
            presence,
        )

    def path(self, file: FileRef) -> str:
        """Where a file lies, "" on an unknown shelf."""
        root = self.roots.get(file.shelf)
        return root + file.path if root is not None else ""

    def is_missing(self, path: str) -> bool:
        """Whether it is known not to be there, or its shelf is not known."""
        return not path or path in self.missing


def pair_of(clip: Clip, around: Surroundings, headroom: float | None) -> Pair:
    """The row of a clip."""
    proxy = clip.proxies[-1] if clip.proxies else None
    original_path = around.path(clip.original.file)
    original_gone = around.is_missing(original_path)
    proxy_path = around.path(proxy.file) if proxy is not None else ""
    proxy_gone = proxy is not None and around.is_missing(proxy_path)
    since = ""
    if original_gone or proxy_gone:
        since = around.presence.missing_since(original_path if original_gone else proxy_path)
    return Pair(
        clip, proxy, original_gone, proxy_gone, around.names.get(clip.original.file.shelf, "unknown shelf"),
        around.names.get(proxy.file.shelf, "") if proxy is not None else "", headroom, clip.id in around.used, since,
    )  # fmt: skip
