"""From an original to its proxy: into a temporary file that is checked before it gets its name."""

from __future__ import annotations

import errno
import logging
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import av

from ..amounts import counted
from ..below import Folder, folder_below, nearest_anchor
from ..errors import MediaError, ProxyError, ShadowError, StateError, from_os_error
from ..files import fitting_name, flush, partial_path, shortened
from ..jobs import Report
from ..media import MediaInfo, probe, read_index
from ..media.opening import open_media
from ..media.sequence import status
from ..media.signature import has_signature, keep_signature
from ..media.whole import SAYS_NOTHING
from ..presets import codec_named
from .made import MadeFile, as_it_is, remember_made
from .pace import Pace
from .request import ProxyRequest, ProxyResult, is_such_proxy
from .sizes import proxy_pixels
from .stills import check_still, still_made_here, write_still
from .transcode import Transcode

log = logging.getLogger(__name__)
_Written = tuple[MediaInfo, MediaInfo, Pace | None]


def make_proxy(request: ProxyRequest, report: Report) -> ProxyResult:
    """Make one proxy: a task for a worker. Same frames, times, timecode and reel as the original, sound as asked.

    Never replaces a file: raises ProxyError when the target's name is taken, when no room is left, when the picture
    would be too small for the codec or the result is not frame for frame the original; MediaError for a bad original;
    FileExistsError when somebody else took the name meanwhile.
    """
    if os.path.lexists(request.target):
        raise ProxyError(
            "a file of that name is there already", request.target, "Move it away or choose another place."
        )
    request = replace(request, info=request.info or probe(request.original))
    _refuse(request)
    with _trouble(request):
        anchor = request.anchor or nearest_anchor(request.target.parent)
        with folder_below(anchor, request.target.parent, make=True) as folder:
            return _make(request, folder, report)


def _refuse(request: ProxyRequest) -> None:
    """Before a folder is made for it."""
    assert request.info is not None
    size_or_refusal(request, request.info)


@contextmanager
def _trouble(request: ProxyRequest) -> Iterator[None]:
    """What the libraries and the system raise becomes a ShadowError; FileExistsError stays."""
    try:
        yield
    except av.error.FFmpegError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise from_os_error(OSError(error.errno, error.strerror), request.target, ProxyError) from error
        raise ProxyError(
            f"no proxy could be made of it ({error.strerror})", request.original, "It may be damaged: check the file."
        ) from error
    except (ShadowError, FileExistsError):
        raise
    except OSError as error:
        raise from_os_error(error, request.target, ProxyError) from error


def _make(request: ProxyRequest, folder: Folder, report: Report) -> ProxyResult:
    """Into a temporary file in the target's folder; it gets its name while that is the folder it was."""
    partial = partial_path(request.target)
    try:
        original, info, pace = _unnamed(request, partial, report)
        return replace(_named(request, original, info, as_it_is(partial), folder), pace=pace)
    finally:
        folder.remove(partial.name)


def _unnamed(request: ProxyRequest, partial: Path, report: Report) -> _Written:
    """Written and checked, under its temporary name; of a codec that does not say so itself, also what is damaged."""
    original = request.info or probe(request.original)
    size = size_or_refusal(request, original)
    try:
        return _written(request, original, size, partial, report, strict=True)
    except (MediaError, ProxyError, av.error.FFmpegError) as error:
        full = isinstance(error, av.error.FFmpegError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
        if full or original.codec not in SAYS_NOTHING:
            raise
        original = replace(original, damage=original.damage or getattr(error, "damage", ""))
        return _written(request, original, size, partial, report, strict=False)


def _named(
    request: ProxyRequest, original: MediaInfo, info: MediaInfo, made: MadeFile, folder: Folder
) -> ProxyResult:
    """Give a finished file its name, and remember that it was made here."""
    partial, made = made.path, replace(made, path=request.target.absolute())
    if request.anchor is not None:
        _remember(made)
    folder.name_finally(partial.name, request.target.name)
    return ProxyResult(request.target, info, original, made)


def make_unnamed(request: ProxyRequest, partial: str, report: Report) -> ProxyResult:
    """Make a proxy that another machine will look at and name: it stays under its temporary name ``partial`` beside the
    target. ``anchor`` is needed. Raises as :func:`make_proxy`, and leaves nothing then."""
    assert request.anchor is not None
    anchor, request = request.anchor, replace(request, info=request.info or probe(request.original))
    _refuse(request)
    with _trouble(request), folder_below(anchor, request.target.parent, make=True) as folder:
        path, whole = request.target.with_name(partial), False
        try:
            original, info, _pace = _unnamed(request, path, report)
            made = as_it_is(path)
            whole = True
            return ProxyResult(path, info, original, made)
        finally:
            if not whole:
                folder.remove(partial)


def name_unnamed(request: ProxyRequest, partial: str, size: int, digest: str, damage: str) -> ProxyResult:
    """Look at a proxy that another machine made under the temporary name ``partial``, and name it: its bytes are read
    again here and must be those that were written (``size`` in bytes, ``digest`` xxh128), and it is compared with its
    original as any proxy is. ``damage``: what of the original was found damaged while it was decoded.

    Raises ProxyError for a file that is not there or is not that, else as :func:`make_proxy`; it stays then.
    """
    assert request.anchor is not None
    original = request.info or probe(request.original)
    original = replace(original, damage=original.damage or damage)
    with _trouble(request), folder_below(request.anchor, request.target.parent) as folder:
        path = request.target.with_name(partial)
        made = as_it_is(path)
        if (made.size, made.digest) != (size, digest):
            raise ProxyError("is not what the helper says it wrote", path, "Its shelf may be another one there.")
        info = check_still(path, size_or_refusal(request, original)) if original.kind == "still" else (
            _checked(path, request, original))  # fmt: skip
        if not is_such_proxy(info, request.settings) and original.kind != "still":
            raise ProxyError("was made with other settings", path, "Make it here.")
        return _named(request, original, info, made, folder)


class _Damaged(MediaError):
    """The original is damaged, ``damage`` says how, so that its proxy is not frame for frame the same."""

    damage = ""


def _written(
    request: ProxyRequest, original: MediaInfo, size: tuple[int, int], partial: Path, report: Report, strict: bool
) -> _Written:
    """Write a proxy and check it: what the original is, as decoding it showed, what the proxy is, and how fast the
    original decoded."""
    if original.kind == "still":
        write_still(request.original, size, partial)
        flush(partial)
        return original, check_still(partial, size), None
    before = status(request.original)
    request = replace(request, sign=request.sign and not has_signature(request.original))
    work = Transcode(request, original, size, partial, report, strict)
    work.run()
    flush(partial)
    if work.signature is not None:
        keep_signature(request.original, work.signature, *before)
    original = replace(original, damage=original.damage or work.damage)
    made = probe(partial) if request.part is not None else _checked(partial, request, original)
    return original, made, work.pace


def _checked(partial: Path, request: ProxyRequest, original: MediaInfo) -> MediaInfo:
    """A proxy that is not frame for frame its original because that is damaged: the original is what to look at."""
    try:
        return check_proxy(partial, request, original)
    except ProxyError as error:
        if not original.damage:
            raise
        text = f"no proxy could be made of it: it is damaged ({original.damage})"
        damaged = _Damaged(text, request.original, "Check the file.")
        damaged.damage = original.damage
        raise damaged from error


def _remember(made: MadeFile) -> None:
    """Before it has its name: what is remembered and never came to be does no harm, the other way round would."""
    try:
        remember_made(made)
    except StateError:  # then it is told to be a proxy by its contents, should it be removed
        log.warning("%s is not remembered as made here", made.path, exc_info=True)


Maker = Callable[[ProxyRequest, Report], ProxyResult]


def make_or_take_proxy(request: ProxyRequest, report: Report, make: Maker = make_proxy) -> ProxyResult:
    """Like :func:`make_proxy`, but a finished proxy of that kind that lies there already is checked and taken.

    A different file of that name is left alone and the new one gets a number: a task for a worker. ``make``: what makes
    it, or names what another machine made; raises FileExistsError where the name was taken meanwhile.
    """
    original = request.info or probe(request.original)
    request = replace(request, info=original)
    for number in range(1, 1000):
        stem = shortened(request.target.stem, 240) if number > 1 else request.target.stem
        stem = stem if number == 1 else f"{stem}_{number}"
        target = request.target.with_name(fitting_name(stem, request.target.suffix))
        if not os.path.lexists(target):
            try:
                return make(replace(request, target=target), report)
            except FileExistsError:  # somebody else was faster: theirs is looked at
                pass
        if target.is_symlink():
            continue
        if original.kind == "still":
            found = still_made_here(target, size_or_refusal(request, original))
            if found is not None:
                return ProxyResult(target, found, original)
            continue
        try:
            info = check_proxy(target, request, original)
        except ShadowError:
            continue
        if is_such_proxy(info, request.settings):
            return ProxyResult(target, info, original)
    raise ProxyError("no free name was found for it", request.target, "Choose another place.")


def size_or_refusal(request: ProxyRequest, original: MediaInfo) -> tuple[int, int]:
    """(width, height) in pixels of the proxy; raises ProxyError where there can be none."""
    if original.kind == "sound":
        raise ProxyError("is sound, so it gets no proxy", request.original, "Leave it as it is.")
    size = proxy_pixels(original, request.settings)
    if size is None:
        codec = codec_named(request.settings.codec)
        raise ProxyError(
            f"its {original.display_width} x {original.display_height} pixels are too few for {codec.label} "
            f"(from {codec.smallest[0]} x {codec.smallest[1]})",
            request.original,
            "Choose another codec for it, or cut on the original.",
        )
    return size


def check_proxy(proxy: Path, request: ProxyRequest, original: MediaInfo) -> MediaInfo:
    """Compare a proxy with its original by their data; returns what it is, raises ProxyError with the difference.

    Compared: number and times of frames, start timecode, reel, sound channels (where the preset keeps them).
    """
    with open_media(request.original, original.sequence_rate) as source, open_media(proxy) as made:
        first = read_index(request.original, source.streams.video[0])
        if not made.streams.video:
            raise MediaError("has no picture", proxy, "Make it again.")
        second = read_index(proxy, made.streams.video[0])
        if len(first) != len(second):
            has = f"has {counted(len(second), 'frame')} where its original has {len(first)}"
            raise ProxyError(has, proxy, "Make it again.")
        if not first.same_times(second):
            raise ProxyError("its frames are not at the times of its original's", proxy, "Make it again.")
    mine = probe(proxy)
    channels = sound_channels(request, original)
    for what, here, there in (
        ("start timecode", mine.start_timecode, original.start_timecode),
        ("reel", mine.reel, original.reel),
        ("sound channels", mine.audio_channels, channels),
    ):
        if here != there:
            raise ProxyError(f"has {what} {here} where it should have {there}", proxy, "Make it again.")
    return mine


def sound_channels(request: ProxyRequest, original: MediaInfo) -> int:
    """How many the proxy is to have."""
    wanted = {"all": original.audio_channels, "stereo": min(2, 2 * original.audio_channels), "none": 0}
    return wanted[request.settings.sound]
