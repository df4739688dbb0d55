"""A film that another machine makes: made and proven there under a temporary name, looked at and named here."""

from __future__ import annotations

import os
import shutil
import stat
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

import av

from ..errors import ExportError, from_os_error
from ..hashing import checksum_of
from ..jobs import Report
from ..media import probe
from .certificate import CHECKSUM
from .check import final_check
from .render import Proven, name_film, refuse_if_changed, rendered, states_of
from .request import FilmRequest, FilmResult

MADE_ELSEWHERE = (
    "Rendered from the originals and read back by a helper; every byte of the file was read again on this machine."
)


@dataclass(frozen=True)
class UnnamedFilm:
    """A film to be made under the temporary name ``partial`` beside its own."""

    request: FilmRequest
    partial: str


@dataclass(frozen=True)
class FilmElsewhere:
    """A film under its temporary name ``path``: bytes, xxh128, and what its making found."""

    path: Path
    size: int
    digest: str
    proven: Proven


@dataclass(frozen=True)
class FilmToName:
    """What another machine made, and the originals as they were when it was asked: bytes, nanoseconds."""

    request: FilmRequest
    partial: str
    digest: str
    proven: Proven
    states: Mapping[Path, tuple[int, int]]


def make_film_for_another(asked: UnnamedFilm, report: Report) -> FilmElsewhere:
    """Render and prove a film for a machine that asked this one: a task for a worker. Its folder must be there. Raises
    ExportError as :func:`agile_shadow.core.film.make_film`, and leaves nothing then."""
    request, partial = asked.request.checked(), asked.request.out.with_name(asked.partial)
    final_check(request.project, request.first, request.end).refuse_if_not_ready()
    whole = False
    try:
        os.close(os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC | os.O_NOFOLLOW, 0o666))
        proven = rendered(request, partial, report)
        digest = checksum_of([partial], CHECKSUM)
        whole = True
        return FilmElsewhere(partial, partial.stat().st_size, digest, proven)
    except av.error.FFmpegError as error:
        raise ExportError(f"the film could not be written ({error.strerror})", request.out, "Retry.") from error
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    finally:
        if not whole:
            _remove(partial)


def name_film_from_another(asked: FilmToName, report: Report) -> FilmResult:
    """Look at a film that another machine made, and name it: a task for a worker. The originals must be what they were
    and still are those of the project, and the film be as asked for and, byte for byte, what was proven there. Raises
    ExportError, MediaError; its temporary file is gone then."""
    request, partial = asked.request.checked(), asked.request.out.with_name(asked.partial)
    try:
        final_check(request.project, request.first, request.end).refuse_if_not_ready()
        refuse_if_changed(asked.states, states_of(request))
        _refuse_another(request, partial, asked.proven)
        report(0.2)
        proven = replace(asked.proven, notes=(*asked.proven.notes, MADE_ELSEWHERE))
        return name_film(request, partial, proven, asked.digest)
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    finally:
        _remove(partial)


def _refuse_another(request: FilmRequest, partial: Path, proven: Proven) -> None:
    """Raises ExportError for a file that is not the kind of film that was asked for."""
    if not stat.S_ISREG(partial.lstat().st_mode):
        raise ExportError("a helper left something that is no file", partial, "Make the film here.")
    info, wanted = probe(partial), request.settings
    picture = (info.width, info.height, info.frames, info.frame_rate) if info.kind == "video" else None
    right = (*request.size, request.count, request.rate) if wanted.picture is not None else None
    if picture != right or bool(info.audio) != (wanted.sound is not None):
        raise ExportError("the film that another machine made is not as it was asked for", partial, "Make it here.")
    if right is not None and proven.proof.frames != request.count:
        raise ExportError("another machine did not read every frame of the film", partial, "Make it here.")


def _remove(partial: Path) -> None:
    with suppress(OSError):
        if partial.is_dir() and not partial.is_symlink():
            shutil.rmtree(partial)
        partial.unlink(missing_ok=True)
