"""Small drawn clips and their proxies, for tests of pairing and proof."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import probe
from agile_shadow.core.pairs import Proof
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.presets import Originals, Preset
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.stand_ins.elsewhere import Derived, DrawnClip, write_original, write_proxy


def clip(name: str = "A001.mov", take: int = 1, frames: int = 72, **more: Any) -> DrawnClip:
    """A small original: one scene, whose takes differ in what moves."""
    plain = DrawnClip(name, 77, take, frames, Fraction(25), "objects", (192, 108), start=90_000)
    return replace(plain, **more)


def leave(originals: Path, project: Path) -> None:
    """Take originals into a project where they lie, without proxies."""
    preset = Preset(name="Where they lie", originals=Originals(do="leave"), proxies=None)
    session = ProjectSession.open(project)
    try:
        report = IngestRun(IngestRequest(originals, project.parent, project.parent, preset), session, JobStore()).run()
        assert report.all_well
    finally:
        session.close()


def proved(folder: Path, original: DrawnClip, made: Derived, offset: int | None = None) -> Proof:
    """The proof of a drawn pair."""
    first, second = write_original(original, folder), write_proxy(made, [original], folder / "made")
    halves = [Half(path, probe(path)) for path in (first, second)]
    return prove(ProveRequest(*halves, made.trim if offset is None else offset), lambda done: None)


def drawn_film(folder: Path, originals: list[DrawnClip]) -> Path:
    """A project with drawn originals."""
    for one in originals:
        write_original(one, folder / "Boathouse")
    project = folder / "film.otio"
    leave(folder / "Boathouse", project)
    return project
