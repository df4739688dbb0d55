"""The certificate of a film: what it was made from, how, and what the proof found; as JSON and as a page."""

from __future__ import annotations

import json
import os
import stat
import time
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from html import escape
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..below import open_ordinary
from ..errors import ExportError, from_os_error
from ..files import written_atomically
from ..hashing import checksum_of
from ..media.sequence import members
from ..pages import html_page, html_table
from ..project import Clip
from ..strict import Line, Name, PathText, read_json
from ..time import clock_text, rate_label
from .loudness import Loudness
from .proof import FilmProof
from .request import FilmRequest
from .settings import describes_film

SCHEMA = "agile-shadow film certificate"
CHECKSUM = "xxh128"
_LARGEST = 64 << 20  # bytes
_Many = Annotated[int, Field(ge=0, le=10**10)]


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Use(_Model):
    """Frames ``film`` (first and last, from 0) of the film show seconds ``source`` (at the first and last of them) of
    the original."""

    track: Name
    film: tuple[_Many, _Many]
    source: tuple[float, float]
    speed: float


class MadeFrom(_Model):
    """One original, as it was ingested and looked at again before the film."""

    clip: Name
    path: PathText
    size: _Many
    checksum: Name
    checksum_value: Name
    uses: tuple[Use, ...]


class Certificate(_Model):
    """``film_checksum``: of the film's bytes; ``numbers``: of the proof; a draft says so in ``draft``."""

    schema_name: Literal["agile-shadow film certificate"] = Field(
        "agile-shadow film certificate", alias="schema"
    )
    version: Literal[1] = 1
    film: Name
    film_size: _Many
    checksum: Name = CHECKSUM
    film_checksum: Name
    made: Name
    project: Name
    timeline: Name
    draft: bool
    settings: dict[str, Any]
    described: Line
    frames: _Many
    rate: Name
    timecode: Name
    seconds: float
    originals: tuple[MadeFrom, ...]
    numbers: dict[str, float]
    loudness: dict[str, float] | None
    notes: tuple[Line, ...] = ()

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False)


def certificate_path(film: Path) -> Path:
    """Where the certificate of a film lies: beside it."""
    return film.with_name(f"{film.name}.certificate.json")


def page_path(film: Path) -> Path:
    """Where the same lies as a page."""
    return film.with_name(f"{film.name}.certificate.html")


def film_files(film: Path) -> list[Path]:
    """The files of a film: itself, or all pictures of a folder."""
    return sorted(path for path in film.iterdir() if path.is_file()) if film.is_dir() else [film]


def certify(
    request: FilmRequest, film: Path, proof: FilmProof, loudness: Loudness | None, notes: tuple[str, ...]
) -> Certificate:
    """The certificate of a film that was proven and lies whole at ``film``. Raises OSError."""
    files = film_files(film)
    numbers = {
        "frames_compared": proof.frames, "largest_difference": round(proof.apart, 3), "places_drawn_anew": proof.places,
        "least_likeness": round(proof.likeness, 4), "sound_off_ms": round(proof.sound_off, 2),
    }  # fmt: skip
    return Certificate(
        film=request.out.name,
        film_size=sum(path.stat().st_size for path in files),
        film_checksum=checksum_of(files, CHECKSUM),
        made=time.strftime("%Y-%m-%d %H:%M:%S"),
        project=request.project.name,
        timeline=request.line.name,
        draft=request.draft,
        settings=request.settings.to_json(),
        described=describes_film(request.settings),
        frames=request.count,
        rate=f"{request.rate.numerator}/{request.rate.denominator}",
        timecode=request.timecode(0),
        seconds=float(request.seconds),
        originals=originals_of(request),
        numbers=numbers,
        loudness=loudness.to_json() if loudness is not None else None,
        notes=notes,
    )


def originals_of(request: FilmRequest) -> tuple[MadeFrom, ...]:
    """Each original that the stretch uses, and where."""
    uses: dict[str, list[Use]] = {}
    line = request.line
    for track in line.tracks:
        for block in track.blocks if not track.off else ():
            start, end = max(block.start, request.first), min(block.end, request.last)
            if block.title is not None or start >= end:
                continue
            film = tuple(
                min(request.count - 1, int((frame - request.first) / line.rate * request.rate))
                for frame in (start, end - 1)
            )
            source = tuple(float(block.moment(frame, line.rate)) for frame in (start, end - 1))
            use = Use(track=track.name, film=(film[0], film[1]), source=(source[0], source[1]),
                      speed=float(block.speed))  # fmt: skip
            uses.setdefault(block.clip, []).append(use)
    found = []
    for identity, used in uses.items():
        clip = request.project.clip(identity)
        assert clip is not None
        found.append(_made_from(request, clip, tuple(used)))
    return tuple(found)


def _made_from(request: FilmRequest, clip: Clip, uses: tuple[Use, ...]) -> MadeFrom:
    original = clip.original
    path = request.project.place_or_none(original.file)
    return MadeFrom(
        clip=clip.name, path=str(path or original.file.path), size=original.size, checksum=original.checksum,
        checksum_value=original.checksum_value, uses=uses,
    )  # fmt: skip


def keep_certificate(certificate: Certificate, film: Path) -> Path:
    """Write it beside the film, as JSON and as a page; where the JSON lies. Raises OSError."""
    path = certificate_path(film)
    text = json.dumps(certificate.model_dump(mode="json", by_alias=True), indent=1, ensure_ascii=False)
    for place, content in ((page_path(film), as_page(certificate)), (path, text + "\n")):
        with written_atomically(place) as partial:
            partial.write_text(content, encoding="utf-8")
    return path


def read_certificate(film: Path) -> Certificate:
    """The certificate beside a film. Raises ExportError."""
    path = certificate_path(film)
    try:
        if path.stat().st_size > _LARGEST:
            raise ExportError("is far too large for a certificate", path, "Choose another film.")
        with os.fdopen(open_ordinary(os.path.realpath(path)), encoding="utf-8") as file:
            return Certificate.model_validate(read_json(file.read(_LARGEST)))
    except FileNotFoundError as error:
        raise ExportError("has no certificate beside it", film, "Make the film again to get one.") from error
    except OSError as error:
        raise from_os_error(error, path, ExportError) from error
    except ValidationError as error:
        field = ".".join(str(part) for part in error.errors()[0]["loc"])
        raise ExportError(f"is not a certificate ({field})", path, "Make the film again to get one.") from error
    except (ValueError, RecursionError) as error:
        raise ExportError("is not a certificate", path, "Make the film again to get one.") from error


@dataclass(frozen=True)
class FilmVerified:
    """What was found of a film and the originals it was made from: ``film`` and each original's state in words, ""
    where its bytes are those of the certificate."""

    certificate: Certificate
    film: str
    originals: tuple[tuple[MadeFrom, str], ...]

    @property
    def whole(self) -> bool:
        """Whether the film is, byte for byte, the one that was proven."""
        return not self.film


def verify_film(
    film: Path, originals: bool = False, report: Callable[[int], None] = lambda count: None
) -> FilmVerified:
    """Read a film again against its certificate, and with ``originals`` these too. ``report`` gets bytes read.

    Raises ExportError where there is no film or no certificate.
    """
    certificate = read_certificate(film)
    try:
        found = checksum_of(film_files(film), certificate.checksum, report)
    except KeyError as error:
        raise ExportError("names a checksum that is not known", certificate_path(film), "Make the film again.") from (
            error
        )
    except OSError as error:
        raise from_os_error(error, film, ExportError) from error
    said = "" if found == certificate.film_checksum else "its content is not what was verified"
    looked = tuple((one, _state_of(one, report)) for one in certificate.originals) if originals else ()
    return FilmVerified(certificate, said, looked)


def _state_of(original: MadeFrom, report: Callable[[int], None]) -> str:
    path = Path(original.path)
    try:
        files = members(path)
        states = [file.stat() for file in files]
        if not all(stat.S_ISREG(state.st_mode) for state in states):
            return "is no ordinary file"  # a certificate from elsewhere may name what never ends
        if sum(state.st_size for state in states) != original.size:
            return "has another size"
        if not original.checksum_value:
            return "there, and no checksum was ever taken"
        same = checksum_of(files, original.checksum, report) == original.checksum_value
        return "" if same else "is another file than the film was made from"
    except (OSError, KeyError, ValueError):
        return "is not there, or cannot be read"


def as_page(certificate: Certificate) -> str:
    """The certificate to read or print."""
    kind = "DRAFT, not made from the originals" if certificate.draft else "Film, made from the originals"
    rate = rate_label(Fraction(certificate.rate))
    rows = [
        (one.clip, use.track, f"{use.film[0]} to {use.film[1]}", f"{use.source[0]:.3f} to {use.source[1]:.3f} s",
         f"{use.speed:g}x", one.path, f"{one.checksum} {one.checksum_value}")
        for one in certificate.originals for use in one.uses
    ]  # fmt: skip
    numbers = certificate.numbers
    cells = [
        ("frames, all compared", certificate.frames), ("frames per second", rate),
        ("first timecode", certificate.timecode),
        ("places drawn anew", f"{numbers.get('places_drawn_anew', 0):g}"),
        ("least likeness there", f"{numbers.get('least_likeness', 0):.3f}"),
        ("sound off by", f"{numbers.get('sound_off_ms', 0):g} ms"),
    ]  # fmt: skip
    if certificate.loudness:
        cells += [("LUFS", certificate.loudness["integrated"]), ("LU range", certificate.loudness["range"]),
                  ("dBTP true peak", certificate.loudness["true_peak"])]  # fmt: skip
    sums = "".join(f"<div><b>{escape(str(value))}</b>{escape(name)}</div>" for name, value in cells)
    notes = "".join(f"<p>{escape(note)}</p>" for note in certificate.notes)
    return html_page(f"{certificate.film}: certificate", [
        f"<p class='quiet'>{escape(kind)}</p><h1>{escape(certificate.film)}</h1>",
        f"<p>{escape(certificate.timeline)} of {escape(certificate.project)}, {clock_text(certificate.seconds)}. "
        f"{escape(certificate.described)}</p>",
        f"<div class='sums'>{sums}</div>", notes,
        f"<p class='quiet'>Made {escape(certificate.made)}; {certificate.film_size:,} bytes, "
        f"{certificate.checksum} <code>{certificate.film_checksum}</code>. Every picture was read back and compared "
        "with what was drawn; the places drawn anew were compared with the originals, opened once more.</p>",
        "<h2>Made from</h2>",
        html_table(("Clip", "Track", "Frames of the film", "Seconds of the original", "Speed", "File", "Checksum"),
                   rows),
    ])  # fmt: skip
