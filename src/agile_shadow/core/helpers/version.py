"""What two machines must have in common so that they make the same files."""

from __future__ import annotations

from functools import cache
from importlib.metadata import PackageNotFoundError, version

PROTOCOL = 1  # of orders and answers; raised with every change of them


@cache
def own_version() -> str:
    """This program's version, that of its orders, and those of the libraries that decode and encode."""
    return f"{_of('agile-shadow')}/{PROTOCOL} av {_of('av')} numpy {_of('numpy')}"


def _of(package: str) -> str:
    try:
        return version(package)
    except PackageNotFoundError:
        return "unknown"
