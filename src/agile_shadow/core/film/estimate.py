"""How long a film will take here and how large it will be, from some of its pictures made for real."""

from __future__ import annotations

import shutil
import tempfile
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import av

from ..errors import ExportError, ShadowError, from_os_error
from ..jobs import Report
from ..log import cache_folder
from .drawing import Drawing
from .proof import pictures_of
from .request import FilmRequest
from .signature import signature_of
from .writing import FileWriter, PictureWriter

_PLACES, _EACH = 4, 8  # places of the film, pictures made at each
_BRIEFLY = (4, 10)
_SOUND = {"aac": 128_000 / 8, "pcm": 48_000 * 2 * 3}  # bytes a second of a stereo stream


@dataclass(frozen=True)
class FilmEstimate:
    """``seconds`` to make and prove it; ``size`` in bytes; ``pictures`` that were made to find out; ``free``: bytes
    there are where it is to go."""

    seconds: float
    size: int
    pictures: int
    free: int

    @property
    def fits(self) -> bool:
        """Whether there is room for it."""
        return self.size < self.free


def estimate_film(request: FilmRequest, report: Report) -> FilmEstimate:
    """A task for a worker: pictures from up to four places are drawn, encoded into a file that is thrown away, and read
    back. Raises ExportError."""
    request.checked()
    folder = Path(tempfile.mkdtemp(prefix="film-", dir=cache_folder()))
    try:
        seconds, size, count = _measured(request, folder, report) if request.settings.picture is not None else (0, 0, 0)
    except av.error.FFmpegError as error:
        raise ExportError(f"cannot be estimated ({error.strerror})", request.out, "Make a film, or try again.") from (
            error
        )
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    finally:
        with suppress(OSError):
            shutil.rmtree(folder)
    whole = size * request.count // max(1, count) + _sound_size(request)
    return FilmEstimate(seconds / max(1, count) * request.count, whole, count, _free(request.out))


def pace_of_film(request: FilmRequest) -> float:
    """Frames a second at which a film would be made, about, by some pictures of four places and without its proof; 0
    where it cannot be made now."""
    if request.settings.picture is None:
        return 0.0
    folder = Path(tempfile.mkdtemp(prefix="film-", dir=cache_folder()))
    try:
        seconds, _size, count = _measured(request, folder, lambda done: None, *_BRIEFLY, read_back=False)
    except (ShadowError, OSError, av.error.FFmpegError):
        return 0.0
    finally:
        with suppress(OSError):
            shutil.rmtree(folder)
    return count / seconds


def _measured(
    request: FilmRequest, folder: Path, report: Report, most: int = _PLACES, each: int = _EACH, read_back: bool = True
) -> tuple[float, int, int]:
    """Seconds and bytes of some pictures, and how many they were."""
    places = min(most, max(1, request.count // each))
    numbers = [
        request.count * place // places + step
        for place in range(places) for step in range(min(each, request.count // places or 1))
    ]  # fmt: skip
    out = folder / "part"
    many = request.settings.file in ("pictures", "still")
    drawing = Drawing(request)
    first: list[float] = []  # of each place: opening and seeking, which the film itself does once for a stretch
    others: list[float] = []
    begun = time.monotonic()
    try:
        with PictureWriter(request, folder) if many else FileWriter(request, out, 0) as writer:
            for done, number in enumerate(numbers):
                before = time.monotonic()
                frame = drawing.frame(number)
                begins = not done or numbers[done - 1] != number - 1
                (first if begins else others).append(time.monotonic() - before)
                signature_of(frame)
                writer.picture(frame, done)
                report((done + 1) / len(numbers))
            made = time.monotonic()  # what the encoder still holds then would be encoded beside the next pictures
            writer.finish()
    finally:
        drawing.close()
    if not many and read_back:
        for frame in pictures_of(out, request):
            signature_of(frame)
    size = sum(path.stat().st_size for path in folder.iterdir())
    usual = sum(others) / len(others) if others else 0.0
    ended = time.monotonic() if read_back else made
    return max(0.001, ended - begun - sum(first) + usual * len(first)), size, len(numbers)


def _sound_size(request: FilmRequest) -> int:
    sound = request.settings.sound
    if sound is None:
        return 0
    heard = sum(1 for track in request.line.sounds if not track.off)
    streams = 1 if sound.channels == "stereo" else max(1, heard)
    packed = request.settings.file == "mp4"
    rate = _SOUND["aac" if packed else "pcm"] * (1 if packed else request.sound_rate / 48_000)
    return int(rate * streams * float(request.seconds) / (2 if sound.channels == "channels" else 1))


def _free(out: Path) -> int:
    place = out.parent
    while not place.exists() and place != place.parent:
        place = place.parent
    return shutil.disk_usage(place).free
