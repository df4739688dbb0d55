"""A stretch of a timeline drawn once into a throw-away file that plays easily, used until something in it changes."""

from __future__ import annotations

import hashlib
import re
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
from av.video.frame import VideoFrame
from av.video.reformatter import Colorspace
from av.video.stream import VideoStream

from ..below import folder_below
from ..compositing import Composite, Compositor, Step, Window, picture_steps
from ..errors import MediaError, ShadowError, from_os_error
from ..files import flush, partial_path
from ..jobs import Report
from ..media import probe, proxy_size
from ..pairs import FileRef
from ..project import Bake, Project
from ..proxies import as_it_is, remember_made, remembered_made
from ..shelves import Shelf, open_root
from ..switch import Presence, choose
from ..timeline import Block, Timeline, Track, new_id

_NOTHING_NEW = ", move=None, keep_pitch=False"  # younger than the first bakes, which stay good
_PLAIN_TITLE = ", colour='#faf6ec', edge='outline', align='as the position', roll=False"
_WIDEST = 1280  # pixels
_NAME = re.compile(r"baked [0-9a-f]{12}\.mov")
_LEAST = (256, 120)  # pixels that the codec holds


@dataclass(frozen=True)
class BakeRequest:
    """Draw frames ``start`` to before ``end`` of the project's open timeline to ``file``, as switch and pins say."""

    project: Project
    start: int
    end: int
    file: FileRef

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the baked picture: the frame's, at most 1280 wide."""
        return baked_size(self.project.timeline)


def baked_size(line: Timeline) -> tuple[int, int]:
    """Width and height at which a timeline is baked."""
    scale = min(Fraction(1), Fraction(_WIDEST, max(1, line.width)))
    wide, high = proxy_size(line.width, line.height, scale)
    return max(wide, _LEAST[0]), max(high, _LEAST[1])


def bake_bytes(line: Timeline, frames: int) -> int:
    """Bytes of a baked file of so many frames: the codec fixes them by the picture's size."""
    from ..estimates.weights import fixed_frame_bytes  # loads what makes proxies, which playing does not need

    return frames * (fixed_frame_bytes("dnxhr-sq", *baked_size(line)) or 0)


def bakes_on_disk(project: Project) -> int:
    """Bytes of all baked files of a project, of every timeline and however old. Touches its drives."""
    found = 0
    for one in project.bakes:
        path = project.place_or_none(one.file)
        with suppress(OSError):
            found += path.stat().st_size if path is not None else 0
    return found


def bake(request: BakeRequest, report: Report) -> Path:
    """Draw and write: a task for a worker. The file gets its name when it is whole; one that lies there already, whole
    and made here, is taken as it is. Raises MediaError, and ShelfError for a place that leaves its shelf."""
    out = request.project.path(request.file)
    if out is None:
        raise MediaError("has no scratch shelf to go to", request.file.path, "Bake it again.")
    shelf = request.project.shelf(request.file.shelf)
    assert shelf is not None
    if _lies_there(out, request.end - request.start):
        return out
    partial = partial_path(out)
    try:
        with folder_below(open_root(shelf.root, request.project.shelves), out.parent, make=True) as folder:
            with av.open(str(partial), "w", format="mov") as container:
                _write(request, container, report)
            flush(partial)
            if probe(partial).frames != request.end - request.start:
                raise MediaError("came out with another number of frames", out, "Bake it again.")
            remember_made(replace(as_it_is(partial), path=out.absolute()))
            folder.name_finally(partial.name, out.name)
    except av.error.FFmpegError as error:
        raise MediaError(f"could not be baked ({error.strerror})", out, "Retry.") from error
    except OSError as error:
        raise from_os_error(error, out, MediaError) from error
    finally:
        with suppress(OSError):  # its folder may be none, or gone
            partial.unlink(missing_ok=True)
    return out


def _lies_there(out: Path, frames: int) -> bool:
    """Whether an earlier try came to its end, and only nobody heard of it."""
    try:
        made = remembered_made(out)
        return made is not None and made.is_at(as_it_is(out)) and probe(out).frames == frames
    except (OSError, ShadowError):
        return False


def _write(request: BakeRequest, container: av.container.OutputContainer, report: Report) -> None:
    line = request.project.timeline
    video = container.add_stream("dnxhd", rate=line.rate, options={"profile": "dnxhr_sq"})
    assert isinstance(video, VideoStream)
    video.width, video.height = request.size
    video.pix_fmt = "yuv422p"
    context = video.codec_context
    context.color_primaries = context.color_trc = context.colorspace = context.color_range = 1
    compositor = Compositor(Presence())
    aspect = Fraction(line.width, line.height)
    try:
        for number in range(request.start, request.end):
            steps = picture_steps(line, number)
            drawn = compositor.picture(request.project, steps, aspect, Window.all_of(request.size))
            _refuse_stand_ins(request.project, steps, drawn)
            frame = VideoFrame.from_ndarray(drawn.pixels, format="bgra")
            frame = frame.reformat(format="yuv422p", dst_colorspace=Colorspace.ITU709)
            frame.pts = number - request.start
            frame.time_base = 1 / line.rate
            container.mux(video.encode(frame))
            report((number + 1 - request.start) / (request.end - request.start))
        container.mux(video.encode(None))
    finally:
        compositor.close()


def _refuse_stand_ins(project: Project, steps: tuple[Step, ...], drawn: Composite) -> None:
    """A picture that was drawn without a file, or from another, would count as fresh when the file is back."""
    moments = {layer.block.id: layer.seconds for step in steps for layer in step}
    for one in drawn.shown:
        wanted = choose(project, one.choice.clip, Presence(), moments[one.block.id], one.block)
        if one.problem or one.choice.path is None or one.choice.file != wanted.file:
            reason = one.problem.rstrip(".") or "is missing"
            raise MediaError(f"cannot be shown ({reason})", wanted.path, "Connect its drive, and bake again.")


def stretch_digest(project: Project, start: int, end: int) -> str:
    """What a stretch of the open timeline is drawn from: another text as soon as anything in it changes."""
    line = project.timeline
    parts: list[object] = [line.rate, line.width, line.height, end - start]
    parts += [line.shape] if line.shape != "fit" else []
    for track in line.tracks:
        if track.kind == "picture" and not track.off:
            parts.append([_block_part(project, block, start) for block in _concerned(track, start, end)])
    return hashlib.sha1(repr(parts).replace(_NOTHING_NEW, "").replace(_PLAIN_TITLE, "").encode()).hexdigest()


def _concerned(track: Track, start: int, end: int) -> list[Block]:
    """Blocks that show in a stretch, those included that dissolve into it or out of it."""
    inside = list(track.between(start, end))
    if inside:
        before, after = track.before(inside[0]), track.after(inside[-1])
        if before is not None and inside[0].dissolve is not None:
            inside.insert(0, before)
        if after is not None and after.dissolve is not None:
            inside.append(after)
    return inside


def _block_part(project: Project, block: Block, start: int) -> object:
    clip = project.clip(block.clip)
    files = None
    if clip is not None:
        files = (project.side_of(clip, block), clip.original.file, clip.original.size, clip.original.modified,
                 [(proxy.file, proxy.size, proxy.offset) for proxy in clip.proxies])  # fmt: skip
    same = replace(block, id="", link="", start=block.start - start)
    return same, files


@dataclass(frozen=True)
class Baked:
    """A baked stretch that may be played: frames ``start`` to before ``end`` of the timeline lie in ``path``."""

    start: int
    end: int
    path: Path


@dataclass(frozen=True)
class BakeState:
    """A bake of the open timeline. ``fresh``: nothing in it changed; ``used``: it is what plays now."""

    bake: Bake
    fresh: bool
    used: bool


def bake_states(project: Project) -> tuple[BakeState, ...]:
    """All bakes of the open timeline."""
    states = []
    for one in project.bakes:
        if one.timeline == project.timeline.id:
            digest = stretch_digest(project.but(showing=one.side), one.start, one.end)
            fresh = digest == one.digest
            states.append(BakeState(one, fresh, fresh and one.side == project.showing))
    return tuple(states)


def baked_now(project: Project) -> tuple[Baked, ...]:
    """The stretches of the open timeline that play from baked files."""
    found = []
    for state in bake_states(project):
        path = project.place_or_none(state.bake.file) if state.used else None
        if path is not None:
            found.append(Baked(state.bake.start, state.bake.end, path))
    return tuple(found)


def planned_bake(project: Project, start: int, end: int, shelf: Shelf) -> Bake:
    """The bake of a stretch of the open timeline as the switch stands, to a file of its own on a shelf."""
    file = FileRef(shelf.id, f"baked {new_id()}.mov")
    return Bake(project.timeline.id, start, end, project.showing, stretch_digest(project, start, end), file)


def remove_bake_file(project: Project, one: Bake) -> None:
    """Remove a bake's file; nothing but a file of such a name on a scratch shelf that is no clip's. Raises OSError."""
    shelf, path = project.shelf(one.file.shelf), project.path(one.file)
    footage = any(one.file in (clip.original.file, *(proxy.file for proxy in clip.proxies)) for clip in project.clips)
    if shelf is None or path is None or shelf.role != "scratch" or footage or not _NAME.fullmatch(path.name):
        return
    made = remembered_made(path)
    with suppress(FileNotFoundError):
        if made is not None and made.is_at(as_it_is(path)):  # what a project file says of it is not enough
            path.unlink()
