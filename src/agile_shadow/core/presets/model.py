"""The preset: one saved instruction for an ingest."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    PlainSerializer,
    PlainValidator,
    WithJsonSchema,
    model_validator,
)

from ..strict import exact
from .attached import Attached, check_cube, open_picture
from .codecs import codec_named
from .tokens import check_folders, check_name, check_text

SCHEMA = "agile-shadow preset"
VERSION = 2
CHECKSUMS = ("xxh128", "xxh64", "md5", "sha1")
PROOFS = (*CHECKSUMS, "size")
_SIZE = r"^\d+(/\d+)?$"


def _read_scale(value: Any) -> Fraction:
    if not isinstance(value, Fraction) and not re.match(_SIZE, str(value)):
        raise ValueError('write the size as a fraction such as "1/4"')
    try:
        scale = exact(value)
    except ValueError as error:
        raise ValueError('write the size as a fraction such as "1/4"') from error
    if not Fraction(1, 32) <= scale <= 1:
        raise ValueError("the size must be between 1/32 and 1")
    return scale


Scale = Annotated[
    Fraction,
    PlainValidator(_read_scale),
    PlainSerializer(lambda value: f"{value.numerator}/{value.denominator}", return_type=str),
    WithJsonSchema({"type": "string", "pattern": _SIZE, "description": "fraction of the original's size"}),
]


def _read_rate(value: Any) -> Fraction:
    text = f"{value.numerator}/{value.denominator}" if isinstance(value, Fraction) else str(value)
    rate = Fraction(text) if re.match(r"^\d{1,6}(/[1-9]\d{0,5})?$", text) else Fraction(0)
    if not 1 <= rate <= 1000:
        raise ValueError('write the rate as a number or fraction such as "25" or "24000/1001"')
    return rate


Rate = Annotated[
    Fraction,
    PlainValidator(_read_rate),
    PlainSerializer(lambda value: f"{value.numerator}/{value.denominator}", return_type=str),
    WithJsonSchema({"type": "string", "pattern": _SIZE, "description": "frames per second as a fraction"}),
]
NamePattern = Annotated[str, Field(max_length=200), AfterValidator(check_name)]
FolderPattern = Annotated[str, Field(max_length=300), AfterValidator(check_folders)]
Part = Annotated[float, Field(ge=0, le=1)]
ShelfName = Annotated[str, Field(max_length=120)]


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Takes(_Model):
    """What is taken from a source.

    ``longer_than`` in seconds (video only); ``leave_out``: patterns such as ``*_TEST*`` or ``TRASH/*`` for the path
    on the source; ``skip_known``: what the project holds already, by content, is not copied again. ``sequence_rate``:
    frames per second of numbered image sequences, whose files do not say. ``join_parts``: a recording that the camera
    split over several files is one clip; ``small_copies``: the camera's own small copies come along and are paired.
    """

    video: bool = True
    sequences: bool = True
    stills: bool = True
    sound: bool = True
    longer_than: float = Field(0, ge=0, le=86_400)
    leave_out: tuple[Annotated[str, Field(min_length=1, max_length=200)], ...] = ()
    skip_known: bool = True
    sequence_rate: Rate = Fraction(25)
    join_parts: bool = True
    small_copies: bool = True


class Originals(_Model):
    """What happens to originals: ``copy`` to a shelf or ``leave`` where they are, and how the copy is proved.

    ``shelf``, ``second_shelf``: names; empty means the shelf of that role of the project. ``checksum`` ``size``
    compares sizes only. ``on_clash``: what happens when a name is taken by another file: ``number`` or ``tell``.
    """

    do: Literal["copy", "leave"] = "copy"
    shelf: ShelfName = ""
    second_copy: bool = False
    second_shelf: ShelfName = ""
    checksum: Literal["xxh128", "xxh64", "md5", "sha1", "size"] = "xxh128"
    manifest: bool = False
    folders: Literal["keep", "flatten", "pattern"] = "keep"
    folder_pattern: FolderPattern = "{date}/{camera}"
    name_pattern: NamePattern = "{name}"
    on_clash: Literal["number", "tell"] = "number"

    @model_validator(mode="after")
    def _fits(self) -> Originals:
        if self.manifest and self.checksum == "size":
            raise ValueError("a manifest needs a checksum: sizes alone cannot be written into it")
        if self.do == "leave" and (self.second_copy or self.manifest):
            raise ValueError("a second copy and a manifest are made only where originals are copied")
        return self


class Mark(_Model):
    """Something laid on every frame of a proxy: ``text`` with tokens, the running ``timecode``, or a ``picture``.

    ``x`` and ``y`` from 0 to 1 say where the mark stands in the room there is for it; ``size`` is its height as a
    part of the picture's height; ``opacity`` from 0 to 1.
    """

    kind: Literal["text", "timecode", "picture"] = "text"
    text: Annotated[str, Field(max_length=120), AfterValidator(check_text)] = ""
    picture: Attached | None = None
    x: Part = 0.0
    y: Part = 1.0
    size: float = Field(0.06, ge=0.02, le=0.5)
    opacity: float = Field(0.9, ge=0.1, le=1)

    @model_validator(mode="after")
    def _is_something(self) -> Mark:
        if self.kind == "text" and not self.text.strip():
            raise ValueError("a text mark needs its text")
        if self.kind == "picture":
            if self.picture is None:
                raise ValueError("a picture mark needs its picture")
            open_picture(self.picture)
        elif self.picture is not None:
            raise ValueError("only a picture mark has a picture")
        return self


class Proxies(_Model):
    """Which proxies are made, of what kind, and where they go.

    ``make``: ``always``, or ``where-needed``: headroom below ``headroom_below``, or more than ``larger_than`` lines
    on the picture's shorter side. ``stills_over``: stills of more megapixels get one too, as PNG with their
    transparency, always. The size is ``scale``, or ``height`` in lines of the upright picture; never more
    than the original's. ``quality`` or ``megabits`` (a second) where the codec has them. ``place``: ``shelf`` (same
    folders as the originals), ``beside`` (``folder`` beside each original), ``project`` (``folder`` beside the
    project file).
    """

    make: Literal["always", "where-needed"] = "always"
    headroom_below: float | None = Field(1.5, gt=0, le=100)
    larger_than: int | None = Field(None, ge=16, le=20_000)
    stills_over: int | None = Field(None, ge=1, le=1000)
    scale: Scale | None = Fraction(1, 4)
    height: int | None = Field(None, ge=32, le=8640)
    codec: Literal[
        "h264", "h264-intra", "dnxhr-lb", "dnxhr-sq", "prores-proxy", "prores-lt", "cineform", "mjpeg"
    ] = "dnxhr-lb"  # fmt: skip
    quality: Literal["light", "usual", "fine"] = "usual"
    megabits: float | None = Field(None, ge=0.2, le=2000)
    sound: Literal["all", "stereo", "none"] = "all"
    lut: Attached | None = None
    marks: tuple[Mark, ...] = Field((), max_length=8)
    place: Literal["shelf", "beside", "project"] = "shelf"
    shelf: ShelfName = ""
    folder: FolderPattern = "Proxies"
    name_pattern: NamePattern = "{name}"
    second_copy: bool = False

    @model_validator(mode="before")
    @classmethod
    def _one_size(cls, values: Any) -> Any:
        if isinstance(values, dict) and values.get("height") is not None and "scale" not in values:
            return {**values, "scale": None}
        return values

    @model_validator(mode="after")
    def _fits(self) -> Proxies:
        if (self.scale is None) == (self.height is None):
            raise ValueError("the size is either a scale or a height: name one of them")
        codec = codec_named(self.codec)
        if self.megabits is not None and not codec.has_rate:
            raise ValueError(f"{codec.label} takes no data rate: leave megabits out")
        if self.quality != "usual" and not codec.has_quality:
            raise ValueError(f"{codec.label} has one quality only: leave it at usual")
        if self.make == "where-needed" and self.headroom_below is None and self.larger_than is None:
            raise ValueError("say where proxies are needed: below which headroom, or above how many lines")
        if self.place == "beside" and not self.folder and self.name_pattern == "{name}":
            raise ValueError("the proxies would get the folder and the name of their originals")
        if self.place == "project" and not self.folder:
            raise ValueError("name a folder for the proxies beside the project file")
        if self.lut is not None:
            check_cube(self.lut)
        return self


class When(_Model):
    """When proxies are made: copying begins at once, so that the card can go.

    ``start`` ``at-night``: not before ``from_time`` (and until ten hours later); ``at_a_time``: workers side by side;
    ``where``: this machine only makes them, or helpers do too, where any are there. ``at_end``: what the window does
    when all is done. ``keep_awake``: the machine does not go to sleep meanwhile,
    where the system lets us.
    """

    start: Literal["at-once", "at-night"] = "at-once"
    from_time: str = Field("22:00", pattern=r"^([01]\d|2[0-3]):[0-5]\d$")
    only_on_mains: bool = False
    at_a_time: int = Field(1, ge=1, le=16)
    where: Literal["here-only", "with-helpers"] = "with-helpers"
    give_way: bool = True
    at_end: Literal["nothing", "notice", "sound"] = "notice"
    keep_awake: bool = True


class Preset(_Model):
    """One instruction for an ingest. ``proxies`` is None when none are to be made."""

    schema_name: Literal["agile-shadow preset"] = Field("agile-shadow preset", alias="schema")
    version: Literal[2] = 2
    name: str = Field(min_length=1, max_length=120, pattern=r"\S")
    takes: Takes = Takes()
    originals: Originals = Originals()
    proxies: Proxies | None = Proxies()
    when: When = When()

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False)

    @model_validator(mode="after")
    def _safe(self) -> Preset:
        wanted, originals = self.proxies, self.originals
        if wanted is None:
            return self
        if wanted.place == "beside" and originals.do == "leave":
            raise ValueError(
                "proxies beside originals that stay on the source would be written onto it: put them on a shelf"
            )
        same_shelf = bool(wanted.shelf) and wanted.shelf == originals.shelf and originals.do == "copy"
        if wanted.place == "shelf" and same_shelf and wanted.name_pattern == "{name}":
            raise ValueError("the proxies would get the folders and names of the originals: choose another shelf")
        return self

    def to_json(self) -> dict[str, Any]:
        """Plain values as in the file."""
        return self.model_dump(mode="json", by_alias=True)
