"""One kind through the whole program: copy, probe, player, sound, every proxy, proof, poster, headroom, film."""

from __future__ import annotations

import random
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.estimates.headroom import HeadroomRequest, measure_headroom
from agile_shadow.core.film import make_film, plain_film
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import MediaInfo, SoundReader, open_reader, to_bgra
from agile_shadow.core.media.poster import poster
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.presets import CODECS, Preset, Proxies, Takes
from agile_shadow.core.project import Clip, Project, ProjectSession, load_project
from agile_shadow.core.project.report import IngestReport
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.core.proxies.sizes import proxy_pixels
from agile_shadow.core.timeline import append

from .drawing import draw, frame_of
from .judging import away, clicks_in, command_counts, number_in, off_colour, patches_in, see
from .kinds import Kind

COLUMNS = (
    "copy",
    "frames",
    "times",
    "timecode",
    "shape",
    "colour",
    "sound",
    "proxies",
    "proof",
    "poster",
    "headroom",
    "film",
)
_COLOUR = 2.0  # of 255, in the mean
_COLOUR_OF_SMALL = 6.0  # the same where a patch is a few pixels wide and packing smears it
_SMALL = 300  # pixels
_STEP = 1.0  # milliseconds
_PACKED = 1.6  # the same where sound is packed in frames without samples of their own
_TICK = 0.0012  # seconds


def quiet(done: float) -> None:
    """Nobody listens."""


@dataclass
class Row:
    """What was found of a kind, by column: "right", "-" where it does not apply, or what is wrong."""

    kind: Kind
    cells: dict[str, str] = field(default_factory=dict)
    said: str = ""

    @property
    def is_right(self) -> bool:
        """Whether nothing is wrong."""
        return all(text in ("right", "-") for text in self.cells.values())


def settings(codec: str = "h264") -> Proxies:
    """Half the size, all sound."""
    return Proxies(codec=codec, scale=Fraction(1, 2))  # type: ignore[arg-type]


def draw_kind(kind: Kind, folder: Path, number: int) -> Path:
    """Draw it into a folder; for a sequence its first file."""
    if kind.sequence is not None:
        return _draw_sequence(kind, folder, number)
    path = draw(kind.how, folder / f"K{number:03d}x")
    for step in kind.steps:
        path = step(path)
    return path


def _draw_sequence(kind: Kind, folder: Path, number: int) -> Path:
    first, digits = kind.sequence or (1, 4)
    below = folder / f"Sequence {number:03d}"
    below.mkdir()
    for k in range(kind.how.frames):
        context = av.CodecContext.create(kind.how.codec, "w")
        context.width, context.height, context.pix_fmt = kind.how.width, kind.how.height, kind.how.pixels
        context.time_base = Fraction(1, 25)
        if kind.how.codec == "mjpeg":
            context.options = {"q": "2"}
            context.color_range = 2
        frame = frame_of(k, kind.how)
        frame.pts = 0
        data = b"".join(bytes(packet) for packet in (*context.encode(frame), *context.encode(None)))
        (below / f"frame_{first + k:0{digits}d}.{kind.how.ending}").write_bytes(data)
    return below / f"frame_{first:0{digits}d}.{kind.how.ending}"


def go_through(some: list[tuple[int, Kind]], folder: Path, every_codec: bool = True) -> list[Row]:
    """Draw some kinds, ingest them together, and look at what came of each."""
    card = folder / "Card"
    card.mkdir(parents=True)
    rows, places = [], {}
    for number, kind in some:
        row = Row(kind)
        rows.append(row)
        try:
            places[kind.name] = draw_kind(kind, card, number)
        except Exception as error:  # the table says it
            row.said = f"could not be drawn: {error}"
            row.cells["copy"] = row.said
    preset = Preset(name="Zoo", proxies=settings(), takes=Takes(stills=True))
    session = ProjectSession.open(folder / "zoo.otio")
    try:
        report = IngestRun(
            IngestRequest(card, folder / "Originals", folder / "Proxies", preset), session, JobStore()
        ).run()
    finally:
        session.close()
    project = load_project(folder / "zoo.otio")
    for row in rows:
        if row.kind.name in places:
            try:
                _Visit(row, places[row.kind.name], card, report, project, folder, every_codec).go()
            except Exception as error:  # one kind's trouble is a row of the table
                row.cells["copy"] = f"{type(error).__name__}: {error}"[:200]
    return rows


class _Visit:
    """One kind, after the ingest."""

    def __init__(
        self, row: Row, place: Path, card: Path, report: IngestReport, project: Project, folder: Path, every_codec: bool
    ) -> None:
        self._row, self._kind, self._place, self._report, self._project = row, row.kind, place, report, project
        self._folder, self._every = folder, every_codec
        below = place.relative_to(card).as_posix()
        if self._kind.sequence is not None:
            digits = self._kind.sequence[1]
            below = str(Path(below).with_name(f"frame_%0{digits}d.{self._kind.how.ending}"))
        self._below = below
        self._source = card / below

    def go(self) -> None:
        fate, cells = self._kind.fate, self._row.cells
        problems = [one.reason for one in self._report.failed if one.path == self._below]
        self._row.said = problems[0] if problems else ""
        clip = next((one for one in self._project.clips if one.source == str(self._source)), None)
        if fate == "refused":
            cells["copy"] = "right" if problems and clip is None else "was not refused"
            return
        if clip is None:
            cells["copy"] = f"no clip: {self._row.said}"
            return
        if fate == "damaged":
            cells["copy"] = "right" if problems and "damage" in problems[0] else f"damage not told: {problems}"
            cells["proof"] = self._proof(clip)
            return
        cells["copy"] = self._copied(clip, problems)
        for column, look in (
            ("frames", self._frames),
            ("times", self._times),
            ("timecode", self._timecode),
            ("shape", self._shape),
            ("colour", self._colour),
            ("sound", self._sound),
            ("proxies", self._proxies),
            ("proof", self._proof),
            ("poster", self._poster),
            ("headroom", self._headroom),
            ("film", self._film),
        ):
            cells[column] = _answer(look, clip)

    def _path(self, clip: Clip) -> Path:
        path = self._project.path(clip.original.file)
        assert path is not None
        return path

    def _copied(self, clip: Clip, problems: list[str]) -> str:
        if problems:
            return f"needs you: {problems[0]}"
        row = next((one for one in self._report.rows if one.path == self._below), None)
        if row is None:
            return "no row in the report"
        if self._kind.sequence is None and self._path(clip).read_bytes() != self._place.read_bytes():
            return "the copy differs"
        small = proxy_pixels(clip.original.info, settings()) is None
        return "right" if row.state == ("no proxy needed on this machine" if small else "paired") else row.state

    def _frames(self, clip: Clip) -> str:
        info, numbers = clip.original.info, list(self._kind.numbers)
        if info.frames != len(numbers):
            return f"{info.frames} instead of {len(numbers)}"
        reader = open_reader(self._path(clip), info.interlaced, info.sequence_rate)
        try:
            rng = random.Random(5)
            order = [*range(len(numbers)), *(rng.randrange(len(numbers)) for _ in range(12))]
            wrong = [k for k in order if number_in(_grey(reader.frame(k), info)) != numbers[k]]
        finally:
            reader.close()
        return f"wrong pictures at {wrong[:5]}" if wrong else "right"

    def _times(self, clip: Clip) -> str:
        info = clip.original.info
        reader = open_reader(self._path(clip), info.interlaced, info.sequence_rate)
        try:
            times = [float(reader.index.seconds(k)) for k in range(len(reader.index))]
        finally:
            reader.close()
        off = np.abs(np.array(times) - np.array(self._expected_times()))
        return "right" if off.max() <= _TICK else f"off by {off.max() * 1000:.1f} ms"

    def _expected_times(self) -> list[float]:
        if self._kind.shown is not None:
            return [k / float(self._kind.how.rate) for k in range(len(self._kind.shown))]
        return [float(one + (self._kind.late if one else 0)) for one in self._kind.how.seconds]

    def _timecode(self, clip: Clip) -> str:
        wanted, said = self._kind.first or self._kind.how.timecode, clip.original.info.start_timecode
        if wanted is None:
            return "-"
        return "right" if said == wanted else f"{said} instead of {wanted}"

    def _aspect(self) -> float:
        how = self._kind.how
        aspect = how.width * float(how.aspect) / how.height
        return 1 / aspect if self._kind.turn % 180 else aspect

    def _shape(self, clip: Clip) -> str:
        off = float(clip.original.info.display_aspect) / self._aspect() - 1
        return "right" if abs(off) < 0.002 else f"off by {off:.1%}"

    def _colour(self, clip: Clip) -> str:
        info = clip.original.info
        reader = open_reader(self._path(clip), info.interlaced, info.sequence_rate)
        try:
            shown = to_bgra(reader.frame(3), info.display_width, info.display_height)[..., 2::-1]
        finally:
            reader.close()
        off = off_colour(patches_in(shown))
        return "right" if off <= self._colour_room else f"off by {off:.1f}"

    @property
    def _colour_room(self) -> float:
        return _COLOUR if self._kind.how.width >= _SMALL else _COLOUR_OF_SMALL

    @property
    def _room(self) -> float:
        plain = all(voice.codec.startswith(("pcm", "flac", "alac")) for voice in self._kind.how.voices)
        return _STEP if plain else _PACKED

    def _sound(self, clip: Clip) -> str:
        if not self._kind.how.voices:
            return "-"
        reader = SoundReader(self._path(clip))
        try:
            whole = reader.read(0, 48_000 * 5)
            after = reader.read(48_000 // 2, 48_000)
        finally:
            reader.close()
        off = away(np.abs(whole).max(axis=1), 48_000, self._kind.heard)
        later = tuple(at - 0.5 for at in self._kind.heard if 0.55 < at < 1.45)
        off += away(np.abs(after).max(axis=1), 48_000, later) if later else []
        worst = max(map(abs, off), default=0.0)
        return "right" if worst <= self._room else f"off by {worst:.1f} ms"

    def _proxies(self, clip: Clip) -> str:
        wrong = []
        for codec in [one.name for one in CODECS] if self._every else ["h264", "dnxhr-lb"]:
            if proxy_pixels(clip.original.info, settings(codec)) is None:
                continue
            target = self._folder / "trial" / "proxy.mov"
            target.unlink(missing_ok=True)
            try:
                make_proxy(ProxyRequest(self._path(clip), target, settings(codec), clip.original.info), quiet)
                wrong += [f"{codec}: {text}" for text in self._judged(target, codec)]
            except ShadowError as error:
                wrong.append(f"{codec}: {error}")
        return "; ".join(wrong)[:300] or "right"

    def _judged(self, path: Path, codec: str) -> list[str]:
        seen, wrong = see(path), []
        if seen.numbers != self._kind.numbers:
            wrong.append(f"{len(seen.numbers)} frames, or others than {len(self._kind.numbers)}")
        elif np.abs(np.array(seen.times) - np.array(self._expected_times())).max() > _TICK:
            wrong.append("other times")
        for where, colours in (("container", seen.by_container), ("stream", seen.by_stream)):
            if off_colour(colours) > self._colour_room + (0.5 if codec == "mjpeg" else 0.0):
                wrong.append(f"colours by {where} off by {off_colour(colours):.1f}")
        if abs(seen.aspect / self._aspect() - 1) > 0.006:
            wrong.append(f"shape off by {seen.aspect / self._aspect() - 1:.1%}")
        wanted = self._kind.first or self._kind.how.timecode
        if wanted is not None and seen.timecode != wanted:
            wrong.append(f"timecode {seen.timecode}")
        if self._kind.how.voices:
            worst = max(map(abs, clicks_in(path, self._kind.heard)), default=0.0)
            if worst > self._room:
                wrong.append(f"sound off by {worst:.1f} ms")
        counted = command_counts(path) if codec == "h264" else None
        if counted is not None and counted != len(self._kind.numbers):
            wrong.append(f"the command counts {counted}")
        return wrong

    def _proof(self, clip: Clip) -> str:
        if not clip.proxies:
            return "-"
        proxy = clip.proxies[-1]
        path = self._project.path(proxy.file)
        assert path is not None
        found = prove(ProveRequest(Half(self._path(clip), clip.original.info), Half(path, proxy.info)), quiet)
        if self._kind.fate == "damaged":
            return "right" if found.state in ("doubtful", "refused") else f"{found.state} though damaged"
        return (
            "right" if found.state == "proven" else f"{found.state}: {'; '.join((*found.reasons, *found.notes))}"[:160]
        )

    def _poster(self, clip: Clip) -> str:
        made = poster(self._path(clip), clip.original.info.sequence_rate)
        target = self._folder / "trial" / "poster.jpg"
        target.parent.mkdir(exist_ok=True)
        target.write_bytes(made)
        with av.open(str(target)) as container:
            frame = next(container.decode(video=0))
        off = frame.width / frame.height / self._aspect() - 1
        return "right" if abs(off) < 0.03 else f"shape off by {off:.1%}"

    def _headroom(self, clip: Clip) -> str:
        info: MediaInfo = clip.original.info
        found = measure_headroom(HeadroomRequest(self._path(clip), info, 0.2), quiet)
        return "right" if found.ratio > 0 else "none"

    def _film(self, clip: Clip) -> str:
        count = min(12, clip.original.info.frames)
        project = self._project.with_timeline_settings_of(clip)
        line = append(project.timeline, clip.piece(Fraction(0), Fraction(count) / clip.original.info.frame_rate))
        out = self._folder / "trial" / "film.mp4"
        out.unlink(missing_ok=True)
        make_film(plain_film(project.but(timeline=line), out), quiet)
        seen = see(out)
        wrong = []
        if not clip.original.info.variable_rate and seen.numbers != self._kind.numbers[: len(seen.numbers)]:
            wrong.append(f"shows {seen.numbers[:6]}")
        if off_colour(seen.by_container) > self._colour_room:
            wrong.append(f"colours off by {off_colour(seen.by_container):.1f}")
        return "; ".join(wrong) or "right"


def _grey(frame: av.VideoFrame, info: MediaInfo) -> np.ndarray:
    turn = (-frame.rotation % 360) // 90
    return np.rot90(frame.reformat(format="gray").to_ndarray(), -turn)


def _answer(look: Callable[[Clip], str], clip: Clip) -> str:
    try:
        return look(clip)
    except Exception as error:  # a column of the table
        with suppress(Exception):
            return f"{type(error).__name__}: {error}"[:200]
        return type(error).__name__
