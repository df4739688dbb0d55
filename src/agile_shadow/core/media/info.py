"""What a media file is: the result of probing, as a value."""

from __future__ import annotations

from dataclasses import MISSING, dataclass, fields
from fractions import Fraction
from functools import cache, lru_cache
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from ..strict import Count, Exact, Name
from ..time import rate_text
from .recording import Form

_Pixels = Annotated[int, Field(ge=0, le=1_000_000)]
_Small = Annotated[int, Field(ge=0, le=10_000)]


@dataclass(frozen=True)
class AudioStream:
    """One sound stream: channels, samples per second, bits of one sample."""

    codec: Name
    channels: _Small
    sample_rate: Annotated[int, Field(ge=0, le=10**8)]
    bits: _Small


SEQUENCE = "numbered sequence"  # the container of a clip that is many image files
JOINED = "several files"  # the container of a recording that a camera split


@dataclass(frozen=True)
class MediaInfo:
    """A probed file. Sizes in pixels, ``duration`` in seconds, ``size`` in bytes, ``rotation`` in degrees clockwise.

    ``width`` and ``height`` are as stored; ``display_width`` and ``display_height`` upright with square pixels.
    ``kind`` is ``"video"``, ``"sound"`` or ``"still"``. ``pixel_aspect``: width of a stored pixel to its height, 0
    when not known. ``made_as``: the settings with which this program made the file, "" for any other file.
    ``recorded``: day and time as the file says, ``camera`` as it names it; "" when it does not. ``odd``: sentences of
    what is unusual and right; ``damage``: what of it is not there or not whole, "" where nothing is known of such.
    ``since_midnight``: seconds at which a sound recording began, None where it does not say.
    """

    kind: Literal["video", "sound", "still"]
    container: Name
    size: Count
    duration: Exact
    codec: Name = ""
    width: _Pixels = 0
    height: _Pixels = 0
    display_width: _Pixels = 0
    display_height: _Pixels = 0
    frame_rate: Exact = Fraction(0)
    frames: Annotated[int, Field(ge=0, le=10**10)] = 0
    variable_rate: bool = False
    start_timecode: Name | None = None
    reel: Name | None = None
    rotation: Annotated[int, Field(ge=-360, le=360)] = 0
    interlaced: bool = False
    pixel_format: Name = ""
    bit_depth: _Small = 8
    audio: Annotated[tuple[AudioStream, ...], Field(max_length=1000)] = ()
    pixel_aspect: Exact = Fraction(0)
    made_as: Name = ""
    recorded: Name = ""
    camera: Name = ""
    odd: Annotated[tuple[Name, ...], Field(max_length=100)] = ()
    damage: Name = ""
    since_midnight: Exact | None = None

    @property
    def display_aspect(self) -> Fraction:
        """Width to height as shown, exact; 0 without a picture."""
        if self.pixel_aspect and self.height:
            stored = Fraction(self.width, self.height) * self.pixel_aspect
            return 1 / stored if self.rotation % 180 else stored
        return Fraction(self.display_width, self.display_height) if self.display_height else Fraction(0)

    @property
    def form(self) -> Form:
        """Whether it is one file, a numbered sequence, or a recording in several files."""
        return {SEQUENCE: "sequence", JOINED: "parts"}.get(self.container, "file")  # type: ignore[return-value]

    @property
    def sequence_rate(self) -> Fraction | None:
        """The rate at which a numbered sequence is to be opened; None for a file."""
        return self.frame_rate if self.container == SEQUENCE else None

    @property
    def audio_channels(self) -> int:
        """Channels of all sound streams together."""
        return sum(stream.channels for stream in self.audio)

    @property
    def bit_rate(self) -> float:
        """Bits per second over the whole length; 0 for stills."""
        return float(self.size * 8 / self.duration) if self.duration else 0.0

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON; fractions as text such as ``"25/1"`` and ``"16:9"``."""
        values: dict[str, Any] = {name: getattr(self, name) for name in sorted(_names())}
        values["frame_rate"] = rate_text(self.frame_rate) if self.frame_rate else None
        values["duration"] = f"{self.duration.numerator}/{self.duration.denominator}"
        values["pixel_aspect"] = str(self.pixel_aspect)
        values["audio"] = [[a.codec, a.channels, a.sample_rate, a.bits] for a in self.audio]
        values["odd"] = list(self.odd)
        values["since_midnight"] = _fraction(self.since_midnight)
        aspect = self.display_aspect
        values["display_aspect"] = f"{aspect.numerator}:{aspect.denominator}" if aspect else None
        values["audio_channels"] = self.audio_channels
        return values

    def to_brief_json(self) -> dict[str, Any]:
        """Like :meth:`to_json`, without what follows from the rest and what is as usual."""
        values = {name: value for name, usual in _usual() if (value := getattr(self, name)) != usual}
        values["duration"] = f"{self.duration.numerator}/{self.duration.denominator}"
        for name in ("frame_rate", "pixel_aspect"):
            if name in values:
                values[name] = rate_text(values[name])
        if self.audio:
            values["audio"] = [[a.codec, a.channels, a.sample_rate, a.bits] for a in self.audio]
        if self.odd:
            values["odd"] = list(self.odd)
        if self.since_midnight is not None:
            values["since_midnight"] = _fraction(self.since_midnight)
        return values

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> MediaInfo:
        """The inverse of :meth:`to_json` and :meth:`to_brief_json`; unknown keys are passed over.

        Raises TypeError, ValueError for what no footage is.
        """
        streams = values.get("audio", ())
        info = _adapter().validate_python({
            **values, "frame_rate": values.get("frame_rate") or 0,
            "audio": tuple([_stream(*stream) for stream in streams]) if streams else (),
        })  # fmt: skip
        rate, duration, shape = info.frame_rate, info.duration, info.pixel_aspect
        if not (_within(rate, 100_000) and _within(duration, 10**9) and _within(shape, 1000)):
            raise ValueError("a rate, length or shape of no footage")
        if info.since_midnight is not None and not 0 <= info.since_midnight < 200_000:
            raise ValueError("a time of no day")
        return info


def _within(value: Fraction, most: int) -> bool:
    """Whether it is from 0 to ``most``: comparing fractions as such takes many times as long."""
    return 0 <= value.numerator <= most * value.denominator


def _fraction(value: Fraction | None) -> str | None:
    return None if value is None else f"{value.numerator}/{value.denominator}"


@cache
def _adapter() -> TypeAdapter[MediaInfo]:
    return TypeAdapter(MediaInfo)


@cache
def _streams() -> TypeAdapter[AudioStream]:
    return TypeAdapter(AudioStream)


@lru_cache(maxsize=256)  # thousands of clips share a few kinds of sound
def _stream(codec: object, channels: object, sample_rate: object, bits: object) -> AudioStream:
    return _streams().validate_python(
        {"codec": codec, "channels": channels, "sample_rate": sample_rate, "bits": bits}
    )


@cache
def _usual() -> tuple[tuple[str, object], ...]:
    """Each field with its usual value; those that have none with one that never occurs."""
    return tuple((one.name, None if one.default is MISSING else one.default) for one in fields(MediaInfo))


@cache
def _names() -> frozenset[str]:
    return frozenset(field.name for field in fields(MediaInfo))
