"""The guide that comes with the program: its text, headings and pictures."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

FOLDER = Path(__file__).parents[1] / "guide"
_HEADING = re.compile(r"^(#{1,3}) (.+)$", re.MULTILINE)


@dataclass(frozen=True)
class Heading:
    """A heading of the guide; ``level``: 1 for its title, 2 for a chapter."""

    title: str
    level: int


def guide_text() -> str:
    """The whole guide, in Markdown."""
    return (FOLDER / "guide.md").read_text(encoding="utf-8")


def headings(text: str) -> list[Heading]:
    """The headings in their order."""
    return [Heading(found[2].strip(), len(found[1])) for found in _HEADING.finditer(text)]


def picture(name: str) -> Path | None:
    """The file of a picture that the guide names, None where it did not come with the program."""
    path = FOLDER / "pictures" / Path(name).name
    return path if path.is_file() else None


def chapters_with(text: str, words: str) -> Iterator[str]:
    """The headings of level 2 whose chapters contain all words."""
    wanted = words.casefold().split()
    for part in re.split(r"^(?=## )", text, flags=re.MULTILINE)[1:]:
        if all(word in part.casefold() for word in wanted):
            yield part.splitlines()[0].removeprefix("## ").strip()
