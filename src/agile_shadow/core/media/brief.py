"""What a file says of itself without decoding a frame: enough to tell which files of a card belong together."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from ..errors import MediaError
from ..time import nearest_standard_rate
from .opening import ODD_FILE, open_media
from .probe import camera_in, recorded_in, timecode_and_reel


@dataclass(frozen=True)
class Brief:
    """``width``, ``height`` in stored pixels; ``frames`` as the container counts them; ``rate`` in frames per second.

    ``channels`` of all sound streams; ``timecode`` of the first frame, ``recorded`` (day and time), ``camera``,
    ``reel``: "" when unknown. ``time_base``: seconds per tick.
    """

    codec: str = ""
    width: int = 0
    height: int = 0
    rate: Fraction = Fraction(0)
    frames: int = 0
    channels: int = 0
    timecode: str = ""
    recorded: str = ""
    time_base: Fraction = Fraction(0)
    camera: str = ""
    reel: str = ""

    @property
    def has_picture(self) -> bool:
        """Whether there is video in it."""
        return bool(self.width and self.rate)

    @property
    def seconds(self) -> Fraction:
        """Length of the picture."""
        return self.frames / self.rate if self.rate else Fraction(0)

    def alike(self, other: Brief) -> bool:
        """Whether both can be parts of one recording by their kind."""
        mine = (self.codec, self.width, self.height, self.rate, self.channels, self.time_base)
        return self.has_picture and mine == (
            other.codec, other.width, other.height, other.rate, other.channels, other.time_base,
        )  # fmt: skip


def brief(path: Path, sequence_rate: Fraction | None = None) -> Brief:
    """Open a file (or a sequence at that rate) and read what its head says. Raises MediaError."""
    with open_media(path, sequence_rate) as container:
        try:
            channels = sum(stream.codec_context.layout.nb_channels for stream in container.streams.audio)
            if not container.streams.video:
                return Brief(channels=channels, recorded=recorded_in(container))
            stream = container.streams.video[0]
            rate = stream.average_rate or stream.guessed_rate
            if not rate:
                return Brief(channels=channels, recorded=recorded_in(container))
            rate = nearest_standard_rate(rate) if abs(nearest_standard_rate(rate) / rate - 1) < 1e-4 else rate
            length = Fraction(container.duration or 0, av.time_base)
            context, (timecode, reel) = stream.codec_context, timecode_and_reel(container)
            return Brief(
                context.name, context.width, context.height, Fraction(rate), stream.frames or round(length * rate),
                channels, timecode or "", recorded_in(container), Fraction(stream.time_base or 0),
                camera_in(container), reel or "",
            )  # fmt: skip
        except (av.error.FFmpegError, *ODD_FILE) as error:
            raise MediaError(
                "is damaged or not a supported media file", path, "Check the file."
            ) from error
