"""The film: drawn, encoded, read back and proven; it gets its name when all of that is done."""

from __future__ import annotations

import shutil
import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av

from ..compositing import Layer
from ..errors import ExportError, from_os_error
from ..files import flush, partial_path, rename_new
from ..jobs import Report
from ..media.sequence import status
from ..project.guarding import refuse_footage
from ..switch import Choice, Presence, choose
from .certificate import certificate_path, certify, keep_certificate, page_path
from .check import blocks_in, final_check
from .drawing import Drawing, quickest
from .estimate import pace_of_film
from .loudness import Loudness
from .proof import FilmProof, Rendering, prove_film
from .request import FilmRequest, FilmResult
from .signature import Signature, signature_of
from .sounding import Sounding
from .writing import FileWriter, PictureWriter, Writer

MEASURED, RENDERED = 0.05, 0.8  # parts of the whole: the sound measured, the pictures made


def make_film(request: FilmRequest, report: Report) -> FilmResult:
    """Check, render and prove: a task for a worker. An older film of that name is replaced at the end; a folder of
    pictures never is.

    Raises ExportError: for an original that is missing or changed, settings that cannot be made, a name that is
    footage's, no room, or a film that is not what was drawn.
    """
    request.checked()
    if not request.draft:
        final_check(request.project, request.first, request.end).refuse_if_not_ready()
    _refuse_name(request)
    partial = partial_path(request.out)
    try:
        request.out.parent.mkdir(parents=True, exist_ok=True)
        return _made(request, partial, report)
    except av.error.FFmpegError as error:
        raise ExportError(f"the film could not be written ({error.strerror})", request.out, "Retry.") from error
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    finally:
        with suppress(OSError):  # its folder may be none, or gone
            if partial.is_dir():
                shutil.rmtree(partial)
            partial.unlink(missing_ok=True)


def _refuse_name(request: FilmRequest) -> None:
    if request.settings.file == "pictures":
        if request.out.exists():
            raise ExportError("there is something of that name already", request.out, "Choose another name.")
        return
    refuse_footage(request.project, request.out)


@dataclass(frozen=True)
class Proven:
    """A film that lies whole under a temporary name and passed its proof. ``sources``: the files it was made from;
    ``pace``: frames made per second."""

    proof: FilmProof
    loudness: Loudness | None
    notes: tuple[str, ...]
    sources: tuple[Path, ...]
    pace: float


def _made(request: FilmRequest, partial: Path, report: Report) -> FilmResult:
    return name_film(request, partial, rendered(request, partial, report))


def rendered(request: FilmRequest, partial: Path, report: Report) -> Proven:
    """Render a film to ``partial`` and prove it there. Raises ExportError where it is not what was drawn, or an
    original went away or changed meanwhile; MediaError, FFmpegError, OSError."""
    rendering = _Rendering(request, partial, report)
    before = {} if request.draft else states_of(request)
    begun = time.monotonic()
    drawn = rendering.run()
    pace = request.count / max(0.001, time.monotonic() - begun)
    if partial.is_file():
        flush(partial)
    rest = 1 - RENDERED
    proof = prove_film(partial, request, drawn, lambda part: report(RENDERED + part * rest * 0.95))
    if proof.problems:
        raise ExportError(f"the film was not taken: {proof.problems[0]}", request.out, "Retry.")
    refuse_if_changed(before, {} if request.draft else states_of(request))
    return Proven(proof, rendering.loudness, tuple(rendering.notes), tuple(drawn.opened), pace)


def name_film(request: FilmRequest, partial: Path, proven: Proven, digest: str = "") -> FilmResult:
    """Give a proven film its name and its certificate. ``digest``: the xxh128 that its bytes must have, where another
    machine wrote them. Raises ExportError, OSError."""
    certificate = certify(request, partial, proven.proof, proven.loudness, proven.notes)
    if digest and certificate.film_checksum != digest:
        raise ExportError("the film that another machine made reads differently here", request.out, "Make it here.")
    _name_finally(request, partial)
    kept = keep_certificate(certificate, request.out)
    return FilmResult(
        path=request.out,
        frames=request.count,
        seconds=request.seconds,
        sources=proven.sources,
        settings=request.settings.name,
        draft=request.draft,
        pace=proven.pace,
        certificate=kept,
        loudness=proven.loudness.to_json() if proven.loudness is not None else None,
        original_pace=pace_of_film(replace(request, draft=False)) if request.draft else 0.0,
        notes=proven.notes,
    )


def states_of(request: FilmRequest) -> dict[Path, tuple[int, int] | None]:
    """Size and time of change of each original that the stretch uses; None for one that cannot be reached."""
    project = request.project
    found: dict[Path, tuple[int, int] | None] = {}
    for identity in {block.clip for block in blocks_in(request.line, request.first, request.end)}:
        clip = project.clip(identity)
        path = project.path(clip.original.file) if clip is not None else None
        if path is not None:
            try:
                found[path] = status(path)
            except OSError:
                found[path] = None
    return found


def refuse_if_changed(before: Mapping[Path, object], after: Mapping[Path, object]) -> None:
    """What a film says of its originals holds for as long as it was made and proven."""
    for path, state in before.items():
        if after.get(path) is None:
            raise ExportError("went away while the film was made from it", path, "Connect its drive, then retry.")
        if after[path] != state:
            raise ExportError("was changed while the film was made from it", path, "See what writes to it, then retry.")


def _name_finally(request: FilmRequest, partial: Path) -> None:
    """Certificates of an older film go first: none ever stands beside a film that it is not of."""
    for path in (certificate_path(request.out), page_path(request.out)):
        path.unlink(missing_ok=True)
    if request.settings.file == "pictures":
        rename_new(partial, request.out)
        return
    refuse_footage(request.project, request.out)  # once more: it may have come to lie there meanwhile
    partial.replace(request.out)
    flush(request.out.parent)


class _Rendering:
    """One pass over the stretch. ``loudness`` and ``notes`` are there when it has run."""

    def __init__(self, request: FilmRequest, partial: Path, report: Report) -> None:
        self._request = request
        self._partial = partial
        self._report = report
        self._presence = Presence()
        self._project = request.project.but(showing="proxies" if request.draft else "originals")
        self.loudness: Loudness | None = None
        self.notes: list[str] = []

    def run(self) -> Rendering:
        """Draw and encode all of it. Raises ExportError, MediaError, FFmpegError, OSError."""
        drawing = Drawing(self._request) if self._request.settings.picture is not None else None
        try:
            if self._request.settings.sound is None:
                with self._writer(0) as writer:
                    signatures = self._pass(drawing, None, writer)
                return Rendering(signatures, (), drawing.opened if drawing is not None else {})
            if self._request.sound_rate != self._request.line.sound_rate:
                self.notes.append("The sound is at 48 kHz and not at the timeline's rate: MXF holds no other.")
            with Sounding(self._request, self._choice) as sounding:
                self._bring_to(sounding)
                with self._writer(sounding.count) as writer:
                    signatures = self._pass(drawing, sounding, writer)
                self.loudness = sounding.loudness.result()
                opened = {**(drawing.opened if drawing is not None else {}), **sounding.opened}
                return Rendering(signatures, sounding.envelopes(), opened)
        finally:
            if drawing is not None:
                drawing.close()

    def _bring_to(self, sounding: Sounding) -> None:
        wanted = self._request.settings.sound
        if wanted is None or wanted.loudness is None:
            return
        found, why = sounding.bring_to(wanted.loudness, lambda part: self._report(part * MEASURED))
        self.notes.append(f"The sound was measured at {found.integrated:.1f} LUFS before.")
        if why:
            self.notes.append(f"{why[:1].upper()}{why[1:]}.")

    def _writer(self, sounds: int) -> Writer:
        if self._request.settings.file == "pictures":
            self._partial.mkdir()
            return PictureWriter(self._request, self._partial)
        if self._request.settings.file == "still":
            return PictureWriter(self._request, self._partial.parent, self._partial)
        return FileWriter(self._request, self._partial, sounds)

    def _pass(self, drawing: Drawing | None, sounding: Sounding | None, writer: Writer) -> list[Signature]:
        signatures: list[Signature] = []
        position = 0
        total = self._request.samples[1] - self._request.samples[0]
        for number in range(self._request.count):
            if drawing is not None:
                frame = drawing.frame(number)
                signatures.append(signature_of(frame))
                writer.picture(frame, number)
            if sounding is not None:
                last = number + 1 == self._request.count
                until = total if last else round(Fraction(number + 1) / self._request.rate * self._request.sound_rate)
                writer.sound(position, sounding.read(position, until))
                position = until
            self._report(MEASURED + (number + 1) / self._request.count * (RENDERED - MEASURED))
        writer.finish()
        return signatures

    def _choice(self, layer: Layer) -> Choice | None:
        clip = self._project.clip(layer.block.clip)
        if clip is None:
            return None
        if self._request.draft:
            return quickest(self._project, clip, self._presence, layer)
        return choose(self._project, clip, self._presence, only="originals")

