"""Footage as it really is: edit lists, gaps in the sound, and times that are not what they seem."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from contextlib import suppress
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.errors import MediaError
from agile_shadow.core.media import FrameReader, Placing, SoundReader, probe, read_index
from agile_shadow.core.media.edits import refuse_other_speeds
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proxies import ProxyRequest, make_proxy

FRAME, MOVIE = 512, 40  # ticks of a frame at 25 a second: of the track, of the movie
RATE = 48_000


def film(path: Path, frames: int = 60, reordered: bool = True) -> Path:
    """A film whose frames bear their number as bars; a key frame every thirty."""
    options = {"g": "30", "bf": "2" if reordered else "0", "sc_threshold": "0"}
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for number in range(frames):
            picture = np.full((180, 320, 3), 40, np.uint8)
            for bit in range(8):
                picture[40:140, 10 + bit * 36 : 40 + bit * 36] = 220 if number >> bit & 1 else 20
            frame = av.VideoFrame.from_ndarray(picture)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def number_in(frame: av.VideoFrame) -> int:
    grey = frame.to_ndarray(format="gray")
    height, width = grey.shape
    middle = grey[height // 3 : 2 * height // 3]
    return sum(int(middle[:, (20 + bit * 36) * width // 320].mean() > 120) << bit for bit in range(8))


def boxes(data: bytes, begin: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    while begin + 8 <= end:
        size, kind = struct.unpack(">I4s", data[begin : begin + 8])
        yield kind, begin, size
        begin += size


def box(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I4s", 8 + len(content), kind) + content


def with_edits(source: Path, target: Path, edits: list[tuple[int, int, float]]) -> Path:
    """The film with another edit list: frames shown, first frame (-1: nothing is shown), speed."""
    data = source.read_bytes()
    (moov, size) = next((at, size) for kind, at, size in boxes(data, 0, len(data)) if kind == b"moov")
    trak, length = next((at, s) for kind, at, s in boxes(data, moov + 8, moov + size) if kind == b"trak")
    parts = [(kind, data[at : at + s]) for kind, at, s in boxes(data, trak + 8, trak + length) if kind != b"edts"]
    lines = b"".join(
        struct.pack(">Iihh", count * MOVIE, -1 if first < 0 else first * FRAME + delay(data), int(rate), 0)
        for count, first, rate in edits
    )
    edts = box(b"edts", box(b"elst", struct.pack(">II", 0, len(edits)) + lines))
    inside = b"".join(part + (edts if kind == b"tkhd" else b"") for kind, part in parts)
    whole = data[moov + 8 : trak] + box(b"trak", inside) + data[trak + length : moov + size]
    target.write_bytes(data[:moov] + box(b"moov", whole))
    return target


def delay(data: bytes) -> int:
    """Media time of the first frame that is shown, as the encoder's own edit list has it."""
    at = data.index(b"elst") + 4
    return int(struct.unpack(">i", data[at + 12 : at + 16])[0])


def proxy(path: Path, **settings: object) -> Path:
    info = probe(path)
    wanted = Proxies(codec="h264", scale=Fraction(1, 2), **settings)  # type: ignore[arg-type]
    target = path.with_name("small " + path.stem + ".mov")
    target.unlink(missing_ok=True)
    make_proxy(ProxyRequest(path, target, wanted, info), lambda done: None)
    return target


# Edit lists


@pytest.mark.parametrize("reordered", [False, True])
@pytest.mark.parametrize(
    ("edits", "shown"),
    [
        ([(43, 17, 1)], range(17, 60)),
        ([(25, 35, 1)], range(35, 60)),
        ([(10, 31, 1)], range(31, 41)),
        ([(12, -1, 1), (40, 0, 1)], range(40)),
        ([(20, 0, 1), (15, 40, 1)], [*range(20), *range(40, 55)]),
        ([(20, 30, 1), (20, 5, 1)], [*range(30, 50), *range(5, 25)]),
        ([(20, 0, 1), (20, 0, 1)], [*range(20), *range(20)]),
    ],
)
def test_what_an_edit_list_shows_is_what_there_is(
    tmp_path: Path, reordered: bool, edits: list[tuple[int, int, float]], shown: list[int]
) -> None:
    path = with_edits(film(tmp_path / "a.mp4", reordered=reordered), tmp_path / "cut.mp4", edits)
    with FrameReader(path) as reader:
        assert len(reader.index) == len(shown)
        backward = [number_in(reader.frame(number)) for number in reversed(range(len(shown)))]
        assert backward == list(reversed(shown))
        times = reader.index.times
    assert probe(path).frames == len(shown) and len(set(np.diff(times))) == 1
    made = proxy(path)
    with FrameReader(made) as reader:
        assert [number_in(reader.frame(number)) for number in range(len(reader.index))] == list(shown)
    with av.open(str(path)) as first, av.open(str(made)) as second:
        assert read_index(path, first.streams.video[0]).same_times(read_index(made, second.streams.video[0]))


@pytest.mark.parametrize("edit", [(30, 0, 2.0), (30, 10, 0.0), (30, 0, -1.0)])
def test_another_speed_is_refused_in_words(tmp_path: Path, edit: tuple[int, int, float]) -> None:
    path = with_edits(film(tmp_path / "a.mp4"), tmp_path / "fast.mp4", [(5, 0, 1), edit])
    with pytest.raises(MediaError, match="another speed"):
        probe(path)


@given(st.data())
def test_boxes_of_any_kind_are_walked_and_end(tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    kinds = st.sampled_from([b"moov", b"trak", b"edts", b"elst", b"free"])
    sizes = st.sampled_from([0, 1, 7, 8, 16, 40, 2**31, 2**32 - 1])
    pieces = data.draw(st.lists(st.tuples(sizes, kinds, st.binary(max_size=20)), max_size=12))
    path = tmp_path_factory.mktemp("boxes") / "a.mp4"
    path.write_bytes(b"".join(struct.pack(">I4s", size, kind) + rest for size, kind, rest in pieces))
    with suppress(MediaError):
        refuse_other_speeds(path)


# Sound at its own time


def sound_film(path: Path, codec: str, start: float, gap: float, rate: int = RATE) -> Path:
    """Two seconds of picture; sound from ``start`` on, a gap of so many seconds after a second of it; clicks where
    the sound begins anew and half a second later."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"g": "12", "bf": "0"})
        stream.width, stream.height, stream.pix_fmt = 128, 72, "yuv420p"
        tone = out.add_stream(codec, rate=rate, layout="stereo")
        for number in range(75):
            frame = av.VideoFrame.from_ndarray(np.full((72, 128, 3), number, np.uint8))
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        packets = []
        samples = np.zeros((2, 2 * rate), np.float32)
        for click in (0.5, 1.25, 1.75):  # of the sound as it was recorded, without the gap
            samples[:, int(click * rate) : int(click * rate) + 24] = 0.9
        size = 1024
        for at in range(0, samples.shape[1] - size, size):
            piece = np.ascontiguousarray(samples[:, at : at + size])
            if codec.startswith("pcm"):
                whole = np.ascontiguousarray((piece.T * 32767).astype(np.int16).reshape(1, -1))
                sounding = av.AudioFrame.from_ndarray(whole, format="s16", layout="stereo")
            else:
                sounding = av.AudioFrame.from_ndarray(piece, format="fltp", layout="stereo")
            sounding.sample_rate, sounding.pts, sounding.time_base = rate, at, Fraction(1, rate)
            packets += tone.encode(sounding)
        packets += tone.encode(None)
        for packet in packets:
            late = start + (gap if packet.pts * packet.time_base >= Fraction(1) else 0)
            packet.pts += round(late / packet.time_base)
            packet.dts = packet.pts
            out.mux(packet)
    return path


def clicks(path: Path, step: int) -> list[float]:
    """Seconds at which it clicks, read in pieces of ``step`` samples."""
    reader = SoundReader(path)
    whole = np.concatenate([reader.read(at, step) for at in range(0, 3 * RATE, step)])
    reader.close()
    loud = np.flatnonzero(np.abs(whole[:, 0]) > 0.4) / RATE
    return [float(loud[0]), *(float(after) for before, after in pairwise(loud) if after - before > 0.1)]


@pytest.mark.parametrize(
    ("name", "codec", "rate"),
    [
        ("a.mov", "aac", RATE),
        ("b.mp4", "aac", RATE),
        ("c.mkv", "pcm_s16le", RATE),
        ("d.mkv", "aac", 44_100),
        ("e.ts", "mp2", RATE),
    ],
)
@pytest.mark.parametrize(("start", "gap"), [(0.0, 0.5), (0.2, 0.25), (0.0, 0.0)])
def test_a_gap_in_the_sound_stays_one(
    tmp_path: Path, name: str, codec: str, rate: int, start: float, gap: float
) -> None:
    path = sound_film(tmp_path / name, codec, start, gap, rate)
    wanted = [start + 0.5, start + 1.25 + gap, start + 1.75 + gap]
    near = 0.0015 if codec != "pcm_s16le" else 0.001  # a packed click is broader
    assert clicks(path, 3 * RATE) == pytest.approx(wanted, abs=near)
    assert clicks(path, 960) == pytest.approx(wanted, abs=near)
    assert clicks(proxy(path), 960) == pytest.approx(wanted, abs=near)
    assert clicks(proxy(path, sound="stereo"), 960) == pytest.approx(wanted, abs=near)
    reader = SoundReader(path)  # found by a seek behind the gap
    behind = reader.read(round((wanted[2] - 0.1) * RATE), RATE // 5)
    reader.close()
    assert np.argmax(np.abs(behind[:, 0]) > 0.4) / RATE == pytest.approx(0.1, abs=near)


def frame_of(samples: int, at: int | None) -> av.AudioFrame:
    frame = av.AudioFrame.from_ndarray(np.zeros((1, samples), np.int16), format="s16", layout="mono")
    frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
    return frame


@given(st.lists(st.tuples(st.integers(-3000, 20_000), st.integers(1, 2000)), min_size=1, max_size=30))
def test_every_frame_lies_at_its_time_and_none_on_another(frames: list[tuple[int, int]]) -> None:
    placing, end, at = Placing(RATE, Fraction(0), Fraction(100)), None, 0
    for off, samples in frames:
        at += off
        placed = placing.place(frame_of(samples, at))
        assert 0 <= placed.skip <= samples
        if end is not None:
            assert placed.first >= end  # never on what lies there
            if placed.first > end:
                assert placed.first == at
            elif placed.skip:
                assert placed.first - placed.skip == at or placed.skip == samples
            else:
                assert abs(at - end) <= 40
        end = placed.first + samples - placed.skip
        at += samples


@pytest.mark.parametrize("said", [None, 48_000 * 500, -48_000 * 20])
def test_a_time_that_cannot_be_is_not_heeded(said: int | None) -> None:
    placing = Placing(RATE, Fraction(0), Fraction(100))
    placing.place(frame_of(1000, 0))
    assert placing.place(frame_of(1000, said)).first == 1000
