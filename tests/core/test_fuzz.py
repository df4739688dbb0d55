"""Files that were changed at random: each is taken, or refused in words, by scan, head, poster and probe."""

from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.ingest import InspectRequest, inspect, read_source, settled
from agile_shadow.core.media import probe
from tests.drawn import draw

ENDINGS = (".mov", ".avi", ".mkv", ".ts")


@pytest.fixture(scope="module")
def seeds(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """One small file of each container."""
    folder = tmp_path_factory.mktemp("seeds")
    found = {".mov": draw(folder / "x.mov", 8, timecode="01:00:00:00", sound=True).read_bytes()}
    for ending, codec in ((".avi", "mjpeg"), (".mkv", "ffv1"), (".ts", "mpeg2video")):
        with av.open(str(folder / f"x{ending}"), "w") as out:
            stream = out.add_stream(codec, rate=25)
            stream.width, stream.height, stream.pix_fmt = 64, 36, "yuvj420p" if codec == "mjpeg" else "yuv420p"
            for number in range(6):
                frame = av.VideoFrame.from_ndarray(np.full((36, 64, 3), number * 9, np.uint8))
                frame = frame.reformat(format=stream.pix_fmt)
                frame.pts = number
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        found[ending] = (folder / f"x{ending}").read_bytes()
    return found


CHANGES = st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255), st.sampled_from("scdf")), min_size=1, max_size=10)


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(ENDINGS), CHANGES)
def test_a_changed_file_is_taken_or_refused_in_words(
    tmp_path: Path, seeds: dict[str, bytes], ending: str, changes: list[tuple[float, int, str]]
) -> None:
    data = bytearray(seeds[ending])
    for place, value, how in changes:
        at = int(place * (len(data) - 1)) if data else 0
        if how == "s":
            data[at : at + 1] = bytes([value])
        elif how == "c" and place > 0.3:
            del data[at:]
        elif how == "d":
            data[at:at] = data[at : at + value % 40]
        else:
            data[at : at + 4] = b"\xff\xff\xff\xff"
    card = tmp_path / ending
    card.mkdir(exist_ok=True)
    path = card / f"x{ending}"
    path.write_bytes(data)
    listing = settled(card, read_source(card))
    assert [file.path for file in listing.files] == [path.name] or listing.unreadable
    seen = inspect(InspectRequest(path), lambda done: None)
    assert seen.head is not None or seen.problem
    try:
        assert probe(path).codec
    except ShadowError as error:
        assert str(path) in str(error)


def test_a_codec_that_nobody_knows_is_refused_in_words(tmp_path: Path, seeds: dict[str, bytes]) -> None:
    path = tmp_path / "x.mov"
    path.write_bytes(seeds[".mov"].replace(b"avc1", b"zzzz"))
    assert inspect(InspectRequest(path), lambda done: None).problem
    with pytest.raises(ShadowError, match=r"x\.mov"):
        probe(path)
