"""What the user decided: timelines, the switch, pins, which files stand for a clip. What undo takes back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from ..pairs import FileRef, Original, Proxy, Stamp
from ..presets import Preset
from ..timeline import Side, Timeline
from .footage import Clip, Footage, places_of


@dataclass(frozen=True)
class Decision:
    """What was decided of one clip, over what is known of it.

    ``original``: another file as its original, or the same file elsewhere, in place of ``over``: where a later ingest
    brought another, that one stands. ``taken`` and ``parted``: files paired and
    unpaired by hand. ``offsets`` by file, in frames. ``accepted``: files whose doubtful pair was let pass, with what
    they were then.
    """

    pin: Side | None = None
    tags: tuple[str, ...] = ()
    original: Original | None = None
    over: FileRef | None = None
    taken: frozenset[FileRef] = frozenset()
    parted: frozenset[FileRef] = frozenset()
    offsets: Mapping[FileRef, int] = field(default_factory=dict)
    accepted: Mapping[FileRef, Stamp] = field(default_factory=dict)

    def with_taken(self, file: FileRef) -> Decision:
        """With a file paired."""
        return replace(self, taken=self.taken | {file}, parted=self.parted - {file})

    def with_parted(self, file: FileRef) -> Decision:
        """With a file unpaired."""
        return replace(self, taken=self.taken - {file}, parted=self.parted | {file})

    def with_original(self, original: Original, over: FileRef) -> Decision:
        """With another original in place of the one that the footage has."""
        return replace(self, original=original, over=over)

    def with_offset(self, file: FileRef, offset: int) -> Decision:
        """With another offset of a file, in frames."""
        return replace(self, offsets={**self.offsets, file: offset})


NO_DECISION = Decision()
_LONGEST, _MOST_TAGS = 60, 40  # letters of a tag; tags of a clip


def tidy_tags(tags: Iterable[str]) -> tuple[str, ...]:
    """Each tag once, without regard to case, in the order of the alphabet; empty ones and what is over the limits are
    left out."""
    found: dict[str, str] = {}
    for tag in tags:
        plain = " ".join(tag.split())[:_LONGEST].strip()
        if plain:
            found.setdefault(plain.casefold(), plain)
    return tuple(found[key] for key in sorted(found)[:_MOST_TAGS])


@dataclass(frozen=True)
class Cut:
    """``preset`` is the standing one; ``by_itself``: it runs on whatever is brought in. ``timeline`` is the one that
    is open, ``others`` the rest; ``decisions`` by the identity of their clip."""

    name: str
    timeline: Timeline = field(default_factory=Timeline)
    others: tuple[Timeline, ...] = ()
    showing: Side = "originals"
    preset: Preset | None = None
    by_itself: bool = False
    decisions: Mapping[str, Decision] = field(default_factory=dict)

    def decision(self, clip: str) -> Decision:
        """What was decided of a clip."""
        return self.decisions.get(clip, NO_DECISION)

    def with_decision(self, clip: str, decision: Decision) -> Cut:
        """With another decision about a clip."""
        if decision == self.decision(clip):
            return self
        rest = {key: value for key, value in self.decisions.items() if key != clip}
        return replace(self, decisions=rest if decision == NO_DECISION else {**rest, clip: decision})


_MOST = 20_000
_shown: dict[str, tuple[Clip, Decision, Clip]] = {}  # as last shown: a clip stays the same object while nothing changes


def shown(footage: Footage, cut: Cut) -> tuple[Clip, ...]:
    """The clips of the footage as the decisions of a cut have them."""
    places = places_of(footage.clips)
    touched = [places[one] for one in footage.hidden.union(cut.decisions) if one in places]
    if not touched:
        return footage.clips
    clips = list(footage.clips)
    for place in touched:
        clips[place] = _kept(clips[place], cut.decision(clips[place].id))
    return tuple(clips)


def _kept(clip: Clip, decision: Decision) -> Clip:
    known = _shown.get(clip.id)
    if known is not None and known[0] is clip and (known[1] is decision or known[1] == decision):
        return known[2]
    if len(_shown) > _MOST:
        _shown.clear()
    after = _as_chosen(clip, decision)
    _shown[clip.id] = (clip, decision, after)
    return after


def _as_chosen(clip: Clip, decision: Decision) -> Clip:
    proxies = tuple(
        _proxy_as_chosen(proxy, decision)
        for proxy in clip.proxies
        if proxy.file not in decision.parted and (proxy.by_itself or proxy.file in decision.taken)
    )
    original = decision.original if decision.over == clip.original.file else None
    return replace(clip, original=original or clip.original, proxies=proxies, pin=decision.pin, tags=decision.tags)


def _proxy_as_chosen(proxy: Proxy, decision: Decision) -> Proxy:
    offset, proof = decision.offsets.get(proxy.file, proxy.offset), proxy.proof
    if proof is not None and proof.stamp.offset != offset:
        proof = None
    elif proof is not None and decision.accepted.get(proxy.file) == proof.stamp:
        proof = replace(proof, accepted=True)
    return proxy if (offset, proof) == (proxy.offset, proxy.proof) else replace(proxy, offset=offset, proof=proof)
