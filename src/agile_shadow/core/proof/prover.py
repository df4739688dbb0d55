"""The proof of a pair: its data, its picture against the neighbouring frames too, and its sound."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from ..amounts import counted
from ..errors import ShadowError
from ..jobs import Report
from ..matching.alignment import NONE, fit_pictures
from ..matching.evidence import Traits, same_rate
from ..media import probe
from ..media.envelopes import Envelopes
from ..media.fingerprint import Grids, dense_grids, fingerprint, need_picture
from ..media.sequence import status
from ..media.signature import Signature, kept_signature
from ..pairs.half import Half
from ..pairs.pair import Proof, ProofState, Stamp
from ..time import frame_of, is_drop_frame, rate_label, timecode_at
from .colour import colours_wrong
from .every import Stray, places_of
from .hearing import listen
from .places import REACH, Seen, Verdict, judge, usual_shift
from .reading import Readings, read_places
from .signed import Signed, confirmed, read_signed, shown_beside
from .still import prove_still
from .throughout import Common, heard_throughout
from .witness import frames_wrong, gap_ends

_SURE = 5.0  # natural logarithm of the odds, for either half of the clip, that no other shift fits
_CLEAR, _CLEAR_IN_GRAIN = 20.0, 60.0  # the same, that there is a shift at all
_ANOTHER, _PARTLY = 0.5, 0.75  # correlation of what moves
_ANOTHER_VAGUE = 0.35  # the same where the proxy is packed so hard that parts of it show other frames
_OTHER_SET = 0.55  # correlation of what stands
_SHAPE_ROOM = 0.03
_FINE = 24  # places that are read again to find where a shift begins
_STEADY = 2  # frames that seem to show a neighbour, at most, of a proxy whose frames do not lag behind
_CONFIRMED = 4  # stray frames that are looked at in the original
_LONGEST = 20_000  # frames of a proxy that are laid over its original to find another offset
_HEAVY = 40e9  # pixels of an original whose frames are decoded for that


LETTERS_LEFT_OUT = "the letters burnt into its picture were left out"
_SISTERS = 4  # proofs beside which one can be said to stand out
_APART, _SPREADS = 0.03, 8.0  # likeness below theirs: at least, and times their usual distance from the middle


@dataclass(frozen=True)
class ProveRequest:
    """Two files and their offset: frames of the original before the proxy's first one. ``made``: the proxy was made
    here, so that the original's signature is enough where there is one."""

    original: Half
    proxy: Half
    offset: int = 0
    made: bool = False


@dataclass(frozen=True)
class CompareRequest:
    """Two files of which nothing is known; ``offset`` None: find it."""

    original: Path
    proxy: Path
    offset: int | None = None


def prove(request: ProveRequest, report: Report) -> Proof:
    """Check one pair: a task for a worker. Raises MediaError for a file that cannot be read, OSError."""
    stamp = stamp_of(request)
    if request.original.info.kind == "still":
        return prove_still(request.original, request.proxy, stamp)
    wrong, notes = _data(request)
    refused = not same_rate(*_traits(request)) and not request.original.info.variable_rate
    if refused:
        return Proof("refused", stamp, tuple(wrong), tuple(notes))
    signed = read_signed(request.original, request.proxy, request.offset, lambda part: report(part * 0.4))
    if signed is not None and request.made:
        readings = signed.readings()
    else:
        readings = read_places(request.original, request.proxy, request.offset, report=lambda part: report(part * 0.8))
    if not readings.seen:
        reason = "no frame of it is within its original"
        return Proof("refused", stamp, (reason,), tuple(notes), better_offset=_offset(request))
    picture = _look(request, readings, stamp)
    report(0.9)
    heard = _heard(request, None if signed is None else signed.signature.heard)
    wrong += frames_wrong(request.original, request.proxy, request.offset, lambda part: report(0.9 + part / 10))
    wrong += colours_wrong(readings.colours, request.proxy)
    if signed is not None and picture.state in ("proven", "cannot tell"):
        wrong += _strays(request, signed)
    reasons = [*picture.reasons, *wrong, *heard]
    state: ProofState = picture.state
    if state in ("proven", "cannot tell") and (wrong or heard):
        state = "doubtful"
    return replace(picture, state=state, reasons=tuple(reasons), notes=(*picture.notes, *notes))


def beside_sisters(proof: Proof, sisters: Sequence[float]) -> Proof:
    """A proof of a picture with letters burnt in, doubted where its likeness is far below that of ``sisters``, the
    likenesses of other such pairs whose proxies were made alike: letters may have spoken where the picture did not."""
    if proof.state != "proven" or LETTERS_LEFT_OUT not in proof.notes or len(sisters) < _SISTERS:
        return proof
    middle = float(np.median(sisters))
    spread = float(np.median(np.abs(np.array(sisters) - middle)))
    if proof.likeness >= middle - max(_APART, _SPREADS * spread):
        return proof
    reason = f"its likeness of {proof.likeness:.2f} is far below that of the clips beside it, {middle:.2f}"
    return replace(proof, state="doubtful", reasons=(*proof.reasons, reason))


def stamp_of(request: ProveRequest) -> Stamp:
    """What both files are now. Raises OSError."""
    return Stamp(*status(request.original.path), *status(request.proxy.path), request.offset)


def compare_files(request: CompareRequest, report: Report) -> tuple[Proof, int]:
    """The proof of two files and the offset it is for: a task for a worker. Raises MediaError."""
    first, second = (Half(path, probe(path)) for path in (request.original, request.proxy))
    for half in (first, second):
        need_picture(half.info, half.path)
    offset = request.offset
    if offset is None:
        offset = _timecode_offset(Traits.of("", first.info), Traits.of("", second.info)) or 0
    proof = prove(ProveRequest(first, second, offset), report)
    if request.offset is None and proof.better_offset is not None:
        offset = proof.better_offset
        proof = prove(ProveRequest(first, second, offset), report)
    return proof, offset


def _timecode_offset(first: Traits, second: Traits) -> int | None:
    if first.start is None or second.start is None or not same_rate(first, second):
        return None
    delta = second.start - first.start
    return delta if 0 <= delta < first.frames else None


# Data


def _traits(request: ProveRequest) -> tuple[Traits, Traits]:
    return Traits.of("", request.original.info), Traits.of("", request.proxy.info)


def _data(request: ProveRequest) -> tuple[list[str], list[str]]:
    """Sentences of what is wrong, and of what is only worth knowing."""
    original, proxy = _traits(request)
    wrong: list[str] = []
    notes: list[str] = []
    if not same_rate(original, proxy):
        rates = rate_label(proxy.info.frame_rate), rate_label(original.info.frame_rate)
        text = f"runs at {rates[0]} frames per second, its original at {rates[1]}"
        (notes if request.original.info.variable_rate else wrong).append(text)
        return wrong, notes
    left = original.frames - request.offset
    if request.offset > 0:
        notes.append(f"starts {frames_text(request.offset)} after its original")
    elif request.offset < 0:
        wrong.append(f"starts {frames_text(-request.offset)} before its original")
    if proxy.frames > left:
        wrong.append(f"is {frames_text(proxy.frames - left)} longer than its original")
    elif proxy.frames < left:
        notes.append(f"ends {frames_text(left - proxy.frames)} before its original")
    wrong.extend(_timecode(original, proxy, request.offset))
    mine, theirs = float(original.info.display_aspect), float(proxy.info.display_aspect)
    if mine and theirs and abs(theirs / mine - 1) > _SHAPE_ROOM:
        wrong.append(f"its aspect ratio is {theirs:.2f}, its original's {mine:.2f}")
    channels = original.info.audio_channels, proxy.info.audio_channels
    if channels[1] > channels[0]:
        wrong.append(f"has {channels[1]} sound channels where its original has {channels[0]}")
    elif channels[1] < channels[0]:
        notes.append(f"has {channels[1]} of its original's {channels[0]} sound channels")
    return wrong, notes


def frames_text(count: int) -> str:
    """``1 frame``, ``12 frames``."""
    return f"{count} frame" if count == 1 else f"{count} frames"


def _timecode(original: Traits, proxy: Traits, offset: int) -> list[str]:
    if original.start is None or proxy.start is None or proxy.start == original.start + offset:
        return []
    should = timecode_of(original, offset)
    return [f"its timecode starts at {proxy.info.start_timecode}, and should at {should}"]


def timecode_of(original: Traits, frame: int) -> str:
    """Timecode of a frame of an original; counted from zero where it has none."""
    info = original.info
    text = info.start_timecode or ""
    try:
        start = frame_of(text, info.frame_rate) if text else 0
    except ValueError:
        start = 0
    return timecode_at(start + frame, info.frame_rate, is_drop_frame(text))


# Picture


def _look(request: ProveRequest, readings: Readings, stamp: Stamp) -> Proof:
    verdict = judge(readings.seen)
    curve = tuple((frame, round(value, 4)) for frame, value in readings.curve)
    likeness = round(float(np.mean([value for _frame, value in curve])), 4) if curve else 0.0
    notes = (LETTERS_LEFT_OUT,) if verdict.burnt_in else ()
    plain = Proof("proven", stamp, notes=notes, likeness=likeness, curve=_thinned(curve))
    if _is_another(verdict):
        better = _offset(request)
        if better is not None:
            way = "later" if better > request.offset else "earlier"
            reason = f"its picture fits {frames_text(abs(better - request.offset))} {way} in its original"
            return replace(plain, state="doubtful", reasons=(reason,), better_offset=better)
        return replace(plain, state="refused", reasons=("shows another picture than its original",))
    if _is_shifted(verdict):
        return _shifted(request, readings, verdict, plain)
    told = min(verdict.sure) >= _SURE and not verdict.shifts.any()
    if NONE < verdict.moving < _PARTLY and not told and not verdict.vague:
        reason = f"its picture moves only partly like its original's (likeness {verdict.moving:.2f})"
        return replace(plain, state="doubtful", reasons=(reason,))
    if verdict.moving <= NONE or not told:
        what = "nothing in it moves enough" + (" besides what is burnt in" if verdict.burnt_in else "")
        if verdict.moving > NONE:
            what = "too little moves, or it is compressed too much"
        return replace(plain, state="cannot tell", notes=(f"the picture cannot tell one frame from the next: {what}",))
    return plain


def _thinned(curve: tuple[tuple[int, float], ...], most: int = 24) -> tuple[tuple[int, float], ...]:
    step = -(-len(curve) // most) or 1
    return curve[::step]


def _is_shifted(verdict: Verdict) -> bool:
    """Whether frames are not where they should be, clearly: where nothing but grain moves, more clearly still."""
    return bool(verdict.shifts.any()) and verdict.against >= (_CLEAR if verdict.moving > NONE else _CLEAR_IN_GRAIN)


def _is_another(verdict: Verdict) -> bool:
    if verdict.moving > NONE:
        return verdict.moving < (_ANOTHER_VAGUE if verdict.vague else _ANOTHER)
    return verdict.standing < _OTHER_SET


def _shifted(request: ProveRequest, readings: Readings, verdict: Verdict, plain: Proof) -> Proof:
    """The sentence about frames that are not where they should be."""
    shifts = verdict.shifts
    if (shifts == shifts[0]).all():
        better = request.offset + int(shifts[0])
        reason = f"{_ahead(int(shifts[0]))} all along; probably its offset should be {better}"
        return replace(plain, state="doubtful", reasons=(reason,), better_offset=better)
    at = int(np.flatnonzero(shifts)[0])
    frame = _begins(request, readings, verdict, at) if at else int(verdict.frames[0])
    where = timecode_of(Traits.of("", request.original.info), frame)
    shift = int(shifts[at])
    why = "a frame was left out" if shift > 0 else "a frame was doubled"
    if abs(shift) > 1:
        why = f"{counted(abs(shift), 'frame was', 'frames were')} {'left out' if shift > 0 else 'doubled'}"
    later = shifts[at:]
    back = np.flatnonzero(later != shift)
    until = " on"
    if len(back):
        until = f" to {timecode_of(Traits.of('', request.original.info), int(verdict.frames[at + back[0]]))}"
    return replace(plain, state="doubtful", reasons=(f"{_ahead(shift)} from {where}{until}; probably {why}",))


def _ahead(shift: int) -> str:
    return f"its picture is {frames_text(abs(shift))} {'early' if shift > 0 else 'late'}"


def _begins(request: ProveRequest, readings: Readings, verdict: Verdict, at: int) -> int:
    """The frame from which a shift is seen, looked for between two places; the later of them where it stays unclear."""
    low, high = int(verdict.frames[at - 1]), int(verdict.frames[at])
    if high - low < 2:
        return high
    try:
        between = readings.between(low, high)
    except ShadowError:
        return high
    around: list[Seen] = [*readings.seen[max(0, at - 3) : at], *between, *readings.seen[at : at + 3]]
    finer = judge(around)
    changed = [int(f) for f, s in zip(finer.frames, finer.shifts, strict=True) if s == verdict.shifts[at]]
    return changed[0] if changed else high


def _offset(request: ProveRequest) -> int | None:
    """Another offset at which the pictures fit, where one is found."""
    info = request.proxy.info
    original = request.original.info
    signature = kept_signature(request.original.path)
    if signature is not None and signature.frames != original.frames:
        signature = None
    heavy = original.width * original.height * min(original.frames, 400) > _HEAVY
    if info.frames > _LONGEST or (heavy and signature is None):
        return None
    prints = fingerprint(request.original.path, original) if signature is None else signature.fingerprint()
    grids = dense_grids(request.proxy.path, info, 0, _LONGEST)
    fit = fit_pictures(prints, grids)
    if fit is None or fit.moving < _PARTLY or fit.moving - fit.others < 0.05:
        return None
    exact = offset_by_signature(signature, grids, fit.offset) if signature is not None else None
    if exact is None or not exact[1]:
        exact = exact_offset(request.original, request.proxy, fit.offset)
    return exact[0] if exact is not None and exact[0] != request.offset else None


def exact_offset(original: Half, proxy: Half, offset: int) -> tuple[int, bool] | None:
    """The offset to the frame from one that is off by a few, and whether the picture tells it from its neighbours.

    None where the two have no frame in common. Raises MediaError.
    """
    return _settled(lambda at: read_places(original, proxy, at, _FINE).seen, offset)


def offset_by_signature(original: Signature, proxy: Grids, offset: int) -> tuple[int, bool] | None:
    """The same from what is kept of all frames of the original: neither file is read. ``proxy``: float32 (frames, HIGH,
    WIDE), all of its frames."""
    grids = original.grids()
    return _settled(lambda at: places_of(grids, proxy, at), offset)


def _settled(places: Callable[[int], Sequence[Seen]], offset: int) -> tuple[int, bool] | None:
    for _try in range(4):
        seen = places(offset)
        if not seen:
            return None
        shift, lead = usual_shift(seen)
        if shift == 0:
            return offset, lead >= _SURE
        offset += shift
    return offset, False


def _strays(request: ProveRequest, signed: Signed) -> list[str]:
    """A sentence about single frames that show another picture, where looking at the original itself confirms it."""
    halves, found = (request.original, request.proxy), signed.strays(request.made)
    tried = sorted(found, key=lambda stray: -stray.weight)[:_CONFIRMED]
    neighbours = [stray for stray in found if stray.shift is not None and abs(stray.shift) <= REACH]
    steady = not request.made and len(neighbours) <= _STEADY
    looked_at = [confirmed(*halves, request.offset, stray, signed.intra, request.made, steady) for stray in tried]
    sure = [stray for stray in looked_at if stray is not None]
    if not sure:
        sure = _standing(request, signed)
    if not sure:
        return []
    every = [stray for stray in found if not stray.weak] if len(sure) * 2 > len(tried) else []
    every = max(every, sure, key=len)
    sure.sort(key=lambda stray: stray.frame)
    where = timecode_of(Traits.of("", request.original.info), sure[0].frame)
    if len(every) > 1:
        return [f"at {counted(len(every), 'frame')} it shows another picture than its original, first at {where}"]
    if sure[0].shift is None:
        return [f"at {where} it shows another picture than its original"]
    way = "earlier" if sure[0].shift < 0 else "later"
    return [f"at {where} it shows the picture of {frames_text(abs(sure[0].shift))} {way}"]


def _standing(request: ProveRequest, signed: Signed) -> list[Stray]:
    """A frame that shows the one beside it, of those where the proxy stands still."""
    for frame in signed.standing(request.made):
        found = shown_beside(request.original, request.proxy, request.offset, frame, request.made)
        if found is not None:
            return [found]
    return []


# Sound


def _heard(request: ProveRequest, kept: Envelopes | None) -> tuple[str, ...]:
    """``kept``: how loud the original is all along, where that is known."""
    original, proxy = request.original, request.proxy
    if not original.info.audio or not proxy.info.audio or not original.info.frame_rate:
        return ()
    rate = original.info.frame_rate
    lead = max(0, request.offset) / rate
    seconds = min(original.info.duration - lead, proxy.info.duration)
    if seconds < Fraction(1, 4):
        return ()
    gaps = [at - float(lead) for at in gap_ends(original)]
    heard = listen(original.path, proxy.path, lead, seconds, float(1 / rate), gaps)
    if kept is None or (heard is not None and heard.wrong):
        return heard.wrong if heard is not None else ()
    late = heard.late if heard is not None and heard.late is not None else 0.0
    common = Common(lead, seconds, float(1 / rate), late)
    traits = Traits.of("", original.info)
    return heard_throughout(
        original.path, proxy.path, kept, common, lambda at: timecode_of(traits, int(at * float(rate)))
    )
