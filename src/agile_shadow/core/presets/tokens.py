"""Tokens in names, folders and marks: ``{reel}``, ``{counter:3}``.

Checked when a preset is edited, filled when it runs.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from ..files import shortened

_TOKEN = re.compile(r"\{([^{}]*)\}")
_PARTS = re.compile(r"^([a-z]+)(?::([1-9]))?$")
_UNSAFE = re.compile(r"[/\\\x00-\x1f:*?\"<>|]+")
_LONGEST = 180  # bytes of one name


@dataclass(frozen=True)
class Token:
    """``name`` between the braces; ``help`` says what it stands for; ``example`` for the live preview."""

    name: str
    help: str
    example: str


TOKENS = (
    Token("name", "the original's name without its extension", "A001C004"),
    Token("date", "day it was shot", "2026-10-12"),
    Token("time", "time of day it was shot", "093142"),
    Token("camera", "camera, as the file or the card's first folder names it", "MAIN_A001"),
    Token("reel", "reel", "A001"),
    Token("card", "name of the card or source folder", "Card"),
    Token("folder", "the clip's own folder on the card", "CLIPS"),
    Token("counter", "number in the order of the card; {counter:3} gives 001", "4"),
    Token("project", "name of the project", "The Tern Ferry"),
    Token("preset", "name of the preset", "Everyday, quarter size"),
)
_NAMES = {token.name for token in TOKENS}
EXAMPLES = {token.name: token.example for token in TOKENS}
NEED_PROBE = frozenset({"date", "time", "camera", "reel"})


def tokens_in(pattern: str) -> set[str]:
    """The names of the tokens in a pattern."""
    return {part.partition(":")[0] for part in _TOKEN.findall(pattern)}


def check_text(text: str) -> str:
    """Gives the text back; raises ValueError for a token that does not exist or a stray brace."""
    for part in _TOKEN.findall(text):
        found = _PARTS.match(part)
        if found is None or found[1] not in _NAMES or (found[2] and found[1] != "counter"):
            known = ", ".join(f"{{{token.name}}}" for token in TOKENS)
            raise ValueError(f"there is no token {{{part}}}; there are {known}")
    if "{" in _TOKEN.sub("", text) or "}" in _TOKEN.sub("", text):
        raise ValueError("a brace { or } stands alone")
    return text


def check_name(pattern: str) -> str:
    """For the pattern of a file name. Raises ValueError."""
    check_text(pattern)
    if not pattern.strip():
        raise ValueError("the name is empty")
    rest = _TOKEN.sub("", pattern)
    if _UNSAFE.search(rest):
        raise ValueError('a name cannot hold any of / \\ : * ? " < > |')
    if pattern.startswith("."):
        raise ValueError("a name that begins with a dot would be hidden")
    if not tokens_in(pattern) & {"name", "counter"}:
        raise ValueError("every file would get the same name: use {name} or {counter}")
    return pattern


def check_folders(pattern: str) -> str:
    """For the pattern of folders, parted by ``/``. Raises ValueError."""
    check_text(pattern)
    for part in pattern.split("/") if pattern else ():
        if not part.strip() or part.startswith(".") or _UNSAFE.search(_TOKEN.sub("", part)):
            raise ValueError(f'"{part}" cannot be the name of a folder')
    return pattern


def fill_text(text: str, values: Mapping[str, str]) -> str:
    """The text with its tokens replaced; what is not known becomes ``no reel`` and the like."""

    def value(match: re.Match[str]) -> str:
        name, _, digits = match[1].partition(":")
        known = values.get(name, "")
        return known.zfill(int(digits)) if digits and known else known or f"no {name}"

    return _TOKEN.sub(value, text)


def fill_path(pattern: str, values: Mapping[str, str]) -> str:
    """Folders or a name with tokens replaced, safe on any drive: no separators, no hidden or overlong names."""
    safe = {name: _UNSAFE.sub("_", value) for name, value in values.items()}
    parts = [shortened(fill_text(part, safe).strip().lstrip("."), _LONGEST).rstrip(" .") for part in pattern.split("/")]
    return "/".join(part or "_" for part in parts)
