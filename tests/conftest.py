"""What all tests share: a profile of their own, and a small drawn card."""

from __future__ import annotations

import hashlib
import importlib.abc
import logging
import os
import shutil
import sys
import threading
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest

if os.environ.get("AGILE_SHADOW_NO_QT"):

    class _NoQt(importlib.abc.MetaPathFinder):
        def find_spec(self, name: str, path: object = None, target: object = None) -> None:
            if name.split(".")[0] in ("PySide6", "shiboken6"):
                raise ImportError(f"{name} is made unimportable for the core tests")

    sys.meta_path.insert(0, _NoQt())


_LONG = (  # files that take longest, the longest first: begun early, nobody waits for one of them at the end
    "test_film", "test_hosts", "test_handover", "test_queue", "test_zoo", "test_pairing", "test_ingest", "test_faults",
    "test_everywhere", "test_timeline_place", "test_presets_place", "test_export_place", "test_road", "test_lasting",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The files of ``_LONG`` first; the tests of a file stay together and in their order."""
    items.sort(key=lambda item: _LONG.index(item.path.stem) if item.path.stem in _LONG else len(_LONG))


@pytest.fixture(autouse=True)
def own_profile(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """State, presets and caches of the test, not of the person who runs it."""
    home = tmp_path / "profile"
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(home))
    return home


_OURS = (
    "worker keeper", "ingest", "make", "export", "autosave", "frames ", "sound", "proving", "presence", "comparing",
    "looking for files", "drawing", "attending", "sketches",
)  # fmt: skip
_PATIENCE = 5.0  # seconds that a thread may take to end after its test


@pytest.fixture(autouse=True)
def nothing_left_behind(request: pytest.FixtureRequest, caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    """No thread of the program outlives its test, and no error is logged that the test did not plant.

    ``@pytest.mark.plants_errors``: what the program stumbles over is meant to be there.
    """
    before = set(threading.enumerate())
    yield
    end = time.monotonic() + _PATIENCE
    while left := [one for one in threading.enumerate() if one not in before and one.name.startswith(_OURS)]:
        if time.monotonic() > end:
            pytest.fail(f"threads outlive the test: {sorted(one.name for one in left)}")
        time.sleep(0.02)
    if request.node.get_closest_marker("plants_errors") is None:
        told = [one for when in ("setup", "call") for one in caplog.get_records(when) if one.levelno >= logging.ERROR]
        if told:
            pytest.fail(f"errors were logged: {[f'{one.name}: {one.getMessage()}'[:200] for one in told]}")


@pytest.fixture(scope="session")
def drawn_card(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo card at a quarter of its frame sizes and one second a clip. Not to be written to."""
    from agile_shadow.stand_ins import draw_card

    card = tmp_path_factory.mktemp("drawn") / "Card"
    draw_card(card, shrink=4, seconds=Fraction(1))
    return card


@pytest.fixture
def card(drawn_card: Path, tmp_path: Path) -> Path:
    """A card of one's own."""
    return Path(shutil.copytree(drawn_card, tmp_path / "Card"))


@pytest.fixture(scope="session")
def filmed(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A project with half-size proxies and a cut in which everything is used, ingested once. Not to be written to."""
    from agile_shadow.core.presets import Preset, Proxies
    from agile_shadow.core.project import load_project, save_project
    from tests.drawn import draw_full_and_late
    from tests.effects import with_everything
    from tests.footage import ingest

    folder = tmp_path_factory.mktemp("filmed")
    draw_full_and_late(folder / "Odd")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        half = Preset(name="Half", proxies=Proxies(scale=Fraction(1, 2), codec="h264"))
        ingest(drawn_card, folder / "p.otio", half)
        ingest(folder / "Odd", folder / "p.otio", half)
    save_project(with_everything(load_project(folder / "p.otio"), frames=4), folder / "p.otio")
    return folder / "p.otio"


@pytest.fixture(scope="session")
def ingested(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a project whose card was taken in, with half-size proxies. Not to be written to."""
    from tests.footage import ingest, preset

    folder = tmp_path_factory.mktemp("ingested")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        ingest(drawn_card, folder / "film" / "The Tern Ferry.otio", preset())
    return folder / "film"


@pytest.fixture
def film(ingested: Path, tmp_path: Path) -> Path:
    """A project file of one's own, with its shelves."""
    return own_copy(ingested / "The Tern Ferry.otio", tmp_path / "film")


def own_copy(project: Path, folder: Path) -> Path:
    """A project's folder with all in it, copied to another; the project file there."""
    shutil.copytree(project.parent, folder)
    copy = folder / project.name
    copy.write_text(project.read_text().replace(str(project.parent), str(folder)))
    return copy


@pytest.fixture(scope="session")
def stored(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A card, ingested to two shelves, with its proxies: to be copied, never changed."""
    from agile_shadow.core.ingest import IngestRequest, IngestRun
    from agile_shadow.core.jobs import JobStore
    from agile_shadow.core.project import ProjectSession
    from tests.footage import TWICE

    folder = tmp_path_factory.mktemp("stored")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "home"))
        card = folder / "Card"
        for name in sorted(path.relative_to(drawn_card) for path in drawn_card.rglob("*") if path.is_file())[1:6]:
            (card / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(drawn_card / name, card / name)
        session = ProjectSession.open(folder / "film.otio")
        request = IngestRequest(card, folder / "Boathouse", folder / "Laptop", TWICE, folder / "Attic")
        report = IngestRun(request, session, JobStore()).run()
        session.close()
        assert report.all_well and report.found >= 3, report.headline()
    return folder


@pytest.fixture
def place(stored: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """The same at its own paths again, with the memory of the machine that made it."""
    from agile_shadow.core.upkeep import removing
    from tests.core.test_outside import into_a_trash_of_its_own

    kept = stored.with_name(f".{stored.name} kept")
    if not kept.exists():
        shutil.copytree(stored, kept, symlinks=True)
    shutil.rmtree(stored)
    shutil.copytree(kept, stored, symlinks=True)
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(stored / "home"))
    monkeypatch.setenv("XDG_DATA_HOME", str(stored / "data"))
    monkeypatch.setattr(removing, "into_trash", into_a_trash_of_its_own(stored / "data" / "Trash"))
    return stored


def hashes(folder: Path) -> dict[str, str]:
    """Checksum of every file below a folder, its mark as a shelf left out."""
    from agile_shadow.core.shelves import MARK

    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*"))
        if path.is_file() and path.name != MARK
    }
