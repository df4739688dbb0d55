"""Sound over all of a clip's length: how loud each channel is, kept while the proxy is made; wrong places are found."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from agile_shadow.core.media import probe
from agile_shadow.core.media.channels import CHANNEL_RATE, channels_at
from agile_shadow.core.media.envelopes import Envelopes, EnvelopeTaker, energies_of, envelopes_of, levels_of
from agile_shadow.core.media.fingerprint import ENVELOPE_RATE, loudness
from agile_shadow.core.media.sequence import status
from agile_shadow.core.media.signature import Signature, keep_signature, kept_signature
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proof import prover, throughout
from agile_shadow.core.proof.hearing import compare
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proof.throughout import oddities, silences
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.core.upkeep.tasks import PrintRequest, print_of
from agile_shadow.stand_ins.elsewhere import sound_of, write_original
from tests.pairs import clip

RATE = 48_000
SECONDS = 26
Samples = np.ndarray
Change = Callable[[Samples], Samples]


def quiet(done: float) -> None:
    pass


def at(seconds: float) -> int:
    return round(seconds * RATE)


def talk(seconds: float, take: int = 1, channels: int = 2) -> Samples:
    """Blows at their own times in every channel, over a murmur: float32 (channels, samples)."""
    drawn = clip(take=take)
    pieces = [sound_of(replace(drawn, take=take + number * 10), at(4)) for number in range(round(seconds / 4) + 1)]
    whole = np.concatenate(pieces, axis=1)[:, : at(seconds)]
    rows = [whole * np.float32(part) for part in np.linspace(1, 0.7, -(-channels // 2))]
    return np.concatenate(rows)[:channels]


def write_film(path: Path, sound: Samples, like: Path | None = None, codec: str = "pcm_s16le") -> Path:
    """A small film with that sound; its picture is drawn, or that of a file, packet for packet."""
    layout = {1: "mono", 2: "stereo", 4: "4.0"}[len(sound)]
    with av.open(str(path), "w", format="mov", options={"movflags": "use_metadata_tags"}) as out:
        source = av.open(str(like)) if like is not None else None
        if source is not None:
            picture = out.add_stream_from_template(source.streams.video[0])
            picture.metadata.update(source.streams.video[0].metadata)
        tone = out.add_stream(codec, rate=RATE, layout=layout)
        if source is not None:
            for packet in source.demux(source.streams.video[0]):
                if packet.dts is not None:
                    packet.stream = picture
                    out.mux(packet)
            source.close()
        for first in range(0, sound.shape[1], 1024):
            piece = np.ascontiguousarray(sound[:, first : first + 1024])
            if codec == "aac":
                frame = av.AudioFrame.from_ndarray(piece, format="fltp", layout=layout)
            else:
                whole = np.ascontiguousarray(np.round(np.clip(piece, -1, 1) * 32767).astype(np.int16).T)
                frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s16", layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
            out.mux(tone.encode(frame))
        out.mux(tone.encode(None))
    return path


class Filmed:
    """An original of some length whose proxy was made here, and proxies whose sound is another."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        drawn = write_original(clip(frames=SECONDS * 25, sound=False), folder / "drawn")
        self.sound = talk(SECONDS)
        self.path = write_film(folder / "A001.mov", self.sound, drawn)
        settings_ = Proxies(codec="mjpeg", scale=Fraction(1, 2))
        self.right = make_proxy(ProxyRequest(self.path, folder / "right.mov", settings_, probe(self.path)), quiet).path
        kept = kept_signature(self.path)
        assert kept is not None and kept.heard is not None
        self.kept, self.heard = kept, kept.heard

    def changed(self, change: Change, codec: str = "pcm_s16le") -> Path:
        return write_film(self.folder / "changed.mov", change(self.sound.copy()), self.right, codec)

    def wrong(self, path: Path) -> tuple[str, ...]:
        """What the proof says of the sound alone."""
        return prover._heard(self.request(path), self.heard)

    def request(self, path: Path, ours: bool = False) -> ProveRequest:
        return ProveRequest(*(Half(one, probe(one)) for one in (self.path, path)), made=ours)


@pytest.fixture(scope="module")
def drawn_once(tmp_path_factory: pytest.TempPathFactory) -> Filmed:
    return Filmed(tmp_path_factory.mktemp("filmed"))


@pytest.fixture
def filmed(drawn_once: Filmed) -> Filmed:
    """Each test has a cache of its own."""
    keep_signature(drawn_once.path, drawn_once.kept, *status(drawn_once.path))
    return drawn_once


def silent(begin: float, length: float, channel: int | None = None) -> Change:
    def change(sound: Samples) -> Samples:
        sound[slice(None) if channel is None else channel, at(begin) : at(begin + length)] = 0
        return sound

    return change


def slipped(begin: float, length: float, late: float) -> Change:
    def change(sound: Samples) -> Samples:
        sound[:, at(begin) : at(begin + length)] = sound[:, at(begin - late) : at(begin - late) + at(length)].copy()
        return sound

    return change


def of_another(begin: float, length: float) -> Change:
    def change(sound: Samples) -> Samples:
        sound[:, at(begin) : at(begin + length)] = talk(length, take=77)
        return sound

    return change


def exchanged(begin: float, length: float) -> Change:
    def change(sound: Samples) -> Samples:
        sound[:, at(begin) : at(begin + length)] = sound[::-1, at(begin) : at(begin + length)].copy()
        return sound

    return change


# Proofs


def test_a_right_pair_is_proven_and_its_loudness_is_kept_as_it_is(filmed: Filmed) -> None:
    read = envelopes_of(filmed.path)
    assert read is not None and np.array_equal(filmed.heard.levels, read.levels) and filmed.heard.widths == (2,)
    proof = prove(filmed.request(filmed.right, ours=True), quiet)
    assert (proof.state, proof.reasons) == ("proven", ())


def test_a_pair_whose_sound_is_wrong_somewhere_is_doubted(filmed: Filmed) -> None:
    proof = prove(filmed.request(filmed.changed(silent(7.5, 0.12, 1))), quiet)
    sentence = "its sound channel 2 is silent at 01:00:07:13 where the original's is not"
    assert (proof.state, proof.reasons) == ("doubtful", (sentence,))


@pytest.mark.parametrize("codec", ["pcm_s16le", "aac"])
@pytest.mark.parametrize(("change", "sentence"), [
    (silent(7.5, 0.09, 1), "its sound channel 2 is silent at 01:00:07:1"),
    (silent(20.2, 1.0), "its sound is silent at 01:00:20:0"),
    (slipped(18, 5, 0.08), "its sound is 80 ms too late, at 01:00:"),
    (slipped(5, 4, -0.1), "its sound is 100 ms too early, at 01:00:0"),
    (of_another(6, 4), "its sound is not the original's, at 01:00:0"),
    (exchanged(19, 4), "its sound channels 1 and 2 are exchanged, at 01:00:"),
])  # fmt: skip
def test_what_is_wrong_between_the_places_that_are_heard_is_found(
    filmed: Filmed, change: Change, sentence: str, codec: str
) -> None:
    (told,) = filmed.wrong(filmed.changed(change, codec))
    assert told.startswith(sentence)


@pytest.mark.parametrize("change", [
    lambda sound: sound,
    lambda sound: sound * 0.4,
    lambda sound: np.tanh(sound * 3) / 3,
    lambda sound: sound.mean(axis=0, keepdims=True),
    lambda sound: sound[:, : -at(0.1)],
    lambda sound: np.roll(sound, at(0.008), axis=1),
    lambda sound: sound + np.random.default_rng(1).normal(0, 0.002, sound.shape).astype(np.float32),
])  # fmt: skip
@pytest.mark.parametrize("codec", ["pcm_s16le", "aac"])
def test_sound_that_was_levelled_mixed_or_packed_raises_no_doubt(filmed: Filmed, change: Change, codec: str) -> None:
    assert filmed.wrong(filmed.changed(change, codec)) == ()


def test_sound_where_the_original_is_silent_is_told(tmp_path: Path) -> None:
    drawn = write_original(clip(frames=400, sound=False), tmp_path / "drawn")
    path = write_film(tmp_path / "A002.mov", silent(6, 0.5, 0)(talk(16)), drawn)
    made = Proxies(codec="mjpeg", scale=Fraction(1, 2))
    make_proxy(ProxyRequest(path, tmp_path / "right.mov", made, probe(path)), quiet)
    other = write_film(tmp_path / "other.mov", talk(16), tmp_path / "right.mov")
    kept = kept_signature(path)
    assert kept is not None
    request = ProveRequest(*(Half(one, probe(one)) for one in (path, other)))
    (told,) = prover._heard(request, kept.heard)
    assert told == "its sound channel 1 is heard at 01:00:06:00 where the original's is silent"


def test_a_suspicion_that_the_files_do_not_bear_out_is_no_doubt(
    filmed: Filmed, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = throughout.envelopes_of

    def other(path: Path) -> Envelopes | None:
        found = real(path)
        assert found is not None
        levels = found.levels.copy()
        levels[:, 8 * ENVELOPE_RATE : 9 * ENVELOPE_RATE] = 0
        levels[:, 16 * ENVELOPE_RATE : 20 * ENVELOPE_RATE] = levels[::-1, 4 * ENVELOPE_RATE : 8 * ENVELOPE_RATE]
        return Envelopes(levels, found.widths)

    heard: list[float] = []

    def counted(path: Path, start: float, seconds: float) -> np.ndarray:
        heard.append(start)
        return channels_at(path, start, seconds)

    monkeypatch.setattr(throughout, "envelopes_of", other)
    monkeypatch.setattr(throughout, "channels_at", counted)
    assert filmed.wrong(filmed.right) == ()
    assert any(7.5 < one < 9 for one in heard) and any(15 < one < 20 for one in heard)


def test_without_kept_loudness_places_are_heard_as_before(filmed: Filmed, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(prover, "heard_throughout", lambda *more: pytest.fail("nothing is known of it"))
    assert prover._heard(filmed.request(filmed.changed(silent(8, 0.5))), None) == ()
    exchanged_all = filmed.request(filmed.changed(exchanged(0, SECONDS)))
    assert prover._heard(exchanged_all, None) == ("its sound channels 1 and 2 are exchanged",)


# What is kept


def test_loudness_from_what_is_kept_serves_the_search(filmed: Filmed, monkeypatch: pytest.MonkeyPatch) -> None:
    measured = loudness(filmed.path)
    monkeypatch.setattr("agile_shadow.core.upkeep.tasks.loudness", lambda path: pytest.fail("it is decoded again"))
    found = print_of(PrintRequest(Half(filmed.path, probe(filmed.path))), quiet)
    assert found is not None and abs(len(found.loudness) - len(measured)) <= 2
    same = min(len(found.loudness), len(measured))
    assert np.corrcoef(found.loudness[:same], measured[:same])[0, 1] > 0.999


@pytest.mark.parametrize("sound", ["stereo", "none"])
def test_where_the_sound_is_not_decoded_along_none_is_kept(tmp_path: Path, sound: str) -> None:
    path = write_original(clip(), tmp_path)
    made = Proxies.model_validate({"codec": "mjpeg", "scale": Fraction(1, 2), "sound": sound})
    make_proxy(ProxyRequest(path, tmp_path / "made.mov", made, probe(path)), quiet)
    kept = kept_signature(path)
    assert kept is not None and kept.heard is None
    assert Signature.from_bytes(kept.to_bytes()).heard is None


@given(arrays(np.uint8, st.tuples(st.integers(1, 6), st.integers(1, 900))), st.data())
def test_levels_are_kept_without_loss(levels: np.ndarray, data: st.DataObject) -> None:
    first = data.draw(st.integers(1, len(levels)))
    widths = (first,) if first == len(levels) else (first, len(levels) - first)
    again = Envelopes.from_bytes(Envelopes(levels, widths).to_bytes(), widths)
    assert np.array_equal(again.levels, levels) and again.widths == widths
    assert np.array_equal(levels_of(energies_of(levels)), levels)


def frames_of(sound: Samples, cuts: list[int], rate: int, origin: float) -> list[av.AudioFrame]:
    found = []
    for first, last in zip([0, *cuts], [*cuts, sound.shape[1]], strict=True):
        if last > first:
            piece = np.ascontiguousarray(sound[:, first:last])
            frame = av.AudioFrame.from_ndarray(piece, format="fltp", layout="stereo")
            frame.sample_rate, frame.time_base = rate, Fraction(1, rate)
            frame.pts = first + round(origin * rate)
            found.append(frame)
    return found


@settings(deadline=None, max_examples=30)
@given(
    st.sampled_from([8000, 44_100, 48_000]), st.lists(st.integers(1, 9000), max_size=12), st.integers(-900, 900),
    st.integers(0, 2**31),
)  # fmt: skip
def test_levels_are_the_mean_squares_of_the_samples_however_they_come(
    rate: int, cuts: list[int], begin: int, seed: int
) -> None:
    """``begin``: samples by which the sound begins after the picture."""
    sound = np.random.default_rng(seed).normal(0, 0.1, (2, 9000)).astype(np.float32)
    taker = EnvelopeTaker({1: 2}, -begin / rate)
    for frame in frames_of(sound, sorted(set(cuts)), rate, 0.0):
        kept = frame.pts
        taker.add(1, frame)
        assert frame.pts == kept
    found = taker.taken()
    assert found is not None
    for value in range(found.levels.shape[1]):
        low, high = (round(edge * rate / ENVELOPE_RATE) - begin for edge in (value, value + 1))
        if low < 0:
            assert high > 0 or not found.levels[:, value].any()
            continue
        near = [(low + one, high + other) for one in (0, -1, 1) for other in (0, -1, 1)]  # halves round either way
        expected = [10 * np.log10(np.square(sound[:, a:b].astype(np.float64)).mean(axis=1)) for a, b in near if a >= 0]
        off = (found.levels[:, value] - 255.0) / 2 - np.stack(expected)
        assert np.abs(off).max(axis=1).min() < 0.3
    assert (found.levels.shape[1] + 1) * rate / ENVELOPE_RATE >= 9000 + begin - 1


def test_gaps_are_silent_and_impossible_times_leave_none() -> None:
    sound = np.full((2, 48_000), 0.5, np.float32)
    first, second = frames_of(sound, [24_000], RATE, 0.0)
    second.pts = 72_000
    taker = EnvelopeTaker({0: 2}, 0.0)
    for one in (first, second):
        taker.add(0, one)
    found = taker.taken()
    assert found is not None and found.levels.shape[1] == 2 * ENVELOPE_RATE
    half = ENVELOPE_RATE // 2
    loud = found.levels > 0
    assert loud[:, :half].all() and not loud[:, half : 3 * half].any() and loud[:, 3 * half :].all()
    late = EnvelopeTaker({0: 2}, 0.0)
    second.pts = 10**13
    late.add(0, second)
    assert late.taken() is None
    changing = EnvelopeTaker({0: 1}, 0.0)
    changing.add(0, first)
    assert changing.taken() is None


# Where to listen


def energies(seed: int, seconds: float) -> np.ndarray:
    rng = np.random.default_rng(seed)
    slow = np.repeat(rng.normal(-30, 9, (2, round(seconds * 10))), 10, axis=1)
    return (10 ** ((slow + rng.normal(0, 1, slow.shape)) / 10)).astype(np.float32)


@settings(deadline=None)
@given(st.integers(0, 9999), st.floats(0.2, 9.5), st.floats(0.05, 0.3), st.integers(0, 1), st.booleans())
def test_a_silence_is_found_wherever_it_is(seed: int, begin: float, length: float, channel: int, first: bool) -> None:
    loud = energies(seed, 10) + np.float32(1e-4)
    lacks = loud.copy()
    low, high = round(begin * 100), round((begin + length) * 100)
    lacks[channel, low:high] = 0
    found = silences(lacks, loud) if first else silences(loud, lacks)
    if high - low >= 2 * throughout._NEAR + throughout._LEAST_SILENCE and high < 985:
        place, whose, way = found[0]
        assert whose == channel and way == (-1 if first else 1)
        assert abs(place.start - low / 100) <= 0.04 and place.start + place.length <= high / 100 + 1e-6
    assert silences(loud, loud) == []


@settings(deadline=None, max_examples=30)
@given(st.integers(0, 9999), st.integers(0, 10), st.floats(0.2, 5))
def test_what_is_the_same_but_for_its_level_is_not_listened_to(seed: int, start: int, level: float) -> None:
    loud = energies(seed, 14)
    rng = np.random.default_rng(seed + 1)
    packed = loud * np.float32(level) * (10 ** (rng.normal(0, 0.05, loud.shape))).astype(np.float32)
    assert oddities(loud, packed) == []
    late = packed.copy()
    late[:, start * 100 + 10 : start * 100 + 400] = packed[:, start * 100 : start * 100 + 390]
    found = oddities(loud, late)
    assert found and start - 1 <= found[0].start <= start + 4


def test_a_slip_in_sound_that_swells_slowly_is_listened_to() -> None:
    rng = np.random.default_rng(3)
    slow = np.interp(np.arange(1600), np.arange(0, 1650, 50), rng.normal(-30, 10, 33))
    loud = (10 ** (np.stack([slow, slow]) / 10)).astype(np.float32)
    late = loud.copy()
    late[:, 600:1000] = loud[:, 592:992]
    assert oddities(loud, loud) == []
    assert {round(place.start) for place in oddities(loud, late)} & {6, 7, 8}


def test_channels_that_differ_in_level_alone_are_listened_to_where_they_changed_places() -> None:
    loud = energies(5, 14)
    loud[1] = loud[0] * np.float32(0.1)
    changed = loud.copy()
    changed[:, 500:900] = loud[::-1, 500:900]
    assert oddities(loud, loud) == [] and round(oddities(loud, changed)[0].start) in (5, 6, 7)


def test_channels_whose_blows_fall_together_are_told_apart_by_what_lies_between() -> None:
    loud = energies(8, 14)
    loud[1] = loud[0] * (10 ** np.random.default_rng(9).normal(0, 0.1, loud.shape[1])).astype(np.float32)
    changed = loud.copy()
    changed[:, 500:900] = loud[::-1, 500:900]
    assert oddities(loud, loud) == [] and round(oddities(loud, changed)[0].start) in (5, 6, 7)


@pytest.mark.parametrize("hertz", [50, 440, 1000])
@pytest.mark.parametrize("cut", [0.0, 0.05, 0.3])
def test_a_line_up_tone_that_fits_again_and_again_is_not_late(hertz: int, cut: float) -> None:
    time = np.arange(4 * CHANNEL_RATE) / CHANNEL_RATE
    tone = np.stack([0.3 * np.sin(2 * np.pi * hertz * time)] * 2).astype(np.float32)
    other = tone.copy()
    other[:, len(time) - round(cut * CHANNEL_RATE) :] = 0
    heard = compare([tone], [other], 0.04)
    assert heard is not None and heard.wrong == () and abs(heard.late or 0) < 0.001


@settings(deadline=None, max_examples=25)
@given(st.integers(-3000, 3000), st.integers(0, 999))
def test_a_lag_of_what_does_not_repeat_is_found_to_the_sample(lag: int, seed: int) -> None:
    noise = np.random.default_rng(seed).normal(0, 0.1, (1, 5 * CHANNEL_RATE)).astype(np.float32)
    first = noise[:, 4000:36_000]
    heard = compare([first], [noise[:, 4000 - lag : 36_000 - lag]], 0.04)
    assert heard is not None and heard.late == lag / CHANNEL_RATE
    assert bool(heard.wrong) == (abs(lag) / CHANNEL_RATE > 0.02)


def test_even_sound_that_is_another_for_a_while_is_listened_to() -> None:
    rng = np.random.default_rng(11)
    loud = (10 ** rng.normal(-2, 0.05, (1, 1400))).astype(np.float32)
    other = loud.copy()
    other[:, 500:900] = (10 ** rng.normal(-2, 0.05, (1, 400))).astype(np.float32)
    assert oddities(loud, loud) == [] and round(oddities(loud, other)[0].start) in (5, 6, 7)


def test_a_proxy_that_begins_later_is_heard_at_its_place(filmed: Filmed) -> None:
    for change, told in ((silent(7.5, 0.3), 1), (lambda sound: sound, 0)):
        path = write_film(filmed.folder / "later.mov", change(filmed.sound.copy())[:, at(1) :], filmed.right)
        found = prover._heard(replace(filmed.request(path), offset=25), filmed.heard)
        assert len(found) == told and all(one.startswith("its sound is silent at 01:00:07:1") for one in found)


@pytest.mark.parametrize(("lead", "late"), [(1, 0.0), (3, 0.25), (1, -0.5)])
def test_both_are_laid_side_by_side_from_the_proxys_first_frame_on(
    tmp_path: Path, filmed: Filmed, lead: int, late: float
) -> None:
    moved = np.roll(filmed.sound, at(late), axis=1)[:, at(lead) :]
    mine = envelopes_of(write_film(tmp_path / "later.mov", moved, filmed.right))
    assert mine is not None
    common = throughout.Common(Fraction(lead), Fraction(SECONDS - lead), 0.04, late)
    first, second = throughout._alike(filmed.heard, mine, common)
    assert first.shape == second.shape == (2, (SECONDS - lead) * 100)
    inner = slice(60, -60)
    assert np.allclose(first[:, inner], second[:, inner], rtol=0.1, atol=1e-7)
