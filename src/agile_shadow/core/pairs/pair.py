"""The two halves of a pair, and the proof between them, as values."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from ..media import Form, MediaInfo
from ..proxies import ProxyResult

ProofState = Literal["proven", "doubtful", "refused", "cannot tell"]
STATES: tuple[ProofState, ...] = ("proven", "doubtful", "refused", "cannot tell")


@dataclass(frozen=True)
class FileRef:
    """A file as shelf + path below it (with ``/`` between folders). ``form``: what the path stands for."""

    shelf: str
    path: str
    form: Form = "file"


@dataclass(frozen=True)
class Original:
    """The camera's file: ``size`` in bytes, ``modified`` in nanoseconds, and the checksum taken at ingest."""

    file: FileRef
    info: MediaInfo
    size: int
    modified: int
    checksum: str = ""
    checksum_value: str = ""


@dataclass(frozen=True)
class Stamp:
    """What both files were when they were compared: bytes and modification times in nanoseconds, and the offset."""

    original_size: int
    original_modified: int
    proxy_size: int
    proxy_modified: int
    offset: int


@dataclass(frozen=True)
class Proof:
    """The result of checking a pair. ``reasons``: one sentence each, of what is wrong; ``notes``: of what is not.

    ``likeness``: SSIM, 0 to 1, mean over the places; ``curve``: (frame of the original, likeness) of each place.
    ``better_offset``: the offset at which the pictures fit, where it is another. ``accepted``: a person said it is
    good as it is. ``cannot tell``: nothing is wrong with the data, and the picture moves too little to prove it.
    """

    state: ProofState
    stamp: Stamp
    reasons: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    likeness: float = 0.0
    curve: tuple[tuple[int, float], ...] = ()
    better_offset: int | None = None
    accepted: bool = False


@dataclass(frozen=True)
class Proxy:
    """A light copy. ``offset``: frames of the original before the proxy's first one. ``proof`` is None until it was
    checked. ``made``: this project had it made. Without ``by_itself`` only a cut that chose it shows it.
    """

    file: FileRef
    info: MediaInfo
    size: int
    offset: int = 0
    proof: Proof | None = None
    made: bool = False
    by_itself: bool = True

    @property
    def state(self) -> str:
        """``paired``, or what its proof says; ``accepted`` for a doubtful one that a person let pass."""
        if self.proof is None:
            return "paired"
        return "accepted" if self.proof.accepted else self.proof.state

    def end(self) -> int:
        """The frame of the original after the last one that it shows."""
        return self.offset + self.info.frames

    def with_proof(self, proof: Proof | None) -> Proxy:
        """With another proof."""
        return replace(self, proof=proof)


@dataclass(frozen=True)
class ProvenResult(ProxyResult):
    """A finished proxy that was proven right after it was made."""

    proof: Proof | None = None


def pair_made_proxy(file: FileRef, result: ProxyResult) -> Proxy:
    """The proxy half for a file this program made and checked against its original, with its proof if it has one."""
    proof = result.proof if isinstance(result, ProvenResult) else None
    return Proxy(file=file, info=result.info, size=result.info.size, made=True, proof=proof)
