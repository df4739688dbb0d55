"""The rule of the switch in words, and how many clips show what."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ..core.project import Clip, Project
from ..core.switch import Presence, choose
from ..core.timeline import with_pin

MANY = 1000  # clips; sums over more are told in a turn of their own, so that no turn is long
RULE = (
    "Originals: each clip's original. Proxies: its proxy where it has one, else the original. A pinned clip or block "
    "stays on its own side."
)


class Counts:
    """Counted anew only where clips, switch or drives have changed: there may be ten thousand clips, of which one at a
    time changes while proxies are made."""

    def __init__(self) -> None:
        self._known: tuple[object, ...] = ()
        self._text = ""
        self._around: tuple[object, ...] = ()  # what the kinds depend on besides the clip
        self._kinds: dict[str, tuple[Clip, str]] = {}
        self._away: tuple[str, ...] = ()
        self._clips = 0

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
        around = (project.showing, project.shelves, presence.version)
        same = not _differ(around, self._around)
        if not same:
            self._around, self._kinds = around, {}
        if not presence.any_missing:
            self._away = ()
        elif not same or self._away or len(project.clips) < self._clips:
            self._away = shelves_away(project, presence)
        self._clips = len(project.clips)
        kinds = Counter(self._kind(project, clip, presence) for clip in clips)
        if not self._away:
            return _words(project, clips, kinds, presence, pins)
        every = (self._kind(project, clip, presence) for clip in project.clips)  # sound and stills too
        kinds["missing"] = sum(1 for kind in every if kind == "missing")
        return _words_away(self._away, kinds)

    def _kind(self, project: Project, clip: Clip, presence: Presence) -> str:
        """What a clip shows, as known from the last time where it is the same clip."""
        kept = self._kinds.get(clip.id)
        if kept is None or kept[0] is not clip:
            kept = self._kinds[clip.id] = clip, _kind(project, clip, presence)
        return kept[1]


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


def shelves_away(project: Project, presence: Presence) -> tuple[str, ...]:
    """Names of the shelves of which every file that the project has there is missing."""
    there: dict[str, bool] = {}
    for clip in project.clips:
        for file in (clip.original.file, *(proxy.file for proxy in clip.proxies)):
            if not there.get(file.shelf):
                path = project.place_or_none(file)
                there[file.shelf] = path is not None and not presence.is_missing(path)
    found = (project.shelf(identity) for identity, present in there.items() if not present)
    return tuple(sorted(shelf.name for shelf in found if shelf is not None))


def _without(clips: Sequence[Clip], kinds: Counter[str], presence: Presence, other: str) -> int:
    """How many show the other side since their own is missing; pins aside."""
    return kinds[other] - sum(1 for clip in clips if clip.pin) if presence.any_missing else 0


def _kind(project: Project, clip: Clip, presence: Presence) -> str:
    """What a clip shows; quick where nothing is missing, since there may be ten thousand."""
    if presence.any_missing:
        return choose(project, clip, presence).kind
    return "proxy" if clip.proxies and project.side_of(clip) == "proxies" else "original"


def unpinned(project: Project, clip: str) -> Project:
    """A clip and its blocks follow the switch again."""
    found = project.clip(clip)
    if found is not None and found.pin:
        project = project.with_pin(found.id, None)
    blocks = [block.id for block in project.timeline.blocks if block.clip == clip and block.pin]
    return project.but(timeline=with_pin(project.timeline, blocks, None)) if blocks else project
