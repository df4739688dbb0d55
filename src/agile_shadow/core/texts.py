"""Texts as they can be written."""

from __future__ import annotations

import re

_SURROGATE = re.compile("[\ud800-\udfff]")


def whole_text(text: str) -> str:
    """A text that can be written as UTF-8: halves of letters become the replacement character."""
    return _SURROGATE.sub("\ufffd", text)
