"""What the user decided: timelines, the switch, pins, which files stand for a clip. What undo takes back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from ..pairs import FileRef, Original, Proxy, Stamp
from ..presets import Preset
from ..timeline import Side, Timeline
from .footage import Clip, Footage, places_of


@dataclass(frozen=True)
class Choice:
    """What was decided of one clip, over what is known of it.

    ``original``: another file as its original, or the same file elsewhere, in place of ``over``: where a later ingest
    brought another, that one stands. ``taken`` and ``parted``: files paired and
    unpaired by hand. ``offsets`` by file, in frames. ``accepted``: files whose doubtful pair was let pass, with what
    they were then.
    """

    pin: Side | None = None
    original: Original | None = None
    over: FileRef | None = None
    taken: frozenset[FileRef] = frozenset()
    parted: frozenset[FileRef] = frozenset()
    offsets: Mapping[FileRef, int] = field(default_factory=dict)
    accepted: Mapping[FileRef, Stamp] = field(default_factory=dict)

    def with_taken(self, file: FileRef) -> Choice:
        """With a file paired."""
        return replace(self, taken=self.taken | {file}, parted=self.parted - {file})

    def with_parted(self, file: FileRef) -> Choice:
        """With a file unpaired."""
        return replace(self, taken=self.taken - {file}, parted=self.parted | {file})

    def with_original(self, original: Original, over: FileRef) -> Choice:
        """With another original in place of the one that the footage has."""
        return replace(self, original=original, over=over)

    def with_offset(self, file: FileRef, offset: int) -> Choice:
        """With another offset of a file, in frames."""
        return replace(self, offsets={**self.offsets, file: offset})


NO_CHOICE = Choice()


@dataclass(frozen=True)
class Cut:
    """``preset`` is the standing one; ``by_itself``: it runs on whatever is brought in. ``timeline`` is the one that
    is open, ``others`` the rest; ``choices`` by the identity of their clip."""

    name: str
    timeline: Timeline = field(default_factory=Timeline)
    others: tuple[Timeline, ...] = ()
    showing: Side = "originals"
    preset: Preset | None = None
    by_itself: bool = False
    choices: Mapping[str, Choice] = field(default_factory=dict)

    def choice(self, clip: str) -> Choice:
        """What was decided of a clip."""
        return self.choices.get(clip, NO_CHOICE)

    def with_choice(self, clip: str, choice: Choice) -> Cut:
        """With another decision about a clip."""
        if choice == self.choice(clip):
            return self
        rest = {key: value for key, value in self.choices.items() if key != clip}
        return replace(self, choices=rest if choice == NO_CHOICE else {**rest, clip: choice})


_MOST = 20_000
_shown: dict[str, tuple[Clip, Choice, Clip]] = {}  # as last shown: a clip stays the same object while nothing changes


def shown(footage: Footage, cut: Cut) -> tuple[Clip, ...]:
    """The clips of the footage as the choices of a cut have them."""
    places = places_of(footage.clips)
    touched = [places[one] for one in footage.hidden.union(cut.choices) if one in places]
    if not touched:
        return footage.clips
    clips = list(footage.clips)
    for place in touched:
        clips[place] = _kept(clips[place], cut.choice(clips[place].id))
    return tuple(clips)


def _kept(clip: Clip, choice: Choice) -> Clip:
    known = _shown.get(clip.id)
    if known is not None and known[0] is clip and (known[1] is choice or known[1] == choice):
        return known[2]
    if len(_shown) > _MOST:
        _shown.clear()
    after = _as_chosen(clip, choice)
    _shown[clip.id] = (clip, choice, after)
    return after


def _as_chosen(clip: Clip, choice: Choice) -> Clip:
    proxies = tuple(
        _proxy_as_chosen(proxy, choice)
        for proxy in clip.proxies
        if proxy.file not in choice.parted and (proxy.by_itself or proxy.file in choice.taken)
    )
    original = choice.original if choice.over == clip.original.file else None
    return replace(clip, original=original or clip.original, proxies=proxies, pin=choice.pin)


def _proxy_as_chosen(proxy: Proxy, choice: Choice) -> Proxy:
    offset, proof = choice.offsets.get(proxy.file, proxy.offset), proxy.proof
    if proof is not None and proof.stamp.offset != offset:
        proof = None
    elif proof is not None and choice.accepted.get(proxy.file) == proof.stamp:
        proof = replace(proof, accepted=True)
    return proxy if (offset, proof) == (proxy.offset, proxy.proof) else replace(proxy, offset=offset, proof=proof)
