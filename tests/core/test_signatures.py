"""Signatures: taken while a proxy is made, they tell every frame of a proxy right or wrong without the original."""

from __future__ import annotations

import shutil
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from numpy.typing import NDArray

from agile_shadow.core.log import cache_folder
from agile_shadow.core.media import FrameReader, MediaInfo, probe, signature
from agile_shadow.core.media.fingerprint import HIGH, WIDE, Fingerprint, fingerprint, grid_of
from agile_shadow.core.media.recording import as_form
from agile_shadow.core.media.sequence import status
from agile_shadow.core.media.signature import (
    FOLDER,
    Signature,
    SignatureTaker,
    _Cells,
    _packed,
    _two_of_each,
    _unpacked,
    keep_signature,
    kept_signature,
    signature_place,
)
from agile_shadow.core.media.telling import POINTS, fine_of, packed_points, unpacked_points
from agile_shadow.core.pairs import FileRef, Original, Proof
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.pairs.pair import ProvenResult
from agile_shadow.core.presets import Proxies
from agile_shadow.core.project import Clip, ProjectSession, load_project
from agile_shadow.core.proof import prover as proof
from agile_shadow.core.proof.every import Stray, strays
from agile_shadow.core.proof.making import make_proven_proxy
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proof.signed import _is_apart
from agile_shadow.core.proxies import ProxyRequest, make_proxy, transcode
from agile_shadow.core.storage.outside import keep_to_limit
from agile_shadow.core.upkeep import recognising, tasks
from agile_shadow.core.upkeep.missing import Missing, find_again
from agile_shadow.core.upkeep.proving import due, prove_request
from agile_shadow.core.upkeep.recognising import Recognised, RecogniseRequest, Wanted, recognise
from agile_shadow.core.upkeep.search import Search
from agile_shadow.stand_ins.elsewhere import Derived, DrawnClip, Motion, write_original, write_proxy
from tests.footage import ingest, preset
from tests.inline import InlinePool
from tests.pairs import clip, drawn_film, in_order

FULL = Derived("fault.mov", 0, scale=Fraction(1))
CODECS = ("mjpeg", "prores-proxy", "h264")
ONE = clip(motion="handheld", frames=60, size=(384, 216))


def quiet(done: float) -> None:
    pass


def made(path: Path, target: Path, codec: str = "mjpeg", sign: bool = True) -> Path:
    wanted = Proxies(codec=codec, scale=Fraction(1, 2))
    return make_proxy(ProxyRequest(path, target, wanted, probe(path), sign=sign), quiet).path


class Signed:
    """An original whose signature is kept, and files that say they were made of it."""

    def __init__(self, folder: Path, drawn: DrawnClip = ONE) -> None:
        self.folder, self.drawn = folder, drawn
        self.path = write_original(drawn, folder)
        self.right = made(self.path, folder / "right.mov")

    def proof(self, proxy: Path, offset: int = 0, ours: bool = True) -> Proof:
        halves = Half(self.path, probe(self.path)), Half(proxy, probe(proxy))
        return prove(ProveRequest(*halves, offset, made=ours), quiet)

    def wrong(self, fault: Derived, codec: str = "mjpeg") -> Path:
        """A proxy as it would be, had the making gone wrong: made of a file that has the fault."""
        source = write_proxy(fault, [self.drawn], self.folder / "faults")
        target = self.folder / f"{codec}.mov"
        target.unlink(missing_ok=True)
        return made(source, target, codec, sign=False)


@pytest.fixture
def signed(tmp_path: Path) -> Signed:
    return Signed(tmp_path)


@pytest.fixture
def no_original(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_more: object, **_named: object) -> None:
        raise AssertionError("the original was decoded again")

    monkeypatch.setattr(proof, "read_places", refuse)


@pytest.mark.parametrize("codec", CODECS)
def test_a_proxy_made_here_is_proven_without_decoding_the_original_again(
    signed: Signed, codec: str, no_original: None, tmp_path: Path
) -> None:
    right = made(signed.path, tmp_path / "again.mov", codec)
    found = signed.proof(right)
    assert (found.state, found.reasons) == ("proven", ()) and found.likeness > 0.9 and len(found.curve) == 4


@pytest.mark.parametrize("codec", CODECS)
@pytest.mark.parametrize(("at", "shown", "says"), [
    (31, 30, "it shows the picture of 1 frame earlier"), (7, 8, "it shows the picture of 1 frame later"),
    (44, 9, "it shows another picture than its original"), (52, 50, "it shows the picture of 2 frames earlier"),
])  # fmt: skip
def test_one_wrong_frame_anywhere_is_found_and_named(
    signed: Signed, codec: str, at: int, shown: int, says: str
) -> None:
    found = signed.proof(signed.wrong(replace(FULL, astray=(at, shown)), codec))
    assert (found.state, found.reasons) == ("doubtful", (f"at 01:00:0{at // 25}:{at % 25:02d} {says}",))


FAST = clip(rate=Fraction(50), size=(320, 180))
FAINT = {
    "it is near": (replace(FAST, motion="pan", scene=702925569, take=276870471, frames=118), 72, "h264"),
    "few pixels move": (replace(FAST, scene=776876030, take=265808975, frames=131), 121, "mjpeg"),
}


@pytest.mark.parametrize("which", FAINT)
def test_a_neighbour_is_found_though_it_hardly_differs(tmp_path: Path, which: str) -> None:
    one, at, codec = FAINT[which]
    signed = Signed(tmp_path, one)
    assert signed.proof(made(signed.path, tmp_path / "again.mov", codec)).state == "proven"
    found = signed.proof(signed.wrong(replace(FULL, astray=(at, at - 1)), codec))
    assert found.state == "doubtful" and found.reasons[0].endswith("it shows the picture of 1 frame earlier")


def drawn_one(motion: Motion, scene: int, take: int, frames: int, rate: Fraction) -> DrawnClip:
    return replace(FAST, motion=motion, scene=scene, take=take, frames=frames, rate=rate)


ELSEWHERE: dict[str, tuple[DrawnClip, dict[str, Any], str | None]] = {
    "a neighbour below running digits": (
        drawn_one("pan", 702925569, 276870471, 118, Fraction(50)), {"burnt": True, "trim": 12, "astray": (57, 58)},
        "it shows the picture of 1 frame later"),
    "a neighbour in which a few pixels move": (
        drawn_one("objects", 694830540, 665593761, 119, Fraction(50)), {"graded": 2, "astray": (111, 112)},
        "it shows the picture of 1 frame later"),
    "a neighbour under a look": (
        drawn_one("pan", 375897634, 481955046, 131, Fraction(24000, 1001)),
        {"graded": 0, "trim": 1, "astray": (50, 49)}, "it shows the picture of 1 frame earlier"),
    "another one below running digits": (
        drawn_one("objects", 414729576, 771904801, 85, Fraction(25)),
        {"graded": 3, "burnt": True, "astray": (17, 59)}, "it shows another picture than its original"),
    "another one, packed hard": (
        drawn_one("objects", 846019510, 51363510, 79, Fraction(25)), {"hard": True, "astray": (37, 76)},
        "it shows another picture than its original"),
    "a neighbour where the cells say nothing": (
        drawn_one("pan", 472369804, 959893506, 96, Fraction(25)), {"graded": 2, "astray": (82, 81)},
        "it shows the picture of 1 frame earlier"),
    "a neighbour at fifty frames a second": (
        drawn_one("objects", 828352512, 459039296, 97, Fraction(50)), {"graded": 1, "astray": (14, 13)},
        "it shows the picture of 1 frame earlier"),
    "none, though it stands still where the original moves": (
        drawn_one("objects", 1053460563, 1038061863, 86, Fraction(24000, 1001)), {}, None),
    "none, though digits run": (
        drawn_one("objects", 497819873, 264527054, 113, Fraction(24000, 1001)), {"burnt": True, "trim": 10}, None),
}  # fmt: skip


@pytest.mark.parametrize("which", ELSEWHERE)
def test_one_wrong_frame_is_found_in_what_was_made_elsewhere(tmp_path: Path, which: str) -> None:
    drawn, how, says = ELSEWHERE[which]
    signed = Signed(tmp_path, drawn)
    theirs = Derived("theirs.mov", 0, **how)
    found = signed.proof(write_proxy(theirs, [drawn], tmp_path / "theirs"), theirs.trim, ours=False)
    assert found.state == ("doubtful" if says else "proven")
    assert [reason.split(" ", 2)[2] for reason in found.reasons] == ([says] if says else [])


@pytest.mark.parametrize(("scene", "take", "frames", "astray"), [
    (63410521, 375333391, 135, (83, 84)), (828352512, 459039296, 97, (69, 70)),
])  # fmt: skip
def test_a_neighbour_is_found_where_little_more_than_grain_moves(
    tmp_path: Path, scene: int, take: int, frames: int, astray: tuple[int, int]
) -> None:
    signed = Signed(tmp_path, drawn_one("objects", scene, take, frames, Fraction(50)))
    assert signed.proof(made(signed.path, tmp_path / "again.mov", "prores-proxy")).state == "proven"
    numbers = list(range(frames))
    numbers[astray[0]] = astray[1]
    wrong = in_order(signed.path, numbers, tmp_path / "wrong.mov")
    found = signed.proof(made(wrong, tmp_path / "of it.mov", "prores-proxy", sign=False))
    assert [reason[15:] for reason in found.reasons] == ["it shows the picture of 1 frame later"]


def test_another_picture_that_is_like_a_neighbour_is_found(tmp_path: Path) -> None:
    """A few pixels move, and what is shown from half a clip away is nearer to frames around than the right one is."""
    drawn = replace(FAST, rate=Fraction(24000, 1001), scene=986830553, take=976948300, frames=92)
    signed = Signed(tmp_path, drawn)
    assert signed.proof(made(signed.path, tmp_path / "again.mov", "h264")).state == "proven"
    numbers = [*range(51), 5, *range(52, 92)]
    wrong = made(in_order(signed.path, numbers, tmp_path / "wrong.mov"), tmp_path / "of it.mov", "h264", sign=False)
    found = signed.proof(wrong)
    assert found.state == "doubtful" and found.reasons[0].startswith("at 01:")
    assert "another picture" in found.reasons[0] or "46 frames earlier" in found.reasons[0]


def test_frames_that_lag_behind_in_a_proxy_packed_hard_elsewhere_are_right(tmp_path: Path) -> None:
    drawn = replace(FAST, motion="pan", scene=878735722, take=279139466, frames=136)
    signed = Signed(tmp_path, drawn)
    theirs = write_proxy(Derived("theirs.mov", 0, hard=True, graded=3), [drawn], tmp_path / "theirs")
    assert signed.proof(theirs, ours=False).state == "proven"


@pytest.mark.parametrize(("way", "beside", "apart"), [
    (0.61, [0.27, 0.36, 0.32, 0.31, 0.36, 0.38], True), (0.8, [0.1, 0.04, 0.19, 0.14, 0.2, 0.17], True),
    (0.8, [0.1, 0.04, 0.8, 0.14, 0.2, 0.17], True),  # two frames are wrong
    (0.36, [0.27, 0.36, 0.32, 0.31, 0.36, 0.38], False), (0.6, [0.1, 0.04, 0.19, 0.14, 0.2, 0.17], False),
    (0.7, [0.1, 0.5, 0.0, 0.4, 0.3, 0.2], False), (0.9, [0.45, 0.5, 0.4, 0.6, 0.5, 0.44], False),
    (1.0, [-0.2, -0.1, 0.0, -0.1, -0.2, 0.0], True),
])  # fmt: skip
def test_a_neighbour_goes_as_far_as_is_expected_and_the_frames_beside_do_not(
    way: float, beside: list[float], apart: bool
) -> None:
    assert _is_apart(way, beside) == apart


def test_it_is_found_in_a_graded_proxy_from_elsewhere_that_begins_later(signed: Signed) -> None:
    right = Derived("theirs.mov", 0, trim=6, graded=2)
    assert signed.proof(write_proxy(right, [ONE], signed.folder / "a"), 6, ours=False).state == "proven"
    fault = write_proxy(replace(right, astray=(44, 9)), [ONE], signed.folder / "b")
    found = signed.proof(fault, 6, ours=False)
    assert found.state == "doubtful" and "at 01:00:01:19 it shows another picture" in found.reasons[0]
    signature_place(signed.path, *status(signed.path)).unlink()
    assert signed.proof(fault, 6, ours=False).state == "proven"  # places alone do not see it


@pytest.mark.parametrize("fault", [
    replace(FULL, shift=1), replace(FULL, dropped=30), replace(FULL, stranger=replace(ONE, take=5)),
    replace(FULL, exchanged=True),
])  # fmt: skip
def test_what_was_found_by_places_is_found_by_signatures(signed: Signed, fault: Derived, no_original: None) -> None:
    found = signed.proof(signed.wrong(fault))
    assert found.state in ("doubtful", "refused") and found.reasons
    if fault.dropped:
        assert "its picture is 1 frame early from 01:00:01:05 on" in found.reasons[0]


@pytest.mark.parametrize("motion", ["objects", "pan", "still"])
def test_right_proxies_are_never_doubted(tmp_path: Path, motion: str) -> None:
    one = Signed(tmp_path, replace(ONE, motion=motion))
    for codec in CODECS:
        found = one.proof(made(one.path, tmp_path / f"p.{codec}.mov", codec))
        assert found.reasons == () and found.state == ("cannot tell" if motion == "still" else "proven")


def test_the_proof_comes_with_the_proxy_where_it_takes_little_beside_the_making(
    signed: Signed, tmp_path: Path, no_original: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    request = ProxyRequest(signed.path, tmp_path / "x" / "p.mov", Proxies(codec="h264"), probe(signed.path))
    assert not isinstance(make_proven_proxy(request, quiet), ProvenResult)  # a clip of two seconds waits for its turn
    monkeypatch.setattr("agile_shadow.core.proof.making._MOST", 1e6)
    monkeypatch.setattr("agile_shadow.core.proof.witness._CHEAP", 0.0)
    result = make_proven_proxy(request, quiet)
    assert isinstance(result, ProvenResult) and result.proof is not None and result.proof.state == "proven"
    assert (result.proof.stamp.proxy_size, result.proof.stamp.original_size) == (
        result.path.stat().st_size, signed.path.stat().st_size)  # fmt: skip


def test_after_an_ingest_pairs_are_proven_by_their_signatures(card: Path, tmp_path: Path, no_original: None) -> None:
    ingest(card, tmp_path / "film.otio", preset("h264"))
    session = ProjectSession.open(tmp_path / "film.otio")
    project = session.project
    session.close()
    pairs, cannot = due(project)
    assert len(pairs) == 8 and cannot == []
    assert {prove(prove_request(project, one), quiet).state for one in pairs} == {"proven"}


def test_what_cannot_be_proved_at_once_is_made_all_the_same(
    signed: Signed, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def break_off(*_arguments: object) -> None:
        raise RuntimeError("planted")

    monkeypatch.setattr(proof, "prove", break_off)
    monkeypatch.setattr("agile_shadow.core.proof.making._MOST", 1e6)
    monkeypatch.setattr("agile_shadow.core.proof.witness._CHEAP", 0.0)
    result = make_proven_proxy(ProxyRequest(signed.path, tmp_path / "p.mov", Proxies(codec="h264")), quiet)
    assert not isinstance(result, ProvenResult) and result.path.is_file()


def test_it_is_kept_for_the_file_as_it_was_and_only_so_long(signed: Signed) -> None:
    kept = kept_signature(signed.path)
    assert kept is not None and kept.frames == 60 and len(kept.pictures) == 4
    assert sum(one.coded is not None for one in kept.pictures) == 3
    assert kept.size < 60 * 1152  # packed
    files = list((cache_folder() / FOLDER).iterdir())
    assert len(files) == 1
    files[0].write_bytes(files[0].read_bytes()[:-900])
    assert kept_signature(signed.path) is None and signed.proof(signed.right).state == "proven"
    made(signed.path, signed.folder / "again.mov")  # a name is there: it is not taken anew
    files[0].unlink()
    made(signed.path, signed.folder / "third.mov")
    assert kept_signature(signed.path) is not None
    signed.path.touch()
    assert kept_signature(signed.path) is None  # it may be another file by now
    assert keep_to_limit(0) > 0 and not files[0].exists()


def test_a_trial_or_a_frame_that_is_missing_leaves_none(signed: Signed, tmp_path: Path) -> None:
    with FrameReader(signed.path) as reader:
        taker = SignatureTaker(probe(signed.path), reader.index)
        for number in (0, 1, 3, 4):
            taker.add(reader.frame(number))
        assert taker.taken() is None
    other = write_original(clip("B.mov"), tmp_path)
    make_proxy(ProxyRequest(other, tmp_path / "part.mov", Proxies(codec="mjpeg"), probe(other), part=(0, 20)), quiet)
    assert kept_signature(other) is None


@given(arrays(np.uint16, st.tuples(st.integers(1, 9), st.just(HIGH), st.just(WIDE))))
@settings(max_examples=30, deadline=None)
def test_frames_are_packed_without_loss(grids: np.ndarray) -> None:
    assert (_unpacked(_packed(list(grids))) == grids).all()
    one = Signature(len(grids), (_packed(list(grids)),), ())
    again = Signature.from_bytes(one.to_bytes())
    assert again == one and (again.grids() * 4 == grids).all()


@given(st.integers(64, 110), st.integers(40, 80), st.sampled_from(["gray", "yuv420p", "yuv422p10le", "gray12le"]),
       st.floats(0, 1), st.floats(0, 6))  # fmt: skip
@settings(max_examples=25, deadline=None)
def test_reading_some_rows_gives_what_the_whole_picture_gives(
    wide: int, high: int, kind: str, slope: float, phase: float
) -> None:
    width, height = wide * 20, high * 20
    y, x = np.mgrid[0:1:height * 1j, 0:1:width * 1j]
    waves = 40 + 120 * (slope * x + (1 - slope) * y) + 25 * np.sin(phase + 7 * x) * np.cos(5 * y)
    plain = VideoFrame.from_ndarray(np.ascontiguousarray(waves.astype(np.uint8)), format="gray")
    cells = _Cells(frame := plain.reformat(format=kind, dst_color_range="JPEG"))
    assert cells._direct
    grid, fine = cells.of(frame)
    off = np.abs(grid - grid_of(plain))
    assert off.max() < 2.0 and off.mean() < 0.8
    off = np.abs(fine.astype(np.float32) - fine_of(plain))
    assert off.max() < 6.0 and off.mean() < 1.0


@given(st.integers(1, 128), st.integers(0, 4000))
@settings(deadline=None)
def test_two_rows_are_read_of_each_band_one_of_each_field(bands: int, more: int) -> None:
    height = 2 * bands + more
    first, second = _two_of_each(height, bands)
    assert ((second - first) % 2 == 1).all() and (first >= 0).all() and (second < height).all()
    for rows in (first, second):
        assert (rows >= np.floor(np.arange(bands) * height / bands)).all() and (np.diff(rows) > 0).all()
        assert (rows < np.ceil((np.arange(bands) + 1) * height / bands)).all()


def test_a_turned_picture_is_upright_in_both(drawn_card: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(signature, "_LARGE", 200)
    phone = next(drawn_card.rglob("VID_*.mp4"))
    with FrameReader(phone) as reader:
        frame = reader.frame(0)
        cells = _Cells(frame)
        assert cells._direct and abs(frame.rotation) == 90
        grid, fine = cells.of(frame)
        alike = [np.corrcoef(one.ravel(), other.ravel())[0, 1]
                 for one, other in ((fine, fine_of(frame)), (grid, grid_of(frame)))]  # fmt: skip
    assert min(alike) > 0.99


def test_a_picture_too_low_for_its_rows_to_be_chosen_is_made_small_instead() -> None:
    frame = VideoFrame.from_ndarray(np.full((40, 1600), 90, np.uint8), format="gray")
    cells = _Cells(frame)
    grid, fine = cells.of(frame)
    assert not cells._direct and np.allclose(grid, 90, atol=1) and np.allclose(fine, 90, atol=1)


def test_a_signature_of_before_without_points_is_read_and_serves(signed: Signed) -> None:
    before = replace(kept_signature(signed.path), told=())
    keep_signature(signed.path, before, *status(signed.path))
    kept = kept_signature(signed.path)
    assert kept.points() is None and kept.pieces == before.pieces
    assert signed.proof(signed.right).state == "proven"
    assert signed.proof(signed.wrong(replace(FULL, astray=(31, 30)))).state == "doubtful"


@pytest.mark.parametrize("told", [
    lambda kept: kept[:-1] + b"x", lambda kept: packed_points(list(unpacked_points(kept)[:-3])),
    lambda kept: packed_points([np.full((POINTS, 2), 9216, np.uint16)] * len(unpacked_points(kept))),
], ids=["torn", "some frames short", "points outside the picture"])  # fmt: skip
def test_points_that_are_not_whole_are_no_signature(signed: Signed, told: Any) -> None:
    whole = kept_signature(signed.path)
    torn = replace(whole, told=(told(whole.told[0]),))
    keep_signature(signed.path, torn, *status(signed.path))
    assert kept_signature(signed.path) is None and signed.proof(signed.right).state == "proven"


TAKES = [clip(f"A00{take}.mov", take, motion="handheld", size=(384, 216)) for take in (1, 2, 3)]


def from_elsewhere(folder: Path) -> Path:
    """A file that neither name nor timecode leads to an original: of the second take, from its eighth frame on."""
    return write_proxy(Derived("of the harbour.mov", 0, trim=7, graded=1, timecode=False), [TAKES[1]], folder)


def searched(project: Path, *places: Path) -> dict[str, tuple[str, int, str]]:
    document = load_project(project)
    offers = Search(document, places, InlinePool()).run()
    names = {one.id: one.name for one in document.clips}
    return {one.path.name: (names[one.clip], one.offset, one.verdict) for one in offers.pairs}


def test_a_proxy_is_paired_by_picture_though_its_original_is_away(tmp_path: Path) -> None:
    project = drawn_film(tmp_path, TAKES)
    file = from_elsewhere(tmp_path / "mail")
    for one in TAKES[:2]:  # of the third nothing is known
        made(tmp_path / "Boathouse" / one.name, tmp_path / "made" / one.name)
    (tmp_path / "Boathouse").rename(tmp_path / "far away")
    assert searched(project, file.parent) == {"of the harbour.mov": ("A002", 7, "certain")}
    shutil.rmtree(cache_folder() / FOLDER)
    assert searched(project, file.parent) == {}


@pytest.mark.parametrize("form", ["file", "sequence"])
def test_a_signature_of_what_was_there_before_does_not_stand_for_what_is_there_now(
    signed: Signed, tmp_path: Path, form: str
) -> None:
    """Also of a numbered sequence, whose pattern is the name of no file."""
    before = kept_signature(signed.path)
    path = tmp_path / "a.mov" if form == "file" else as_form(tmp_path / "S_%04d.dpx", "sequence")
    there = tmp_path / "a.mov" if form == "file" else tmp_path / "S_0001.dpx"
    there.write_bytes(b"another one")
    assert before is not None
    keep_signature(path, before, 10, 20)
    printed = before.fingerprint()
    opposite = tasks.Opposite(0, Half(path, probe(signed.path)), printed, stamp=(10, 20))
    assert opposite.signature() is None
    there.unlink()
    kept = opposite.signature()
    assert kept is not None and kept.frames == before.frames
    assert replace(opposite, half=Half(path, replace(opposite.half.info, frames=7))).signature() is None


def test_an_original_with_a_signature_is_not_decoded_for_a_search(
    tmp_path: Path, no_original: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = drawn_film(tmp_path, TAKES)
    file = from_elsewhere(tmp_path / "mail")
    for one in TAKES:
        made(tmp_path / "Boathouse" / one.name, tmp_path / "made" / one.name)
    looked_at: list[str] = []

    def counted(path: Path, info: MediaInfo) -> Fingerprint:
        looked_at.append(path.name)
        return fingerprint(path, info)

    monkeypatch.setattr(tasks, "fingerprint", counted)
    assert searched(project, file.parent)[file.name][:2] == ("A002", 7)
    assert looked_at == [file.name]


def test_the_offset_that_would_fit_is_told_without_decoding_the_original(
    signed: Signed, no_original: None, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(proof, "_HEAVY", 0)  # however heavy it is
    halves = Half(signed.path, probe(signed.path)), Half(signed.right, probe(signed.right))
    theirs = write_proxy(Derived("theirs.mov", 0, trim=12), [ONE], tmp_path / "theirs")
    assert proof._offset(ProveRequest(*halves, 5)) == 0
    assert proof._offset(ProveRequest(halves[0], Half(theirs, probe(theirs)), 0)) == 12


def test_the_table_of_strays() -> None:
    rng = np.random.default_rng(3)
    waves = np.cumsum(rng.normal(0, 1.0, (80, HIGH, WIDE)), axis=0) + rng.integers(60, 180, (HIGH, WIDE))
    original = waves.astype(np.float32)
    look = 0.8 * original + 20 + rng.normal(0, 0.1, original.shape).astype(np.float32)
    assert strays(original, look, 0, True) == []
    wrong = look.copy()
    wrong[30], wrong[60], wrong[61] = look[29], look[10], 0
    for found in (strays(original, wrong, 0, True), strays(original, wrong[5:], 5, True)):
        assert found == [Stray(30, -1), Stray(60, -50), Stray(61, None)]
    dark = look.copy()
    dark[40:60] = 3  # longer than the frames around could tell
    assert {one.frame for one in strays(original, dark, 0, True)} >= set(range(40, 60))


def test_the_filter_left_out_does_not_show(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "b.mov"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "30", "bf": "3", "preset": "fast"})
        stream.width, stream.height, stream.pix_fmt = 768, 432, "yuv420p"
        texture = np.random.default_rng(1).integers(0, 255, (54, 120, 3)).astype(np.uint8)
        for number in range(16):
            picture = np.kron(np.roll(texture, number, 1)[:, :96], np.ones((8, 8, 1), np.uint8))
            out.mux(stream.encode(VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")))
        out.mux(stream.encode(None))
    # of an eighth and of all its pixels: left out where it is small, never where it is not
    difference = {}
    for scale in (Fraction(1, 4), Fraction(1)):
        pictures = []
        for codecs in ((), ("h264", "hevc")):
            monkeypatch.setattr(transcode, "_LOOP_FILTERED", codecs)
            target = tmp_path / f"{scale.denominator}{len(codecs)}.mov"
            make_proxy(ProxyRequest(path, target, Proxies(codec="prores-proxy", scale=scale), sign=False), quiet)
            with FrameReader(target) as reader:
                frames = [reader.frame(at).to_ndarray(format="gray") for at in range(16)]
            pictures.append(np.stack(frames).astype(float))
        difference[scale] = float(np.abs(pictures[0] - pictures[1]).mean())
    assert 0 < difference[Fraction(1, 4)] < 0.5 and difference[Fraction(1)] == 0


def missing_of(signed: Signed) -> Missing:
    """Its original as a project knows it that has taken no checksum."""
    size, modified = status(signed.path)
    original = Original(FileRef("shelf", signed.path.name), probe(signed.path), size, modified)
    clip = Clip("c", "A001", original)
    return Missing(clip, "original", original.file, original.info, size, "Boathouse", signed.path)


def as_large(path: Path, target: Path, size: int) -> Path:
    """The same recording, with room after it that players pass over."""
    data = path.read_bytes()
    room = size - len(data)
    assert room >= 8
    target.write_bytes(data + room.to_bytes(4, "big") + b"free" + bytes(room - 8))
    return target


@pytest.fixture
def lookalike(signed: Signed, tmp_path: Path) -> Path:
    """Another recording of the size and the data of the original, which is of the size that both can have."""
    other = write_original(replace(signed.drawn, take=2), tmp_path / "other")
    size = max(other.stat().st_size, signed.path.stat().st_size) + 64
    as_large(signed.path, signed.path.with_name("large.mov"), size).replace(signed.path)
    made(signed.path, tmp_path / "again.mov")
    found = as_large(other, tmp_path / "elsewhere.mov", size)
    assert replace(probe(found), size=0) == replace(probe(signed.path), size=0)
    return found


def test_a_missing_original_is_known_again_by_what_it_showed(signed: Signed, lookalike: Path, tmp_path: Path) -> None:
    lost, place = missing_of(signed), tmp_path / "elsewhere"
    place.mkdir()
    lookalike.rename(place / signed.path.name)  # its name as well
    found = find_again([lost], [place], InlinePool())
    assert found.found == () and [one.clip.id for one in found.still] == ["c"]
    assert [one.reason for one in found.left] == ["it has the size of a missing file, but is another one"]
    signed.path.rename(place / "renamed.mov")
    again = find_again([lost], [place], InlinePool()).found
    assert [(one.path.name, one.verdict) for one in again] == [("renamed.mov", "certain")]
    assert again[0].findings[-1].says == "the same picture at 4 frames"
    shutil.copy(place / "renamed.mov", place / "twice.mov")
    shutil.copy(place / "renamed.mov", place / "longer.mov")
    with (place / "longer.mov").open("ab") as file:
        file.write(b"x")
    found = find_again([lost], [place], InlinePool())
    assert {Path(one.path).name: one.reason for one in found.left} == {
        signed.path.name: "it has the size of a missing file, but is another one",
        "twice.mov": "another file was found for the missing one of its size",
        "longer.mov": "no missing file has its size",
    }


def test_without_what_it_showed_name_and_data_decide(signed: Signed, lookalike: Path, tmp_path: Path) -> None:
    lost, place = missing_of(signed), tmp_path / "elsewhere"
    signature_place(signed.path, lost.size, lost.clip.original.modified).unlink()
    place.mkdir()
    lookalike.rename(place / "renamed.mov")
    assert [one.verdict for one in find_again([lost], [place], InlinePool()).found] == ["likely"]
    (place / "renamed.mov").rename(place / signed.path.name)
    assert [one.verdict for one in find_again([lost], [place], InlinePool()).found] == ["certain"]


def test_a_file_that_cannot_be_read_is_not_told_apart(signed: Signed, tmp_path: Path) -> None:
    size, modified = status(signed.path)
    wanted = Wanted(signed.path, size, modified)
    torn = tmp_path / "torn.mov"
    torn.write_bytes(signed.path.read_bytes()[:2000])
    assert recognise(RecogniseRequest(wanted, torn, 60), quiet) is None
    assert recognise(RecogniseRequest(wanted, signed.path, 61), quiet) is None
    assert recognise(RecogniseRequest(replace(wanted, modified=1), signed.path, 60), quiet) is None
    assert recognise(RecogniseRequest(wanted, signed.path, 60), quiet) == Recognised(True, 4)


@pytest.mark.parametrize(("by", "of", "told"), [
    (0, 4, (True, 4)), (1, 4, None), (32, 4, None), (33, 1, (False, 4)), (20, 3, (True, 1)),
])  # fmt: skip
def test_only_the_same_pixels_are_the_same_and_what_is_near_is_not_told(
    signed: Signed, by: int, of: int, told: tuple[bool, int] | None
) -> None:
    size, modified = status(signed.path)
    kept = kept_signature(signed.path)
    assert kept is not None

    def off(luma: NDArray[np.uint8]) -> NDArray[np.uint8]:
        changed = luma.copy()
        changed[0, 0] = changed[0, 0] + by if changed[0, 0] < 128 else changed[0, 0] - by
        return changed

    pictures = tuple(replace(one, luma=off(one.luma)) if n < of else one for n, one in enumerate(kept.pictures))
    keep_signature(signed.path, replace(kept, pictures=pictures), size, modified)
    found = recognise(RecogniseRequest(Wanted(signed.path, size, modified), signed.path, 60), quiet)
    assert (found if found is None else (found.same, found.frames)) == told


def test_pictures_that_show_nothing_tell_nothing(signed: Signed, monkeypatch: pytest.MonkeyPatch) -> None:
    size, modified = status(signed.path)
    kept = kept_signature(signed.path)
    assert kept is not None
    black = np.full_like(kept.pictures[0].luma, 16)
    covered = tuple(replace(picture, luma=black) for picture in kept.pictures)
    keep_signature(signed.path, replace(kept, pictures=covered), size, modified)
    monkeypatch.setattr(recognising, "upright_luma", lambda *_more: black)
    assert recognise(RecogniseRequest(Wanted(signed.path, size, modified), signed.path, 60), quiet) is None
