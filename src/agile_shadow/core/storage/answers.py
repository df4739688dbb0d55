"""From a project's cards to the question, and the answers that were given, with their age."""

from __future__ import annotations

import json
import os
import time
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from ..below import Anchor
from ..errors import ShadowError
from ..jobs import JobStore
from ..project import Project
from ..readings import readings_of
from ..state import opened, state_file
from .asking import AskRequest, AskShelf, CardAnswer, Listed, list_card
from .cards import Card, cards_of

_TABLE = """CREATE TABLE IF NOT EXISTS card_answers (
  project TEXT NOT NULL, card TEXT NOT NULL, answer TEXT NOT NULL, PRIMARY KEY (project, card))"""
FRESH = 900.0  # seconds for which an answer is told as one of now; then as what it was


def all_cards(project: Project, store: JobStore) -> list[Card]:
    """The cards of a project with all that this machine remembers of their copies. Raises StateError."""
    sources = {str(report["source"]) for report in project.reports if isinstance(report.get("source"), str)}
    copies = [record for source in sorted(sources - {""}) for record in store.copies_below(Path(source), sources=True)]
    return cards_of(project, copies, readings_of(record.target for record in copies))


def card_like(cards: Iterable[Card], listed: Listed, source: Path) -> Card | None:
    """The card that lies there: the one of that folder, else the one with most files of the same name and size."""
    best, most = None, 0
    for card in cards:
        known = sum(1 for file in card.files if (at := listed.get(file.path)) is not None and at[0] == file.size)
        score = 2 * known + (card.source == source and known > 0)
        if score > most:
            best, most = card, score
    return best


def ask_request(
    project: Project, cards: Sequence[Card], source: Path, card: Card | None = None, needless: Sequence[str] = (),
    passed_over_may_go: bool = False,
) -> tuple[Card, AskRequest]:  # fmt: skip
    """The card that lies in a folder, and what to ask of it. ``needless``: patterns of file names that need no copy;
    ``passed_over_may_go``: nor do the files that the ingest passed over, nor empty ones. Raises ShadowError where no
    card of the project looks like it, ShelfGone where there is nothing."""
    listed, _system, _problems = list_card(Anchor.of(source))
    card = card or card_like(cards, listed, source)
    if card is None:
        raise ShadowError(
            "is no card that was ingested into this project", source, "Ingest it, or name the folder that was."
        )
    names = {shelf.id: shelf for shelf in project.shelves}
    shelves = tuple(AskShelf(one, names[one].name, names[one].root) for one in card.shelves if one in names)
    places = {file.path: tuple((copy.shelf, copy.path) for copy in file.copies) for file in card.files if file.copies}
    unneeded = {path for path in listed if any(_fits(path, pattern) for pattern in needless)}
    if passed_over_may_go:
        unneeded |= {path for path, _reason in card.passed_over} | {path for path, at in listed.items() if at[0] == 0}
    by_size = _by_size(project, {one.id for one in shelves})
    return card, AskRequest(source, shelves, places, by_size, frozenset(unneeded), dict(card.passed_over))


def _fits(path: str, pattern: str) -> bool:
    name = os.path.basename(path)
    return fnmatchcase(path.casefold(), pattern.casefold()) or fnmatchcase(name.casefold(), pattern.casefold())


def _by_size(project: Project, shelves: set[str]) -> Mapping[int, tuple[tuple[str, Path], ...]]:
    found: defaultdict[int, list[tuple[str, Path]]] = defaultdict(list)
    for clip in project.clips:
        file = clip.original.file
        place = project.place_or_none(file)
        if file.shelf in shelves and file.form == "file" and place is not None:
            found[clip.original.size].append((file.shelf, place))
    return {size: tuple(places) for size, places in found.items()}


# The answers


@dataclass(frozen=True)
class KeptAnswer:
    """An answer of before: when the card was read (seconds since 1970), whether all was equal then, and the sentence.
    ``source``: where the card was; ``files`` of it and ``copies``: (path, bytes, modification time in nanoseconds) as
    they were read."""

    ended: float
    good: bool
    said: str
    shelves: tuple[str, ...]
    copies: tuple[tuple[str, int, int], ...]
    source: str
    files: tuple[tuple[str, int, int], ...]

    def changed(self) -> str:
        """What shows, without reading it, that the card or a copy is not what was read. Touches drives."""
        try:
            listed, _system, problems = list_card(Anchor.of(Path(self.source)))
        except ShadowError:
            return "the card is not in any more"
        if problems:
            return problems[0]
        now = {(path, at[0], at[1]) for path, at in listed.items()}
        for path, _size, _modified in sorted(now.symmetric_difference(self.files)):
            return f"{path} came, went or changed on the card"
        for path, size, modified in self.copies:
            try:
                status = os.stat(path, follow_symlinks=False)
            except OSError:
                return f"{path} is not there now"
            if (status.st_size, status.st_mtime_ns) != (size, modified):
                return f"{path} changed since"
        return ""


def keep_answer(project: Path, card: Card, answer: CardAnswer) -> None:
    """Keep the last answer for each card. Raises StateError."""
    copies = [(copy.path, copy.size, copy.modified) for file in answer.files for copy in file.copies
              if copy.state == "equal"]  # fmt: skip
    values = {
        "ended": answer.ended, "good": answer.may_be_wiped, "said": answer.why(),
        "shelves": [shelf.name for shelf in answer.shelves], "copies": copies, "source": answer.source,
        "files": [(file.path, file.size, file.modified) for file in answer.files],
    }  # fmt: skip
    with opened(state_file(), _TABLE) as db:
        row = (str(project), card.id, json.dumps(values))
        db.execute("INSERT OR REPLACE INTO card_answers VALUES (?, ?, ?)", row)


def kept_answers(project: Path) -> dict[str, KeptAnswer]:
    """The last answers by the card's identity. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        rows = db.execute("SELECT card, answer FROM card_answers WHERE project=?", (str(project),)).fetchall()
    return {card: _kept(json.loads(text)) for card, text in rows}


def _kept(values: dict[str, Any]) -> KeptAnswer:
    copies, files = (
        tuple((str(path), int(size), int(modified)) for path, size, modified in values[name])
        for name in ("copies", "files")
    )
    shelves = tuple(values["shelves"])
    return KeptAnswer(values["ended"], values["good"], values["said"], shelves, copies, values["source"], files)


def answer_words(kept: KeptAnswer | None, changed: str = "", now: float | None = None) -> tuple[bool, str]:
    """(whether it may be wiped by an answer that was given just now, the words with its age).

    What is older than a quarter of an hour, or of a card that is not in any more, is told as what was read then, never
    as leave to wipe. ``changed``: of :meth:`KeptAnswer.changed`.
    """
    if kept is None:
        return False, "Not yet, because the card was not checked: insert it and click Check the card"
    age = max(0.0, (time.time() if now is None else now) - kept.ended)
    when = f"read {age_words(age)}"
    if not kept.good:
        return False, f"{kept.said} ({when})"
    if changed:
        return False, f"Not yet, because {changed} (all was equal when it was {when})"
    if age > FRESH:
        return False, f"Not yet, because it was {when}: all was equal then. Check the card again before you wipe it"
    return True, f"{kept.said} ({when})"


def age_words(seconds: float) -> str:
    """``just now``, ``12 min ago``, ``3 h ago``, ``5 days ago``."""
    if seconds < 60:
        return "just now"
    if seconds < 3600:
        return f"{seconds / 60:.0f} min ago"
    if seconds < 48 * 3600:
        return f"{seconds / 3600:.0f} h ago"
    return f"{seconds / 86400:.0f} days ago"
