"""Which clip a file belongs to that is neither picture nor sound: metadata, thumbnails, playlists."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable

from ..media import is_known_media_name

MOST_ADDED = 6  # letters that a sidecar's name may have after its clip's
_LEAST_LEFT = 3  # letters of a clip's name
_RANK = {"video": 0, "sound": 1, "still": 2}


def owners_of(others: Iterable[str], playable: Iterable[str]) -> dict[str, list[str]]:
    """Paths of other files by the path of the clip they belong to; paths are below the source, with ``/``.

    A file belongs to the clip of its name (or of the beginning of its name) in its own folder, else in a folder beside
    or above it; or to the only clip of a folder that is named like the clip. Where several have that name, video goes
    before sound and stills.
    """
    clips = _by_name(playable)
    alone = _alone_in_their_folder(playable)
    found: dict[str, list[str]] = defaultdict(list)
    for path in others:
        owner = _owner(path, clips) or alone.get(os.path.dirname(path))
        if owner is not None:
            found[owner].append(path)
    return found


def stem_of(path: str) -> str:
    """Name without folder and ending, letters' case left out."""
    return os.path.splitext(os.path.basename(path))[0].casefold()


def may_share(first: str, second: str) -> bool:
    """Whether two files lie in one folder, in folders beside each other, or one in a folder below the other's."""
    one, two = os.path.dirname(first), os.path.dirname(second)
    above_one, above_two = os.path.dirname(one), os.path.dirname(two)
    return one in (two, above_two) or two == above_one or (above_one == above_two and bool(one and two))


def _by_name(playable: Iterable[str]) -> dict[str, list[str]]:
    clips: dict[str, list[str]] = defaultdict(list)
    for path in sorted(playable, key=lambda one: (_RANK.get(is_known_media_name(one) or "video", 0), one)):
        clips[stem_of(path)].append(path)
    return clips


def _owner(path: str, clips: dict[str, list[str]]) -> str | None:
    stem = stem_of(path)
    for cut in range(min(MOST_ADDED, len(stem) - _LEAST_LEFT) + 1 if len(stem) > _LEAST_LEFT else 1):
        if cut and stem[len(stem) - cut].isdigit() and stem[len(stem) - cut - 1].isdigit():
            continue  # 0012 is not an addition to 001
        near = [clip for clip in clips.get(stem[: len(stem) - cut], ()) if may_share(clip, path)]
        if near:
            return min(near, key=lambda clip: os.path.dirname(clip) != os.path.dirname(path))
    return None


def _alone_in_their_folder(playable: Iterable[str]) -> dict[str, str]:
    """Folders that hold one clip and have its name (or the beginning of it)."""
    inside: dict[str, list[str]] = defaultdict(list)
    for path in playable:
        inside[os.path.dirname(path)].append(path)
    alone = {}
    for folder, paths in inside.items():
        name, stem = os.path.basename(folder).casefold(), stem_of(paths[0])
        name = os.path.splitext(name)[0]
        if len(paths) == 1 and name and (stem.startswith(name) or name.startswith(stem)):
            alone[folder] = paths[0]
    return alone
