"""The rule of the switch in words, and how many clips show what."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from ..core.project import Clip, Project
from ..core.switch import Presence, choose
from ..core.timeline import with_pin

MANY = 1000  # clips; sums over more are told in a turn of their own, so that no turn is long
RULE = (
    "Originals: each clip's original. Proxies: its proxy where it has one, else the original. A pinned clip or block "
    "stays on its own side."
)


@dataclass(frozen=True)
class _Seen:
    """What a clip shows; identities of the shelves of its files, and of those on which one of them is there."""

    clip: Clip
    kind: str
    shelves: frozenset[str]
    here: frozenset[str]


class Counts:
    """Counted anew only where clips, switch or drives have changed: there may be ten thousand clips, of which one at a
    time changes while proxies are made."""

    def __init__(self) -> None:
        self._known: tuple[object, ...] = ()
        self._text = ""
        self._around: tuple[object, ...] = ()  # what is seen of a clip depends on it too
        self._seen: dict[str, _Seen] = {}

    def text(self, project: Project, presence: Presence) -> str:
        """Such as ``38 on proxies, 2 have none, 1 pinned``."""
        pins = sum(1 for block in project.timeline.blocks if block.pin)
        known = (project.clips, project.showing, presence.version, pins)
        if _differ(known, self._known):
            self._known = known
            self._text = self._counted(project, presence, pins)
        return self._text

    def _counted(self, project: Project, presence: Presence, pins: int) -> str:
        clips = [clip for clip in project.clips if clip.original.info.kind == "video" or clip.proxies]
        if not clips:
            return ""
        if not presence.any_missing:
            kinds = Counter("proxy" if clip.proxies and project.side_of(clip) == "proxies" else "original"
                            for clip in clips)  # fmt: skip
            return _words(project, clips, kinds, presence, pins)
        around = (project.showing, project.shelves, presence.version)
        if _differ(around, self._around):
            self._around, self._seen = around, {}
        every = {clip.id: self._see(project, clip, presence) for clip in project.clips}
        kinds = Counter(every[clip.id].kind for clip in clips)
        away = _away(project, every.values())
        if not away:
            return _words(project, clips, kinds, presence, pins)
        kinds["missing"] = sum(1 for one in every.values() if one.kind == "missing")  # sound and stills too
        return _words_away(away, kinds)

    def _see(self, project: Project, clip: Clip, presence: Presence) -> _Seen:
        """As known from the last time where it is the same clip."""
        kept = self._seen.get(clip.id)
        if kept is None or kept.clip is not clip:
            files = (clip.original.file, *(proxy.file for proxy in clip.proxies))
            here = (file.shelf for file in files if (path := project.place_or_none(file)) is not None
                    and not presence.is_missing(path))  # fmt: skip
            kept = self._seen[clip.id] = _Seen(
                clip, choose(project, clip, presence).kind, frozenset(file.shelf for file in files), frozenset(here)
            )
        return kept


def _away(project: Project, seen: Collection[_Seen]) -> tuple[str, ...]:
    """Names of the shelves of which every file that the project has there is missing."""
    of: set[str] = set().union(*(one.shelves for one in seen))
    here: set[str] = set().union(*(one.here for one in seen))
    return tuple(sorted(shelf.name for shelf in project.shelves if shelf.id in of - here))


def _differ(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    return len(one) != len(other) or any(a is not b and a != b for a, b in zip(one, other, strict=True))


def _words_away(away: Sequence[str], kinds: Counter[str]) -> str:
    shown = (("proxy", "on proxies"), ("original", "on originals"), ("missing", "cannot be shown or heard"))
    how = ", ".join(f"{kinds[kind]} {text}" for kind, text in shown if kinds[kind])
    return f"{' and '.join(away)} {'is' if len(away) == 1 else 'are'} away: {how}"


def _words(project: Project, clips: Sequence[Clip], kinds: Counter[str], presence: Presence, pins: int) -> str:
    if project.showing == "proxies":
        bare = sum(1 for clip in clips if not clip.proxies)
        parts = [f"{kinds['proxy']} on proxies", f"{bare} {'has' if bare == 1 else 'have'} none" if bare else ""]
        gone = _without(clips, kinds, presence, "original") - bare
        parts.append(f"{gone} on originals, their proxies are missing" if gone > 0 else "")
    else:
        having = sum(1 for clip in clips if clip.proxies)
        parts = [f"{kinds['original']} on originals", f"{having} {'has' if having == 1 else 'have'} a proxy"]
        gone = _without(clips, kinds, presence, "proxy")
        parts.append(f"{gone} on proxies, their originals are missing" if gone > 0 else "")
    pinned = sum(1 for clip in clips if clip.pin) + pins
    parts += [f"{pinned} pinned" if pinned else "", f"{kinds['missing']} missing" if kinds["missing"] else ""]
    return ", ".join(part for part in parts if part)


def _without(clips: Sequence[Clip], kinds: Counter[str], presence: Presence, other: str) -> int:
    """How many show the other side since their own is missing; pins aside."""
    return kinds[other] - sum(1 for clip in clips if clip.pin) if presence.any_missing else 0


def unpinned(project: Project, clip: str) -> Project:
    """A clip and its blocks follow the switch again."""
    found = project.clip(clip)
    if found is not None and found.pin:
        project = project.with_pin(found.id, None)
    blocks = [block.id for block in project.timeline.blocks if block.clip == clip and block.pin]
    return project.but(timeline=with_pin(project.timeline, blocks, None)) if blocks else project
