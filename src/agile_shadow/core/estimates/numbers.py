"""A number with what it rests on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

Basis = Literal["exact", "measured", "at most"]


@dataclass(frozen=True)
class Number:
    """A value and its basis; ``taken``: when it was measured, in seconds since 1970, 0 for what was computed."""

    value: float
    basis: Basis
    taken: float = 0.0

    def times(self, factor: float) -> Number:
        """The same basis, another amount."""
        return Number(self.value * factor, self.basis, self.taken)

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return {"value": self.value, "basis": self.basis, "taken": self.taken or None}
