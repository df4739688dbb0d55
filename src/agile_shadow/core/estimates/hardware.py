"""Hardware decoders, measured and never trusted: the same pictures as in software, and faster, or not used."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import xxhash
from av.video.format import VideoFormat
from av.video.frame import VideoFrame

from ..errors import MediaError, sentence
from ..jobs import Report
from ..media import FrameReader, MediaInfo
from ..media import hardware as devices
from .measurements import Measurements

KIND = "hardware"
_PLACES = (Fraction(1, 12), Fraction(1, 2), Fraction(5, 6))  # of the length
_FRAMES = 12  # compared at each place
_FASTER = 1.2  # times software's pace from which on it is used
_OFF = "off"


@dataclass(frozen=True)
class HardwareVerdict:
    """What a decoder is worth for files of a kind: ``faster`` times the pace of software here, over ``frames`` frames
    compared; ``problem``: why it is not used whatever its pace, "" for none."""

    device: str
    faster: float
    frames: int
    problem: str = ""

    @property
    def used(self) -> bool:
        """Whether it is to be used while playing."""
        return not self.problem and self.faster >= _FASTER

    def words(self) -> str:
        """For a person."""
        if self.problem:
            return f"{self.device}: not used, {self.problem}"
        pace = f"{self.faster:.1f} times as fast, the same {self.frames} pictures"
        return f"{self.device}: {'used while playing' if self.used else 'not used'}, {pace}"


@dataclass(frozen=True)
class HardwareRequest:
    """Compare what decoders there are on a file."""

    path: Path
    info: MediaInfo


def kind_of(info: MediaInfo) -> str:
    """What files share for which a decoder is measured once: codec, size and pixels."""
    return f"{info.codec} {info.width}x{info.height} {info.pixel_format}"


def can_be_measured(info: MediaInfo) -> bool:
    """Whether any such decoder might know it."""
    return info.kind == "video" and devices.knows(info.codec) and not info.interlaced and info.sequence_rate is None


def measure_hardware(request: HardwareRequest, report: Report) -> list[HardwareVerdict]:
    """Decode a few places in software and by every device that is there: a task for a worker. Raises MediaError for a
    file that software cannot decode."""
    found = []
    plain = _decoded(request, "")
    names = devices.hardware().names()
    for number, name in enumerate(names):
        report((number + 1) / (len(names) + 1))
        if devices.there(name):
            found.append(_verdict(request, name, plain))
    return found


def _verdict(request: HardwareRequest, name: str, plain: _Decoded) -> HardwareVerdict:
    try:
        own = _decoded(request, name, plain.form)
    except (MediaError, IndexError, StopIteration, *devices.FAULTS) as error:
        return HardwareVerdict(name, 0.0, 0, f"it cannot decode them ({sentence(error)})")
    problem = "" if own.pictures == plain.pictures else "its pictures differ"
    return HardwareVerdict(name, plain.seconds / max(own.seconds, 1e-6), len(plain.pictures), problem)


@dataclass(frozen=True)
class _Decoded:
    """``pictures``: a digest of each; ``form``: of their pixels; ``seconds`` of decoding."""

    pictures: list[str]
    form: str
    seconds: float


def _decoded(request: HardwareRequest, name: str, form: str = "") -> _Decoded:
    """A few frames at each place, and how long these took (not the first, which fills the decoder)."""
    pictures: list[str] = []
    seconds = 0.0
    with FrameReader(request.path, device=name, falls_back=False) as reader:
        for place in _PLACES:
            first = reader.index.key_before(int(place * len(reader.index)))
            frame = reader.frame(first)
            form = form or frame.format.name
            pictures.append(_digest(frame, form))
            for number in range(first + 1, min(first + _FRAMES, len(reader.index))):
                begun = time.perf_counter()
                frame = reader.frame(number)
                seconds += time.perf_counter() - begun
                pictures.append(_digest(frame, form))
    return _Decoded(pictures, form, seconds)


def _digest(frame: VideoFrame, form: str) -> str:
    """Of every value and of what says how to show it. Hardware keeps values in another order, which loses nothing."""
    tags = (frame.pts, frame.width, frame.height, frame.rotation, int(frame.colorspace), int(frame.color_range))
    found = xxhash.xxh3_128(repr(tags).encode())
    if frame.format.name != form:
        if _depths(frame.format) != _depths(VideoFormat(form)):
            return "another depth"
        frame = frame.reformat(format=form)
    for plane, part in zip(frame.planes, frame.format.components, strict=False):
        deep = 2 if part.bits > 8 else 1
        rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
        found.update(rows[:, : plane.width * deep].tobytes())
    return found.hexdigest()


def _depths(form: VideoFormat) -> list[tuple[int, bool]]:
    return sorted((part.bits, part.is_luma) for part in form.components)


def given_up() -> list[HardwareVerdict]:
    """What is kept where the process that tried did not survive it."""
    return [HardwareVerdict("hardware", 0.0, 0, "the process that tried it ended")]


class Decoders:
    """Which decoder a file is to be played with on this machine; any thread may ask."""

    def __init__(self, kept: Measurements) -> None:
        self._kept = kept

    @property
    def there(self) -> bool:
        """Whether the system has any such device."""
        return bool(devices.hardware().names())

    @property
    def allowed(self) -> bool:
        """Whether hardware may be used here."""
        found = self._kept.kept(KIND, _OFF)
        return found is None or not found.value["off"]

    def allow(self, on: bool) -> None:
        """Use what was measured, or software only."""
        self._kept.keep(KIND, _OFF, {"off": not on})

    def device_for(self, info: MediaInfo) -> str:
        """The one that is fastest for such a file, "" for software."""
        if not can_be_measured(info) or not devices.hardware().nodes or not self.allowed:
            return ""
        good = [one for one in self.verdicts(info) or () if one.used and not devices.has_failed(one.device)]
        return max(good, key=lambda one: one.faster).device if good else ""

    def verdicts(self, info: MediaInfo) -> list[HardwareVerdict] | None:
        """What was found for such files with the devices there are; None where nothing was measured."""
        found = self._kept.kept(KIND, _key(info))
        return None if found is None else [HardwareVerdict(**one) for one in found.value["verdicts"]]

    def keep(self, info: MediaInfo, verdicts: list[HardwareVerdict]) -> None:
        """Remember what was found."""
        self._kept.keep(KIND, _key(info), {"kind": kind_of(info), "verdicts": [asdict(one) for one in verdicts]})

    def words(self) -> list[str]:
        """All that is known of the devices there are, a line each."""
        nodes = " ".join(devices.hardware().nodes)
        return [
            f"{value.value['kind']}: {HardwareVerdict(**one).words()}"
            for key, value in sorted(self._kept.all_of(KIND).items()) if key.startswith(f"{nodes}|")
            for one in value.value["verdicts"]
        ]  # fmt: skip


def _key(info: MediaInfo) -> str:
    return f"{' '.join(devices.hardware().nodes)}|{kind_of(info)}"

