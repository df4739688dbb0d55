"""Patterns of what a manifest leaves out, matched in bounded time.

The patterns of ASC MHL are those of Git's ignore files (gitignore(5)). They come with a history from elsewhere: turned
into regular expressions, one of many stars can take for ever on a name. Here a star is gone back to at most once a
letter.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

_MOST, _LONGEST = 500, 300  # patterns; letters of one


@dataclass(frozen=True)
class _Pattern:
    parts: tuple[str, ...]
    negated: bool
    folders_only: bool


class Ignored:
    """What patterns leave out, of paths below a root with ``/`` between folders."""

    def __init__(self, patterns: Iterable[str]) -> None:
        self._patterns = [one for text in list(patterns)[:_MOST] if (one := _parsed(text)) is not None]

    def matches(self, path: str, is_folder: bool = False) -> bool:
        """Whether the path, or a folder that it lies in, is left out; the last pattern that speaks of it decides."""
        parts = tuple(path.split("/"))
        return any(self._decides(parts[:end], is_folder or end < len(parts)) for end in range(1, len(parts) + 1))

    def _decides(self, parts: tuple[str, ...], is_folder: bool) -> bool:
        out = False
        for pattern in self._patterns:
            if (is_folder or not pattern.folders_only) and _fits(pattern.parts, parts):
                out = not pattern.negated
        return out


def _parsed(text: str) -> _Pattern | None:
    text = text.rstrip()
    if not text or text.startswith("#") or len(text) > _LONGEST:
        return None
    negated = text.startswith("!")
    text = text.removeprefix("!").removeprefix("\\")
    folders_only = text.endswith("/")
    text = text.rstrip("/")
    anchored = "/" in text
    parts = [part for part in text.split("/") if part]
    if not parts:
        return None
    whole = parts if anchored else ["**", *parts]
    return _Pattern(tuple(part for k, part in enumerate(whole) if part != "**" or whole[k - 1 : k] != ["**"]), negated,
                    folders_only)  # fmt: skip


def _fits(pattern: tuple[str, ...], parts: tuple[str, ...]) -> bool:
    """Whether the parts of a pattern fit those of a path: ``**`` stands for any number of folders."""
    reached = {0}
    for k, part in enumerate(pattern):
        if part == "**":
            first = min(reached) + (k == len(pattern) - 1)  # at the end it stands for what is inside, not for nothing
            reached = set(range(first, len(parts) + 1))
        else:
            reached = {at + 1 for at in reached if at < len(parts) and name_fits(part, parts[at])}
        if not reached:
            return False
    return len(parts) in reached


@lru_cache(maxsize=65536)
def name_fits(pattern: str, name: str) -> bool:
    """Whether a name fits a pattern of ``*``, ``?``, ``[...]`` and letters. Takes at most their lengths multiplied."""
    tokens = _tokens(pattern)
    at, k, star, back = 0, 0, -1, 0
    while at < len(name):
        if k < len(tokens) and tokens[k] == "*":
            star, back, k = k, at, k + 1
        elif k < len(tokens) and _letter_fits(tokens[k], name[at]):
            at, k = at + 1, k + 1
        elif star >= 0:
            back += 1
            at, k = back, star + 1
        else:
            return False
    return all(token == "*" for token in tokens[k:])


@lru_cache(maxsize=4096)
def _tokens(pattern: str) -> tuple[str, ...]:
    tokens, at = [], 0
    while at < len(pattern):
        end = pattern.find("]", at + 2) if pattern[at] == "[" else -1
        step = 2 if pattern[at] == "\\" and at + 1 < len(pattern) else end + 1 - at if end > 0 else 1
        tokens.append(pattern[at : at + step])
        at += step
    return tuple(token for k, token in enumerate(tokens) if token != "*" or tokens[k - 1 : k] != ["*"])


def _letter_fits(token: str, letter: str) -> bool:
    if token == "?":
        return True
    if len(token) > 2 and token[0] == "[":
        inside = token[1:-1]
        out = inside[:1] in ("!", "^")
        return _in_class(inside[1:] if out else inside, letter) != out
    return token[-1] == letter


def _in_class(inside: str, letter: str) -> bool:
    at = 0
    while at < len(inside):
        if inside[at + 1 : at + 2] == "-" and at + 2 < len(inside):
            if inside[at] <= letter <= inside[at + 2]:
                return True
            at += 3
        else:
            if inside[at] == letter:
                return True
            at += 1
    return False
