"""Finding what belongs together: names, data, pictures, and what is then done with it."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from agile_shadow.core.desk import MakeRun
from agile_shadow.core.jobs import JobStore, Machine, WorkerPool
from agile_shadow.core.matching.alignment import PictureFit, fit_sound, something_moves
from agile_shadow.core.matching.assignment import Looks, Matching
from agile_shadow.core.matching.evidence import Traits
from agile_shadow.core.matching.names import addition_between, core_of, match_names
from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.media.fingerprint import ENVELOPE_RATE, Fingerprint
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import ProjectSession, load_project
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.time import timecode_at
from agile_shadow.core.timeline import append
from agile_shadow.core.upkeep.by_hand import offer_by_hand
from agile_shadow.core.upkeep.making import make_request
from agile_shadow.core.upkeep.missing import find_again, missing_files, take_again
from agile_shadow.core.upkeep.proving import due
from agile_shadow.core.upkeep.removing import remove_files, without
from agile_shadow.core.upkeep.taking import take
from agile_shadow.stand_ins.elsewhere import Derived, Elsewhere, plan, write_all, write_original, write_proxy
from tests.conftest import hashes
from tests.footage import here, refusal
from tests.pairs import clip, drawn_film, leave

NAMES = some.text("ABCDEFGHJK_", min_size=3, max_size=8).map(lambda text: f"{text}X")


# Names and data


@given(some.lists(NAMES, min_size=2, max_size=6, unique_by=str.casefold), some.sampled_from(["_prx", "-low", " copy"]))
def test_what_is_added_to_every_name_is_found_by_the_set_itself(stems: list[str], added: str) -> None:
    originals = [f"card/{stem}{number:03d}.MOV" for number, stem in enumerate(stems)]
    files = [f"mail/{stem}{number:03d}{added}.MOV.mov" for number, stem in enumerate(stems)]
    found = match_names(originals, files)
    for number in range(len(stems)):
        assert found[number, number].kind == "systematic" and found[number, number].addition.after == added
    assert core_of("A001.MXF.mov") == "a001" and addition_between(originals[0], "zzz.mov") is None


def test_a_number_is_not_cut_in_two_and_folders_tell_same_names_apart() -> None:
    assert match_names(["a/0012.mov"], ["b/40123.mov"]) == {}
    found = match_names(["A/0001.mov", "B/0001.mov"], ["mirror/B/0001.mov"])
    assert found[0, 1].folders == 1 and found[0, 0].folders == 0 and found[0, 0].shared == 2


def traits(path: str, frames: int, start: int | None, width: int = 3840) -> Traits:
    timecode = timecode_at(start, Fraction(25)) if start is not None else None
    high = width * 9 // 16
    size = (width, high, width, high)
    info = MediaInfo(
        "video", "mov", 10**9, Fraction(frames, 25), "hevc", *size, Fraction(25), frames, start_timecode=timecode
    )
    return Traits.of(path, info)


@settings(deadline=None)  # the first example loads the numerical library
@given(some.integers(0, 1 << 20))
def test_data_alone_pairs_whole_sets(seed: int) -> None:
    rng = random.Random(seed)
    originals = [traits(f"A/C{n:03d}.mov", rng.randint(100, 900), rng.randint(0, 10**6)) for n in range(8)]
    order = rng.sample(range(8), 8)
    trims = [rng.choice([0, 0, rng.randint(1, 40)]) for _ in order]
    files = [
        traits(f"p/C{n:03d}_p.mov", originals[n].frames - trim, (originals[n].start or 0) + trim, 960)
        for n, trim in zip(order, trims, strict=True)
    ]
    matching = Matching(originals, files)
    found = matching.decide(matching.candidates().values())
    assert [(one.file, one.original, one.offset) for one in found.pairs] == list(
        zip(range(8), order, trims, strict=True)
    )


def test_a_timecode_that_all_files_share_says_nothing() -> None:
    originals = [traits("B/one.mov", 300, 90_000), traits("B/two.mov", 200, 5_000)]
    files = [traits(f"q/{n}.mov", 300, 90_000, 960) for n in range(8)]
    matching = Matching(originals, files)
    assert matching.decide(matching.candidates().values()).pairs == ()
    single = Matching(originals, files[:1])
    assert [one.original for one in single.decide(single.candidates().values()).pairs] == [0]


def fit(moving: float, offset: int = 0) -> Looks:
    return Looks(PictureFit(offset, moving, 0.99, moving - 0.2, 16), None, offset, True)


def test_what_fits_two_originals_alike_is_never_certain_and_the_set_is_settled_as_a_whole() -> None:
    originals = [traits("A/x.mov", 300, None), traits("A/y.mov", 300, None)]
    files = [traits("p/1.mov", 300, None, 960), traits("p/2.mov", 300, None, 960)]
    matching = Matching(originals, files)

    def decided(fits: dict[tuple[int, int], float]) -> list[tuple[int, int, str]]:
        candidates = [matching.candidate(*key, fit(moving)) for key, moving in fits.items()]
        return [(one.file, one.original, one.verdict) for one in matching.decide(candidates).pairs]

    assert decided({(0, 0): 0.98}) == [(0, 0, "certain")]
    assert decided({(0, 0): 0.98, (0, 1): 0.93}) == [(0, 0, "likely")]  # takes that move nearly alike
    assert decided({(0, 0): 0.98, (0, 1): 0.82}) == [(0, 0, "likely")]
    assert decided({(0, 0): 0.98, (0, 1): 0.5}) == [(0, 0, "certain")]
    assert decided({(0, 0): 0.98, (1, 0): 0.95}) == [(0, 0, "likely"), (1, 0, "likely")]  # two for one original
    whole = decided({(0, 0): 0.97, (0, 1): 0.96, (1, 0): 0.99})
    assert [(file, original) for file, original, _verdict in whole] == [(0, 1), (1, 0)]
    assert decided({(0, 0): 0.2}) == []


def test_grain_is_told_from_what_moves() -> None:
    grain = np.random.default_rng(4).chisquare(9, 576).astype(np.float32)  # of nine frames: alike in all cells
    assert not something_moves(grain / 9)
    thing = grain / 9
    thing[77] = 60
    assert something_moves(thing) and something_moves(grain) and not something_moves(grain / 900)


def test_sound_is_laid_to_its_place_and_fingerprints_are_kept_as_they_are() -> None:
    rng = np.random.default_rng(3)
    whole = np.cumsum(rng.normal(0, 1, 4000)).astype(np.float32) * 0.1
    fit = fit_sound(whole, whole[731:3000] * 0.8 + 0.3)
    assert fit is not None and round(fit.seconds * ENVELOPE_RATE) == 731 and fit.likeness > 0.99 > fit.others
    assert fit.offset(Fraction(25)) == round(731 / ENVELOPE_RATE * 25)
    kept = Fingerprint(9, np.arange(3), rng.uniform(0, 255, (3, 18, 32)).astype(np.float32), whole[:500])
    again = Fingerprint.from_bytes(kept.to_bytes())
    assert again.frames == 9 and np.allclose(again.grids, kept.grids, atol=0.1)


# A whole set


@pytest.fixture(scope="module")
def drawn_set(tmp_path_factory: pytest.TempPathFactory) -> tuple[Elsewhere, Path]:
    """Clips with proxies from elsewhere, whatever happens to them."""
    folder = tmp_path_factory.mktemp("elsewhere")
    drawn = plan(41, 15, (192, 108))
    write_all(drawn, folder / "originals", folder / "proxies")
    (folder / "proxies" / "broken.mov").write_bytes(b"\0" * 5000)
    (folder / "proxies" / "empty.mp4").write_bytes(b"")
    return drawn, folder


def test_a_set_from_elsewhere_is_paired_proven_and_parted(drawn_set: tuple[Elsewhere, Path], tmp_path: Path) -> None:
    drawn, folder = drawn_set
    project = tmp_path / "film.otio"
    leave(folder / "originals", project)
    before = hashes(folder)
    status, answer, _said = here("pair", "--project", project, "--from", folder / "proxies", "--take", "certain")
    assert status == 0
    truth = {str(folder / "proxies" / one.name): one for one in drawn.proxies}
    right = 0
    for one in answer["pairs"]:
        made = truth[one["proxy"]]
        expected = None if made.of is None else str(folder / "originals" / drawn.originals[made.of].name)
        good = (one["original"], one["offset"]) == (expected, made.trim)
        assert good or one["verdict"] == "likely", one
        right += good
        assert one["evidence"] and all(isinstance(item["says"], str) for item in one["evidence"].values())
    assert right >= 0.97 * sum(1 for one in drawn.proxies if one.of is not None)
    left = {one["path"]: one["reason"] for one in answer["left_alone"]}
    assert {path for path, one in truth.items() if one.of is None} <= set(left)
    assert "empty" in left[str(folder / "proxies" / "empty.mp4")] and str(folder / "proxies" / "broken.mov") in left
    taken = [one for one in answer["pairs"] if one["taken"]]
    assert taken and hashes(folder) == before  # nothing is renamed or written
    _status, proofs, _said = here("prove", "--project", project)
    states = {one["proxy"]: (one["state"], one["reasons"]) for one in proofs["pairs"]}
    assert len(states) == len(taken)
    assert {state for state, _why in states.values()} <= {"proven", "cannot tell"}, states
    assert sum(state == "proven" for state, _why in states.values()) > 0.8 * len(states)
    proof = next(c for c in load_project(project).clips if c.proxies).proxies[0].proof
    assert proof is not None and proof.curve
    assert due(load_project(project))[0] == []  # all proofs hold
    gone = Path(taken[0]["proxy"])
    status, answer, _said = here("unpair", "--project", project, gone)
    assert status == 0 and [one["proxy"] for one in answer["unpaired"]] == [str(gone)] and gone.exists()
    assert sum(len(one.proxies) for one in load_project(project).clips) == len(taken) - 1


def test_a_project_cut_on_proxies_gets_its_originals_and_keeps_its_cuts(tmp_path: Path) -> None:
    takes = [clip(f"A{n:03d}.mov", take=n) for n in range(2)]
    for one in takes:
        write_original(one, tmp_path / "Drive")
        write_proxy(Derived(f"p_{one.name}", 0, trim=7, timecode=False), [one], tmp_path / "Laptop")
    project = tmp_path / "film.otio"
    leave(tmp_path / "Laptop", project)
    session = ProjectSession.open(project)
    first = session.project.clips[0]
    begun = session.project.with_timeline_settings_of(first)
    line = append(begun.timeline, first.piece(Fraction(10, 25), Fraction(30, 25)))
    session.edit("cut", lambda _before: begun.but(timeline=line))
    block = session.project.timeline.pictures[0].blocks[0]
    session.close()
    status, answer, _said = here("pair", "--project", project, "--from", tmp_path / "Drive", "--take", "certain")
    assert (
        status == 0 and {one["offset"] for one in answer["pairs"]} == {7} and all(o["taken"] for o in answer["pairs"])
    )
    after = load_project(project)
    assert [one.original.info.width for one in after.clips] == [192, 192]
    assert [one.proxies[0].offset for one in after.clips] == [7, 7]
    moved = after.timeline.pictures[0].blocks[0]
    assert moved.source_start == block.source_start + Fraction(7, 25) and moved.length == block.length


# Single pairs


def paired_film(tmp_path: Path, made: Derived) -> Path:
    project = drawn_film(tmp_path, [clip()])
    write_proxy(made, [clip()], tmp_path / "Laptop")
    status, answer, _said = here("pair", "--project", project, "--from", tmp_path / "Laptop", "--take", "likely")
    assert status == 0 and len(answer["pairs"]) == 1
    return project


def test_where_a_proxy_has_no_frame_the_original_shows(tmp_path: Path) -> None:
    project = load_project(paired_film(tmp_path, Derived("A001_p.mov", 0, trim=10, tail=12)))
    one = project.clips[0]
    showing = project.but(showing="proxies")

    def kind(frame: int) -> str:
        return choose(showing, one, Presence(), Fraction(frame, 25)).kind

    assert [kind(frame) for frame in (0, 9, 10, 59, 60, 71)] == [
        "original", "original", "proxy", "proxy", "original", "original",
    ]  # fmt: skip
    assert "no proxy of this part" in choose(showing, one, Presence(), Fraction(0)).mark


def test_a_changed_file_loses_its_proof(tmp_path: Path) -> None:
    project = paired_film(tmp_path, Derived("A001_p.mov", 0))
    assert here("prove", "--project", project)[1]["pairs"][0]["state"] == "proven"
    assert due(load_project(project))[0] == []
    write_proxy(Derived("A001_p.mov", 0, dropped=30), [clip()], tmp_path / "Laptop")
    assert len(due(load_project(project))[0]) == 1
    status, answer, _said = here("prove", "--project", project)
    assert status == 1 and answer["pairs"][0]["state"] == "doubtful"
    assert "early from" in answer["pairs"][0]["reasons"][0]


def test_missing_files_are_found_again_by_what_they_are(tmp_path: Path) -> None:
    project = drawn_film(tmp_path, [clip("A001.mov", 1), clip("A002.mov", 2), clip("A003.mov", 3)])
    home, away = tmp_path / "Boathouse", tmp_path / "Elsewhere"
    away.mkdir()
    (home / "A001.mov").rename(away / "moved and renamed.mov")
    (home / "A002.mov").rename(away / "A002.mov")
    data = (home / "A003.mov").read_bytes()
    (home / "A003.mov").unlink()
    (away / "A003.mov").write_bytes(data[:-1] + bytes([data[-1] ^ 1]))  # its name and size, other bytes
    before = load_project(project)
    lost = missing_files(before)
    assert [(one.part, one.shelf) for one in lost] == [("original", "Boathouse")] * 3
    with WorkerPool(1) as pool:
        found = find_again(lost, [away], pool)
    assert {one.path.name: one.verdict for one in found.found} == {
        "moved and renamed.mov": "certain", "A002.mov": "certain",
    }  # fmt: skip
    assert [one.clip.name for one in found.still] == ["A003"]
    assert any("the same xxh128" in finding.says for one in found.found for finding in one.findings)
    after = take_again(before, found.found, away)
    assert [one.clip.name for one in missing_files(after)] == ["A003"]


def test_proxies_are_made_at_any_time_and_only_own_ones_removed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("HOME", str(tmp_path))
    path = paired_film(tmp_path, Derived("A001_p.mov", 0))
    preset = Preset(name="Half", proxies=Proxies(scale=Fraction(1, 2), codec="h264", place="project", folder="made"))
    session = ProjectSession.open(path)
    asked = make_request(session.project, tmp_path, (session.project.clips[0].id,), preset)
    run = MakeRun(asked.to_json(), session, JobStore(), Machine())
    run.run()
    session.close()
    one = load_project(path).clips[0]
    assert run.problems == [] and [proxy.made for proxy in one.proxies] == [False, True]
    made = tmp_path / "made" / "A001.mov"
    assert probe(made).frames == 72
    removed = remove_files(load_project(path), [(one, proxy) for proxy in one.proxies])
    assert not made.exists() and (tmp_path / "Laptop" / "A001_p.mov").exists()
    assert len(removed.gone) == 1 and "not made by this project" in removed.kept[0]
    assert len(without(load_project(path).footage, removed).clips[0].proxies) == 1
    none = preset.model_copy(update={"proxies": None})
    assert "makes no proxies" in refusal(lambda: make_request(load_project(path), tmp_path, (), none))
    assert JobStore().open_jobs(path) == []


def test_a_file_that_a_person_chooses_is_joined_where_it_belongs(tmp_path: Path) -> None:
    project = load_project(drawn_film(tmp_path, [clip()]))
    made = write_proxy(Derived("whatever.mov", 0, trim=13, timecode=False, graded=1), [clip()], tmp_path / "mail")
    (tmp_path / "text.mov").write_text("not media")
    one = project.clips[0]
    with WorkerPool(1) as pool:
        offer = offer_by_hand(project, one, made, pool)
        itself = refusal(lambda: offer_by_hand(project, one, tmp_path / "Boathouse" / "A001.mov", pool))
        broken = refusal(lambda: offer_by_hand(project, one, tmp_path / "text.mov", pool))
    assert (offer.role, offer.offset, offer.verdict) == ("proxy", 13, "certain")
    assert "is the original itself" in itself and broken.startswith(str(tmp_path / "text.mov"))
    after = take(project, [offer], made.parent)
    assert [(proxy.offset, after.path(proxy.file)) for proxy in after.clips[0].proxies] == [(13, made)]


def test_what_cannot_be_done_is_said_in_one_sentence(tmp_path: Path) -> None:
    project = drawn_film(tmp_path, [clip()])
    status, _answer, said = here("pair", "--project", project, "--from", tmp_path / "nowhere")
    assert status == 1 and said.strip().splitlines()[-1].startswith(f"{tmp_path / 'nowhere'}: is not there.")
    assert here("pair", "--project", project, "--from", tmp_path, "--take", "all")[0] == 1
    assert here("unpair", "--project", project, tmp_path / "nothing.mov")[0] == 1
    (tmp_path / "text.mov").write_text("not media")
    assert here("compare", tmp_path / "text.mov", tmp_path / "Boathouse" / "A001.mov")[0] == 1
