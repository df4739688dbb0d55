"""Hardware decoders: measured and never trusted. No device is needed: a decoder of our own stands in its place."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame

from agile_shadow.core.errors import MediaError
from agile_shadow.core.estimates import Decoders, HardwareRequest, HardwareVerdict, Measurements, measure_hardware
from agile_shadow.core.estimates import hardware as trust
from agile_shadow.core.media import FrameReader, MediaInfo, hardware, probe
from agile_shadow.core.playback import ClipProgram, Player
from agile_shadow.core.project import load_project
from tests.until import until

Made = Callable[[str, str], Path]
Change = Callable[[int, VideoFrame], VideoFrame]


class StandIn(hardware.Hardware):
    """A decoder that has all frames at hand already, and so is far faster than any; ``change`` is what it does to them.
    ``given``: how many it gave."""

    def __init__(self, path: Path, change: Change = lambda _number, frame: frame) -> None:
        with FrameReader(path) as reader:
            self._frames = [reader.frame(number) for number in range(len(reader.index))]
        self._change = change
        self.given = 0
        self.refuses = False

    nodes = ("stand-in",)  # type: ignore[assignment]

    def names(self) -> tuple[str, ...]:
        return ("stand-in",)

    def options(self, name: str) -> dict[str, Any]:
        if self.refuses:
            raise RuntimeError("no such device any more")
        return {}

    def decoded(self, name: str, frames: Iterator[Any]) -> Iterator[Any]:
        first = next(frames)
        number = next(n for n, frame in enumerate(self._frames) if frame.pts == first.pts)
        for frame in islice(self._frames, number, None):
            self.given += 1
            yield self._change(self.given - 1, frame)


@pytest.fixture
def made(tmp_path: Path) -> Made:
    """A clip of 60 busy frames: by codec and pixels."""

    def clip(codec: str, pixels: str) -> Path:
        path = tmp_path / f"{codec} {pixels}.mov"
        noise = np.random.default_rng(3)
        with av.open(str(path), "w") as out:
            stream = out.add_stream(codec, rate=25, options={"preset": "ultrafast", "g": "12", "crf": "18"})
            stream.width, stream.height, stream.pix_fmt = 640, 360, pixels
            ground = noise.integers(0, 255, (360, 640, 3), np.uint8)
            for number in range(60):
                frame = VideoFrame.from_ndarray(np.roll(ground, number * 3, 1), format="rgb24").reformat(format=pixels)
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        return path

    return clip


@pytest.fixture(autouse=True)
def own_hardware() -> Iterator[None]:
    yield
    hardware.use(None)


def one_pixel(wrong: int) -> Change:
    """One value of one frame is off by one."""

    def change(number: int, frame: VideoFrame) -> VideoFrame:
        if number != wrong:
            return frame
        values = frame.to_ndarray()
        values[200, 300] ^= 1
        changed = VideoFrame.from_ndarray(values, format=frame.format.name)
        changed.pts, changed.time_base = frame.pts, frame.time_base
        changed.colorspace, changed.color_range = frame.colorspace, frame.color_range
        return changed

    return change


def as_form(form: str) -> Change:
    def change(_number: int, frame: VideoFrame) -> VideoFrame:
        other = frame.reformat(format=form)
        other.colorspace, other.color_range = frame.colorspace, frame.color_range
        return other

    return change


def failing(after: int) -> Change:
    def change(number: int, frame: VideoFrame) -> VideoFrame:
        if number >= after:
            raise av.error.ExternalError(0x1234, "the device is gone")
        return frame

    return change


def measured(path: Path) -> HardwareVerdict:
    [verdict] = measure_hardware(HardwareRequest(path, probe(path)), lambda done: None)
    return verdict


@pytest.mark.parametrize(("codec", "pixels", "order"), [
    ("libx264", "yuv420p", "yuv420p"), ("libx264", "yuv420p", "nv12"), ("libx265", "yuv420p10le", "p010le"),
])  # fmt: skip
def test_one_that_gives_the_same_pictures_faster_is_used(codec: str, pixels: str, order: str, made: Made) -> None:
    path = made(codec, pixels)
    hardware.use(StandIn(path, as_form(order)))
    verdict = measured(path)
    assert not verdict.problem and verdict.frames == 36
    if order == pixels:  # the stand-in brings others into their order as it goes, which takes it its time
        assert verdict.used and "used while playing" in verdict.words() and "the same 36 pictures" in verdict.words()


def other_range(number: int, frame: VideoFrame) -> VideoFrame:
    """The last of them is to be shown with other colours."""
    if number == 35:
        frame = frame.reformat(format=frame.format.name)
        frame.color_range = 2
    return frame


@pytest.mark.parametrize("change", [one_pixel(0), one_pixel(17), one_pixel(35), as_form("yuv420p10le"), as_form("gray"),
                                    other_range])  # fmt: skip
def test_one_whose_pictures_differ_in_one_value_is_not_used(change: Any, made: Made) -> None:
    path = made("libx264", "yuv420p")
    hardware.use(StandIn(path, change))
    verdict = measured(path)
    assert not verdict.used and "its pictures differ" in verdict.words()


def test_one_that_is_slower_fails_or_is_not_there_is_not_used(made: Made, monkeypatch: pytest.MonkeyPatch) -> None:
    path = made("libx264", "yuv420p")
    hardware.use(StandIn(path))
    assert not HardwareVerdict("stand-in", 1.1, 36).used
    for after in (0, 20):
        hardware.use(StandIn(path, failing(after)))
        verdict = measured(path)
        assert not verdict.used and "cannot decode" in verdict.words()
    gone = StandIn(path)
    gone.refuses = True
    hardware.use(gone)
    assert measure_hardware(HardwareRequest(path, probe(path)), lambda done: None) == []
    hardware.use(StandIn(path))
    path.write_bytes(path.read_bytes()[:3000])
    with pytest.raises(MediaError):  # the file's own trouble is no verdict
        measure_hardware(HardwareRequest(path, MediaInfo("video", "mov", 1, Fraction(1), "h264")), lambda done: None)


def test_what_was_measured_holds_for_files_of_that_kind_and_those_devices(made: Made, tmp_path: Path) -> None:
    path = made("libx264", "yuv420p")
    info, other = probe(path), probe(made("libx265", "yuv420p10le"))
    stand_in = StandIn(path)
    hardware.use(stand_in)
    kept = Measurements(tmp_path / "kept.sqlite")
    decoders = Decoders(kept)
    assert decoders.verdicts(info) is None and decoders.device_for(info) == "" and decoders.words() == []
    decoders.keep(info, [HardwareVerdict("slow", 1.0, 36), HardwareVerdict("stand-in", 3.0, 36),
                         HardwareVerdict("wrong", 9.0, 36, "its pictures differ")])  # fmt: skip
    assert decoders.device_for(info) == "stand-in" and decoders.device_for(other) == ""
    again = Decoders(Measurements(tmp_path / "kept.sqlite"))
    assert again.device_for(info) == "stand-in" and len(again.words()) == 3
    again.allow(False)
    assert again.device_for(info) == "" and not Decoders(Measurements(tmp_path / "kept.sqlite")).allowed
    again.allow(True)
    assert again.device_for(info) == "stand-in"
    hardware.fail("stand-in", "test")
    assert again.device_for(info) == ""
    hardware.use(stand_in)
    stand_in.nodes = ("another card",)  # type: ignore[assignment]
    assert again.device_for(info) == "" and again.verdicts(info) is None and again.words() == []
    decoders.keep(info, trust.given_up())
    assert decoders.device_for(info) == "" and "ended" in decoders.words()[0]


def test_without_a_device_none_is_looked_for() -> None:
    class Bare(hardware.Hardware):
        nodes = ()  # type: ignore[assignment]

    assert Bare().names() == ()


@pytest.mark.parametrize("after", [0, 1, 30])
def test_where_it_fails_software_goes_on_with_the_same_frames(after: int, made: Made) -> None:
    path = made("libx264", "yuv420p")
    with FrameReader(path) as plain:
        wanted = [plain.frame(number).to_ndarray() for number in range(60)]
    hardware.use(StandIn(path, failing(after)))
    with FrameReader(path, device="stand-in") as reader:
        for number in (*range(60), 3, 59, 11):
            assert np.array_equal(reader.frame(number).to_ndarray(), wanted[number])
    assert hardware.has_failed("stand-in")


def test_one_that_cannot_be_opened_any_more_is_left(made: Made) -> None:
    path = made("libx264", "yuv420p")
    gone = StandIn(path)
    gone.refuses = True
    hardware.use(gone)
    with FrameReader(path, device="stand-in") as reader:
        assert reader.frame(5).pts is not None
    assert hardware.has_failed("stand-in") and gone.given == 0


def test_a_damaged_file_is_not_laid_to_the_device(made: Made) -> None:
    path = made("libx264", "yuv420p")
    hardware.use(StandIn(path, failing(0)))
    with FrameReader(path) as plain:
        assert plain.frame(59)
    with av.open(str(path)) as container:
        packets = [packet for packet in container.demux(video=0) if packet.size]
        begins = min(packet.pos for packet in packets[48:] if packet.pos is not None)
        ends = max(packet.pos + packet.size for packet in packets if packet.pos is not None)
    data = bytearray(path.read_bytes())
    data[begins:ends] = bytes(ends - begins)
    path.write_bytes(data)
    with FrameReader(path, device="stand-in") as reader, pytest.raises(MediaError):
        reader.frame(59)
    assert not hardware.has_failed("stand-in")


def test_it_decodes_while_playing_and_nothing_else(film: Path) -> None:
    project = load_project(film).but(showing="originals")
    clip = next(one for one in project.clips if one.name == "A001C002")
    path = project.path(clip.original.file)
    assert path is not None and clip.original.info.frame_rate
    stand_in = StandIn(path)
    hardware.use(stand_in)
    player = Player(lambda: None)
    player.set_view(480, 270)
    player.lanes.decode_by(lambda info: "stand-in" if info == clip.original.info else "")
    try:
        player.show(ClipProgram.of(clip), project, 0)
        until(player.take_due)
        player.seek(5)
        until(lambda: (picture := player.take_due()) is not None and picture.frame == 5)
        assert stand_in.given == 0  # a picture that stands is software's
        player.play()
        until(lambda: player.take_due() is not None and stand_in.given > 2)
        player.stop()
        until(lambda: player.take_due() is not None)
        before = stand_in.given
        player.seek(1)
        until(lambda: (picture := player.take_due()) is not None and picture.frame == 1)
        assert stand_in.given == before
    finally:
        assert player.close(20)
