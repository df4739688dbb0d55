"""Faults planted into the maker, to see the proof refuse what comes of them. ``./shadow bench zoo --plant [COUNT]``."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import mock

import av
import numpy as np

from agile_shadow.core.media import index, placing, probe
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.pairs.pair import Proof
from agile_shadow.core.presets import CODECS
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proxies import ProxyRequest, make_proxy, picture, transcode

from . import patching
from .checking import quiet, settings
from .drawing import Drawn, Voice, but, draw

_PLAIN = Drawn("mp4", options={"preset": "ultrafast", "g": "25"}, voices=(Voice("aac", bit_rate=160_000),))


@contextmanager
def frames_missing(rng: random.Random) -> Iterator[None]:
    """The index leaves out the first frames of an original, for whoever reads it."""
    count, known = rng.randint(1, 20), index._shown

    def shown(table: index._Table, path: Path) -> tuple[index.Times, np.ndarray]:
        times, keys = known(table, path)
        if not path.name.startswith("original"):
            return times, keys
        later = keys[keys >= count] - count
        return times[count:], np.unique(np.concatenate([[0], later]))

    with mock.patch.object(index, "_shown", shown):
        yield


@contextmanager
def sound_early(rng: random.Random) -> Iterator[None]:
    """All sound is placed some milliseconds early."""
    away, known = rng.uniform(0.03, 0.3), placing.Placing._said

    def said(self: placing.Placing, frame: av.AudioFrame) -> int | None:
        true = known(self, frame)
        return None if true is None else true - round(away * self._rate)

    with mock.patch.object(placing.Placing, "_said", said):
        yield


@contextmanager
def gap_closed(_rng: random.Random) -> Iterator[None]:
    """What comes after a gap is laid where the gap begins."""
    with mock.patch.object(placing.Placing, "_is_as_expected", lambda self, said, frame: True):
        yield


@contextmanager
def wrong_matrix(rng: random.Random) -> Iterator[None]:
    """The colours are coded by another matrix than the one that is written down."""
    known = picture._matrix_in_proxy

    def other(frame: av.VideoFrame, *more: object) -> int:
        true = known(frame, *more)  # type: ignore[arg-type]
        return rng.choice([one for one in (1, 5, 9) if one != true])

    with mock.patch.object(picture, "_out_matrix", lambda *more: picture._MATRIX_NAMES[other(*more)]):
        yield


@contextmanager
def frames_concealed(_rng: random.Random) -> Iterator[None]:
    """The maker says nothing of frames that its decoder made up."""
    known = transcode.Transcode._is_in_order

    def silent(self: transcode.Transcode, frame: av.VideoFrame) -> bool:
        said = known(self, frame)
        self._not_whole.clear()
        self._given_up[:] = [0, 0]
        return said

    with mock.patch.object(transcode.Transcode, "_is_in_order", silent):
        yield


@contextmanager
def nothing(_rng: random.Random) -> Iterator[None]:
    """The maker as it is."""
    yield


FAULTS: dict[str, Callable[[random.Random], object]] = {
    "frames missing at the start": frames_missing,
    "sound early": sound_early,
    "gap closed": gap_closed,
    "wrong matrix": wrong_matrix,
    "frames concealed": frames_concealed,
    "none": nothing,
}


def planted(fault: str, seed: int, folder: Path, codec: str = "") -> Proof:
    """Draw an original, make its proxy with a fault in the maker, and prove the two without it.

    A fault of the index stays for the proof: that is shared by whoever reads a file.
    """
    rng = random.Random(seed)
    original = _drawn(fault, rng, folder)
    target = folder / "proxy.mov"
    target.unlink(missing_ok=True)
    made_by = codec or rng.choice([one.name for one in CODECS])
    with ExitStack() as stays:
        plant = FAULTS[fault](rng)
        with plant if fault != "frames missing at the start" else ExitStack():  # type: ignore[attr-defined]
            if fault == "frames missing at the start":
                stays.enter_context(plant)  # type: ignore[arg-type]
            info = probe(original)
            made = make_proxy(ProxyRequest(original, target, settings(made_by), info), quiet)
        if fault == "frames concealed":
            info = replace(info, damage="")
        return prove(ProveRequest(Half(original, info), Half(target, made.info), made=True), quiet)


def _drawn(fault: str, rng: random.Random, folder: Path) -> Path:
    how = but(_PLAIN, frames=rng.randint(40, 60), rate=Fraction(rng.choice((24, 25, 30))))
    if fault == "gap closed":
        at, length = rng.uniform(0.3, 0.8), rng.uniform(0.15, 0.45)
        how = but(how, ending="mkv", voices=(Voice("pcm_s16le", gaps=((at, length),)),))
    if fault == "wrong matrix":
        how = but(how, colours=rng.choice(((1, 1, 1, 1), (5, 6, 5, 1), (9, 14, 9, 1))))
    ending = how.ending
    (folder / f"original.{ending}").unlink(missing_ok=True)
    path = draw(how, folder / "original")
    if fault == "frames concealed":
        patching.scratched(tuple(sorted(rng.sample(range(3, how.frames - 3), 2))))(path)
    return path


def main(count: int) -> int:
    """Print for each fault how many of so many were refused; 0 where all were, and no right one was."""
    wrong = 0
    for fault in FAULTS:
        states: dict[str, int] = {}
        with tempfile.TemporaryDirectory(prefix="shadow plants ") as folder:
            for seed in range(count):
                proof = planted(fault, seed, Path(folder))
                states[proof.state] = states.get(proof.state, 0) + 1
                if (proof.state in ("doubtful", "refused")) == (fault == "none"):
                    print(f"  {fault}, seed {seed}: {proof.state} {proof.reasons}")
        refused = states.get("doubtful", 0) + states.get("refused", 0)
        wrong += refused if fault == "none" else count - refused
        print(f"{fault:28}: {refused} of {count} refused  {states}", flush=True)
    return 1 if wrong else 0
