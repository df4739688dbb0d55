"""Film settings: one saved instruction for making films."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..presets import Mark
from ..presets.model import Rate
from .formats import can_encode, format_named, sound_codec

SCHEMA = "agile-shadow film settings"
VERSION = 1
QUALITIES = ("light", "usual", "fine")
_SHAPES = {"stereo": "stereo", "tracks": "a stereo stream for each sound track",
           "channels": "one channel for each sound track"}  # fmt: skip


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class FilmPicture(_Model):
    """``width`` and ``height`` in pixels and ``rate`` in frames per second; left out, they are the timeline's.

    A frame of another shape is fitted, with bars. ``quality`` or ``megabits`` (a second) where the format has them.
    """

    format: Literal[
        "h264", "hevc", "prores-lt", "prores-422", "prores-hq", "prores-4444", "dnxhr-sq", "dnxhr-hq", "dnxhr-hqx",
        "ffv1", "png", "tiff", "dpx",
    ] = "h264"  # fmt: skip
    width: int | None = Field(None, ge=32, le=16_384)
    height: int | None = Field(None, ge=32, le=16_384)
    rate: Rate | None = None
    quality: Literal["light", "usual", "fine"] = "usual"
    megabits: float | None = Field(None, ge=0.2, le=2000)

    @model_validator(mode="after")
    def _fits(self) -> FilmPicture:
        chosen = format_named(self.format)
        if (self.width is None) != (self.height is None):
            raise ValueError("name both the width and the height, or neither")
        if self.width is not None and self.height is not None:
            for side, least, step in zip((self.width, self.height), chosen.smallest, chosen.multiple, strict=True):
                if side < least or side % step:
                    small = f"{chosen.smallest[0]} x {chosen.smallest[1]}"
                    raise ValueError(f"{chosen.label} holds pictures from {small} pixels on, in even numbers")
        if self.megabits is not None and not chosen.megabits:
            raise ValueError(f"{chosen.label} takes no data rate: leave megabits out")
        if self.quality != "usual" and len(chosen.qualities) == 1:
            raise ValueError(f"{chosen.label} has one quality only: leave it at usual")
        return self


class FilmSound(_Model):
    """``channels``: all tracks mixed to ``stereo``, each track a stream of its own (``tracks``), or each a mono stream
    (``channels``). ``bits`` of a sample, where the sound is not packed. ``loudness``: what the whole is brought to, in
    LUFS (EBU R 128), or None to leave it."""

    channels: Literal["stereo", "tracks", "channels"] = "stereo"
    bits: Literal[16, 24] = 24
    loudness: float | None = Field(None, ge=-40, le=-5)


class FilmSettings(_Model):
    """How a film is made. ``file``: the kind of file, ``pictures`` for a folder of numbered ones, ``still`` for one.

    ``reel``: name written beside the timecode, where the file holds one.
    """

    schema_name: Literal["agile-shadow film settings"] = Field("agile-shadow film settings", alias="schema")
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=120, pattern=r"\S")
    file: Literal["mp4", "mov", "mxf", "mkv", "wav", "pictures", "still"] = "mp4"
    picture: FilmPicture | None = FilmPicture()
    sound: FilmSound | None = FilmSound()
    marks: tuple[Mark, ...] = Field((), max_length=8)
    reel: Annotated[str, Field(max_length=32, pattern=r"^[\w .-]*$")] = ""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _silent_files(cls, values: Any) -> Any:
        if isinstance(values, dict):
            left_out = {"wav": "picture", "pictures": "sound", "still": "sound"}.get(str(values.get("file")))
            if left_out and left_out not in values:
                return {**values, left_out: None}
        return values

    @model_validator(mode="after")
    def _fits(self) -> FilmSettings:
        if self.file == "wav":
            if self.picture is not None or self.sound is None or self.marks:
                raise ValueError("a WAV file holds sound alone, without picture and marks")
            return self
        if self.picture is None:
            raise ValueError("only a WAV file goes without a picture")
        if self.file not in format_named(self.picture.format).files:
            raise ValueError(f"{format_named(self.picture.format).label} does not go into {file_words(self.file)}")
        if self.file in ("pictures", "still") and self.sound is not None:
            raise ValueError("pictures have no sound: leave it out")
        return self

    @property
    def ending(self) -> str:
        """Of its files; "" for a folder of pictures."""
        if self.file == "pictures":
            return ""
        if self.file == "still":
            assert self.picture is not None
            return format_named(self.picture.format).ending
        return f".{self.file}"

    def to_json(self) -> dict[str, Any]:
        """Plain values as in the file."""
        return self.model_dump(mode="json", by_alias=True)


def file_words(file: str) -> str:
    """A kind of file, for a person."""
    words = {"pictures": "a folder of pictures", "still": "one picture", "mkv": "MKV", "mxf": "MXF (OP1a)"}
    return words.get(file, file.upper())


def cannot_be_made(settings: FilmSettings) -> str:
    """Why no film can be made by these settings on this machine; "" where it can."""
    needed = {}
    if settings.picture is not None:
        chosen = format_named(settings.picture.format)
        needed[chosen.library] = chosen.label
    if settings.sound is not None:
        needed[sound_codec(settings.file, settings.sound.bits)] = "its sound"
    missing = [label for library, label in needed.items() if not can_encode(library)]
    return f"{missing[0]} cannot be encoded here: the media library was built without it" if missing else ""


def describes_film(settings: FilmSettings) -> str:
    """The settings in one sentence."""
    parts = []
    if settings.picture is not None:
        wanted = settings.picture
        text = f"{format_named(wanted.format).label}"
        if wanted.megabits is not None:
            text += f" at {wanted.megabits:g} Mb/s"
        elif wanted.quality != "usual":
            text += f", {wanted.quality}"
        parts.append(f"{text} in {file_words(settings.file)}")
        parts.append(f"{wanted.width} x {wanted.height}" if wanted.width else "the timeline's size")
        if wanted.rate is not None:
            parts.append(f"{float(wanted.rate):g} frames per second")
    else:
        parts.append(file_words(settings.file))
    if settings.sound is not None:
        sound = _SHAPES[settings.sound.channels]
        parts.append(f"sound {sound}" if settings.sound.channels == "stereo" else sound)
        if settings.sound.loudness is not None:
            parts.append(f"brought to {settings.sound.loudness:g} LUFS")
    else:
        parts.append("no sound")
    if settings.marks:
        parts.append("marked")
    return "; ".join(parts) + "."
