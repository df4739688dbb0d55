"""The preset: one saved instruction for an ingest."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer, PlainValidator, WithJsonSchema

SCHEMA = "agile-shadow preset"
VERSION = 1


@dataclass(frozen=True)
class Codec:
    """A proxy codec on offer: ``name`` in files, ``label`` on screen, smallest picture in pixels it can hold."""

    name: str
    label: str
    smallest: tuple[int, int] = (32, 32)


CODECS = (
    Codec("h264", "H.264, short groups"),
    Codec("dnxhr-lb", "DNxHR LB", (256, 120)),
    Codec("prores-proxy", "ProRes Proxy"),
    Codec("mjpeg", "MJPEG"),
)
CHECKSUMS = ("xxh128", "xxh64", "md5", "sha1")
SCALES = tuple(Fraction(1, n) for n in (1, 2, 3, 4, 6, 8))
_WORDS = {1: "full size", 2: "half the size", 3: "a third the size", 4: "a quarter the size", 6: "a sixth the size",
          8: "an eighth the size"}  # fmt: skip


def codec_named(name: str) -> Codec:
    """The codec with that file name; raises KeyError."""
    for codec in CODECS:
        if codec.name == name:
            return codec
    raise KeyError(name)


def scale_words(scale: Fraction) -> str:
    """``"a quarter the size"``, or ``"2/5 of the size"`` for an unusual fraction."""
    usual = scale.numerator == 1 and _WORDS.get(scale.denominator)
    return usual or f"{scale.numerator}/{scale.denominator} of the size"


def _read_scale(value: Any) -> Fraction:
    try:
        scale = Fraction(str(value))
    except (ValueError, ZeroDivisionError) as error:
        raise ValueError('write the size as a fraction such as "1/4"') from error
    if not Fraction(1, 32) <= scale <= 1:
        raise ValueError("the size lies between 1/32 and 1")
    return scale


Scale = Annotated[
    Fraction,
    PlainValidator(_read_scale),
    PlainSerializer(lambda value: f"{value.numerator}/{value.denominator}", return_type=str),
    WithJsonSchema({"type": "string", "pattern": r"^\d+(/\d+)?$", "description": "fraction of the original's size"}),
]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Originals(_Part):
    """What happens to originals: ``copy`` to the originals shelf or ``leave`` where they are; the checksum kept."""

    do: Literal["copy", "leave"] = "copy"
    checksum: Literal["xxh128", "xxh64", "md5", "sha1"] = "xxh128"


class Proxies(_Part):
    """Which proxies are made. ``place``: ``shelf`` (same folders as the originals) or ``beside`` (folder Proxies)."""

    scale: Scale = Fraction(1, 4)
    codec: Literal["h264", "dnxhr-lb", "prores-proxy", "mjpeg"] = "dnxhr-lb"
    place: Literal["shelf", "beside"] = "shelf"


class Preset(_Part):
    """One instruction for an ingest. ``proxies`` is None when none are to be made."""

    schema_name: Literal["agile-shadow preset"] = Field("agile-shadow preset", alias="schema")
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=120)
    originals: Originals = Originals()
    proxies: Proxies | None = Proxies()

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True)

    def describes(self) -> str:
        """The whole preset as one sentence."""
        if self.originals.do == "copy":
            first = f"copy it to the originals shelf and prove each byte with {self.originals.checksum}."
        else:
            first = f"leave it where it is and note its {self.originals.checksum}."
        first = f"Take everything playable from the source, {first}"
        if self.proxies is None:
            return f"{first} Make no proxies."
        place = "on the proxies shelf, same folders as the originals"
        if self.proxies.place == "beside":
            place = "in a folder Proxies beside each original"
        label = codec_named(self.proxies.codec).label
        return (
            f"{first} Make proxies {scale_words(self.proxies.scale)} as {label}, all sound channels. Put them {place}."
        )

    def to_json(self) -> dict[str, Any]:
        """Plain values as in the file."""
        return self.model_dump(mode="json", by_alias=True)
