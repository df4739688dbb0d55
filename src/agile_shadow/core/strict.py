"""What comes from elsewhere (project, preset, report, table), read within bounds: types, lengths, numbers, nesting.

The models of whoever reads such a file are made of these types; what does not fit is refused by field and reason.
"""

from __future__ import annotations

import json
import re
from contextlib import suppress
from fractions import Fraction
from functools import lru_cache
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, PlainValidator, StringConstraints
from pydantic_core import from_json

from .texts import whole_text

_FRACTION = re.compile(r"-?\d{1,60}(/\d{1,60})?|-?\d{1,30}\.\d{1,30}")
_LONE = re.compile(r"\\u[dD][89a-fA-F]")
DEEPEST = 40  # values within values
_MOST = 2_000_000  # values kept as they are, in one file


def exact(value: Any) -> Fraction:
    """A fraction from ``"24000/1001"``, ``"0.04"`` or a whole number. Raises ValueError: an exponent may stand for a
    number that no machine holds."""
    if isinstance(value, Fraction):
        return value
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError("is not a fraction")
    return _exact(str(value) if not isinstance(value, float) else f"{value:.9f}")


@lru_cache(maxsize=4096)  # thousands of clips share a few rates and shapes
def _exact(text: str) -> Fraction:
    if not _FRACTION.fullmatch(text):
        raise ValueError("is not a fraction of sensible length")
    try:
        return Fraction(text)
    except ZeroDivisionError as error:
        raise ValueError("is divided by zero") from error


Exact = Annotated[Fraction, PlainValidator(exact)]
Id = Annotated[str, StringConstraints(max_length=200)]
Name = Annotated[str, StringConstraints(max_length=1000)]
PathText = Annotated[str, StringConstraints(max_length=20_000)]
Line = Annotated[str, StringConstraints(max_length=4000)]
Words = Annotated[str, StringConstraints(max_length=100_000)]
Count = Annotated[int, Field(ge=0, le=10**16)]
Time = Annotated[int, Field(ge=-(10**20), le=10**20)]  # nanoseconds
Frame = Annotated[int, Field(ge=-(10**10), le=10**10)]
Number = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]


class Strict(BaseModel):
    """A part of a file from elsewhere; what it does not name is passed over."""

    model_config = ConfigDict(extra="ignore", frozen=True)


def read_json(text: str) -> Any:
    """Plain values. Raises ValueError, also for what is nested too deep; halves of letters are replaced."""
    with suppress(ValueError):  # the quick reader refuses what the other one takes: NaN, halves of letters
        return from_json(text, allow_inf_nan=False)
    try:
        values = json.loads(text, parse_constant=_constant)
    except RecursionError as error:
        raise ValueError("is nested too deep") from error
    return _whole_letters(values) if _LONE.search(text) else values


def _constant(_text: str) -> float:
    return 0.0  # NaN and infinities: no value of any field


def _whole_letters(values: Any, depth: int = 0) -> Any:
    """With lone surrogates, which no file can hold, replaced."""
    if depth > 500:
        raise ValueError("is nested too deep")
    if isinstance(values, str):
        return whole_text(values)
    if isinstance(values, list):
        return [_whole_letters(one, depth + 1) for one in values]
    if isinstance(values, dict):
        return {whole_text(key): _whole_letters(one, depth + 1) for key, one in values.items()}
    return values


def plain(values: Any) -> Any:
    """Values that are kept as they are, for a newer version. Raises ValueError for too many or too deep ones."""
    waiting = [(values, 0)]
    seen = 0
    while waiting:
        one, depth = waiting.pop()
        seen += 1
        if depth > DEEPEST or seen > _MOST:
            raise ValueError("holds too much that is not known here")
        if isinstance(one, dict):
            waiting += [(inner, depth + 1) for inner in one.values()]
        elif isinstance(one, list):
            waiting += [(inner, depth + 1) for inner in one]
        elif isinstance(one, int) and not isinstance(one, bool) and abs(one) > 10**30:
            raise ValueError("holds a number out of all range")
    return values
