"""What a preset does to a kind of original: exact where it can be computed, else as measured on this machine."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..media import MediaInfo
from ..presets import Preset, Proxies, codec_named
from ..proxies import proxy_pixels, shape_error, wanted_scale
from .headroom import headroom_under
from .kinds import Kind, Sample
from .measurements import Measurements
from .need import needs_proxy
from .numbers import Number
from .taste import taste_under
from .weights import bytes_per_hour, file_bytes, picture_bytes

_VISIBLE = 0.001  # an error of shape worth a word
_MUCH_LARGER = 1.06  # a proxy so much larger than asked is worth a word


@dataclass(frozen=True)
class Estimate:
    """For one kind of original. None stands for what is not measured yet, or for no proxy at all.

    ``pixels``: (width, height); ``shape_error``: 0 where the shape is exactly the original's; ``hour_before`` and
    ``hour_after``: bytes for an hour of footage; ``work``: hours of making for an hour of footage; headroom in times
    the frame rate; ``made``: whether the preset makes a proxy here, None where that is not known yet; ``notes``: what
    is wrong or worth knowing, a sentence each.
    """

    pixels: tuple[int, int] | None
    shape_error: float
    hour_before: float | None
    hour_after: Number | None
    work: Number | None
    headroom_before: float | None
    headroom_after: Number | None
    made: bool | None
    notes: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Plain values."""

        def plain(number: Number | None) -> dict[str, Any] | None:
            return number.to_json() if number is not None else None

        return {
            "proxy_width": self.pixels[0] if self.pixels else None,
            "proxy_height": self.pixels[1] if self.pixels else None,
            "shape_error": self.shape_error,
            "original_bytes_per_hour": self.hour_before,
            "proxy_bytes_per_hour": plain(self.hour_after),
            "hours_of_work_per_hour": plain(self.work),
            "headroom_original": self.headroom_before,
            "headroom_proxy": plain(self.headroom_after),
            "made": self.made,
            "notes": list(self.notes),
        }


def estimate(kind: Kind, preset: Preset, kept: Measurements) -> Estimate:
    """What a preset does to a kind of original. Touches no drive but this machine's own state."""
    before = _mean_headroom(kind, kept)
    if preset.proxies is None:
        return Estimate(None, 0.0, kind.bytes_per_hour, None, None, before, None, False)
    settings, info = preset.proxies, kind.info
    pixels = proxy_pixels(info, settings)
    if pixels is None:
        codec = codec_named(settings.codec)
        note = f"{codec.label} holds no picture below {codec.smallest[0]} x {codec.smallest[1]}: no proxy can be made."
        return Estimate(None, 0.0, kind.bytes_per_hour, None, None, before, None, False, (note,))
    tastes = [found for sample in kind.samples if (found := taste_under(sample.key, settings, kept)) is not None]
    numbers = [picture_bytes(settings, pixels, info, found) for found in (tastes or (None,))]
    picture = _mean([number for number in numbers if number is not None])
    after = bytes_per_hour(picture, settings, info) if picture is not None else None
    work = _mean([Number(taste.seconds * float(info.frame_rate), "measured", taken) for taste, taken in tastes])
    headroom = _mean([Number(taste.headroom, "measured", taken) for taste, taken in tastes])
    made = _made(info, settings, before)
    notes = _notes(info, settings, pixels, kind.bytes_per_hour, after, headroom)
    return Estimate(
        pixels, shape_error(pixels, info), kind.bytes_per_hour, after, work, before, headroom, made, tuple(notes)
    )


def _mean(numbers: list[Number]) -> Number | None:
    if not numbers:
        return None
    return Number(
        sum(number.value for number in numbers) / len(numbers), numbers[0].basis, min(n.taken for n in numbers)
    )


def _mean_headroom(kind: Kind, kept: Measurements) -> float | None:
    known = [found.ratio for sample in kind.samples if (found := headroom_under(sample.key, kept)) is not None]
    return sum(known) / len(known) if known else None


def _made(info: MediaInfo, settings: Proxies, headroom: float | None) -> bool | None:
    if settings.make == "where-needed" and headroom is None and settings.headroom_below is not None:
        larger = needs_proxy(info, settings.model_copy(update={"headroom_below": None}), None)
        return True if larger else None
    return needs_proxy(info, settings, headroom)


def _notes(
    info: MediaInfo, settings: Proxies, pixels: tuple[int, int], before: float | None, after: Number | None,
    headroom: Number | None,
) -> list[str]:  # fmt: skip
    notes = []
    if after is not None and before is not None and after.value > before:
        notes.append("The proxy would be heavier than the original.")
    error = shape_error(pixels, info)
    if error >= _VISIBLE:
        notes.append(f"No exact shape within 3 % of that size: off by {error:.2%}.")
    if pixels[1] > float(wanted_scale(info, settings)) * info.display_height * _MUCH_LARGER:
        notes.append("Larger than asked: the codec holds no smaller picture of this shape.")
    if headroom is not None and headroom.value < 1:
        notes.append("The proxy itself would not play at its rate here.")
    if has_alpha(info):
        notes.append("Transparency is left out.")
    return notes


def has_alpha(info: MediaInfo) -> bool:
    """Whether the picture has transparency."""
    return info.pixel_format.startswith(("yuva", "rgba", "argb", "bgra", "abgr", "gbrap", "ya"))


@dataclass(frozen=True)
class ClipForecast:
    """One clip: its proxy's bytes and the seconds of work for it, None while not measured."""

    pixels: tuple[int, int] | None
    frames: int
    bytes: Number | None
    seconds: Number | None


def forecast_clip(sample: Sample, like: Kind, preset: Preset, kept: Measurements) -> ClipForecast:
    """For one clip from its own taste, else from the mean of those of its kind."""
    settings = preset.proxies
    pixels = proxy_pixels(sample.info, settings) if settings is not None else None
    if settings is None or pixels is None:
        return ClipForecast(None, sample.info.frames, None, None)
    own = taste_under(sample.key, settings, kept)
    tastes = [own] if own is not None else [
        found for other in like.samples if (found := taste_under(other.key, settings, kept)) is not None
    ]  # fmt: skip
    picture = _mean([n for found in (tastes or (None,)) if (n := picture_bytes(settings, pixels, sample.info, found))])
    work = _mean(
        [Number(taste.begin + taste.seconds * sample.info.frames, "measured", taken) for taste, taken in tastes]
    )
    size = file_bytes(picture, settings, sample.info) if picture is not None else None
    return ClipForecast(pixels, sample.info.frames, size, work)
