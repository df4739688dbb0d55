"""Small drawn clips and their proxies, for tests of pairing and proof."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import FrameReader, probe
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


def in_order(path: Path, numbers: list[int], target: Path) -> Path:
    """A file's frames in such an order, without loss, with its sound and timecode."""
    info = probe(path)
    with FrameReader(path) as reader, av.open(str(path)) as source, av.open(str(target), "w") as out:
        stream = out.add_stream("libx264", rate=info.frame_rate, options={"qp": "0", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = info.width, info.height, "yuv420p"
        stream.metadata["timecode"], stream.metadata["reel_name"] = info.start_timecode or "", info.reel or ""
        sounds = {one.index: out.add_stream_from_template(one) for one in source.streams.audio}
        for at, number in enumerate(numbers):
            frame = reader.frame(number)
            frame.pts, frame.time_base, frame.pict_type = at, 1 / info.frame_rate, 0
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        for packet in source.demux(list(source.streams.audio)):
            if packet.dts is not None:
                packet.stream = sounds[packet.stream.index]
                out.mux(packet)
    return target
