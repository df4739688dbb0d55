"""What all tests share: a profile of their own, and a small drawn card."""

from __future__ import annotations

import hashlib
import importlib.abc
import os
import shutil
import sys
from fractions import Fraction
from pathlib import Path

import pytest

if os.environ.get("AGILE_SHADOW_NO_QT"):

    class _NoQt(importlib.abc.MetaPathFinder):
        def find_spec(self, name: str, path: object = None, target: object = None) -> None:
            if name.split(".")[0] in ("PySide6", "shiboken6"):
                raise ImportError(f"{name} is made unimportable for the core tests")

    sys.meta_path.insert(0, _NoQt())


@pytest.fixture(autouse=True)
def own_profile(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """State, presets and caches of the test, not of the person who runs it."""
    home = tmp_path / "profile"
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(home))
    return home


@pytest.fixture(scope="session")
def drawn_card(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo card at a quarter of its frame sizes and one second a clip. Not to be written to."""
    from agile_shadow.core.stand_ins import draw_card

    card = tmp_path_factory.mktemp("drawn") / "Card"
    draw_card(card, shrink=4, seconds=Fraction(1))
    return card


@pytest.fixture
def card(drawn_card: Path, tmp_path: Path) -> Path:
    """A card of one's own."""
    return Path(shutil.copytree(drawn_card, tmp_path / "Card"))


def hashes(folder: Path) -> dict[str, str]:
    """Checksum of every file below a folder, its mark as a shelf left out."""
    from agile_shadow.core.shelves import MARK

    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*"))
        if path.is_file() and path.name != MARK
    }
