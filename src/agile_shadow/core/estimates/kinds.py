"""The kinds of originals in a project or on a source: what is alike is estimated together."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..media import AudioStream, MediaInfo
from .measurements import key_of


@dataclass(frozen=True)
class Sample:
    """One original: where it is, what it is, its bytes and modification time (nanoseconds)."""

    path: Path
    info: MediaInfo
    size: int
    modified: int

    @property
    def key(self) -> str:
        """Under what its measurements are kept."""
        return key_of(self.path, self.size, self.modified)


@dataclass(frozen=True)
class Kind:
    """Originals that are alike; ``info`` of the longest, which is the first of ``samples``.

    No samples: a usual kind.
    """

    info: MediaInfo
    samples: tuple[Sample, ...] = ()

    @property
    def clips(self) -> int:
        """How many originals."""
        return len(self.samples)

    @property
    def seconds(self) -> float:
        """Length of all in seconds."""
        return float(sum((sample.info.duration for sample in self.samples), Fraction(0)))

    @property
    def bytes_per_hour(self) -> float | None:
        """Of the originals; None for a usual kind without footage."""
        return sum(sample.size for sample in self.samples) / self.seconds * 3600 if self.seconds else None


def kinds_of(samples: Iterable[Sample]) -> list[Kind]:
    """Video originals by what is alike in them, the ones with most pixels a second first."""
    groups: dict[tuple[object, ...], list[Sample]] = {}
    for sample in samples:
        info = sample.info
        if info.kind == "video":
            what = (
                info.width, info.height, info.display_aspect, info.codec, info.bit_depth, info.frame_rate,
                info.interlaced, info.variable_rate, info.rotation, info.audio,
            )  # fmt: skip
            groups.setdefault(what, []).append(sample)
    kinds = []
    for group in groups.values():
        ordered = sorted(group, key=lambda sample: sample.info.duration, reverse=True)
        kinds.append(Kind(ordered[0].info, tuple(ordered)))
    return sorted(kinds, key=lambda kind: -kind.info.width * kind.info.height * float(kind.info.frame_rate))


def usual_kinds() -> list[Kind]:
    """Kinds that cameras commonly make, for a project that has no footage yet."""
    film, pal, fast, ntsc = Fraction(24000, 1001), Fraction(25), Fraction(50), Fraction(30000, 1001)
    stereo, four = (AudioStream("aac", 2, 48_000, 32),), (AudioStream("pcm_s24le", 1, 48_000, 24),) * 4
    return [
        _usual(5312, 2988, film, "h264"),
        _usual(4096, 2160, pal, "hevc", 10, four),
        _usual(3840, 2160, fast, "hevc", 10, stereo),
        _usual(3840, 2160, pal, "h264", 8, stereo),
        _usual(2704, 1520, fast, "h264", 8, stereo),
        _usual(1920, 1080, pal, "h264", 8, stereo, interlaced=True),
        _usual(1080, 1920, ntsc, "hevc", 8, stereo),
    ]


def _usual(
    width: int, height: int, rate: Fraction, codec: str, bits: int = 8, audio: tuple[AudioStream, ...] = (),
    interlaced: bool = False,
) -> Kind:  # fmt: skip
    hour = Fraction(3600)
    return Kind(
        MediaInfo(
            kind="video", container="", size=0, duration=hour, codec=codec, start_timecode=None, width=width,
            height=height, display_width=width, display_height=height, frame_rate=rate, frames=round(hour * rate),
            interlaced=interlaced, bit_depth=bits, audio=audio,
        )
    )  # fmt: skip
