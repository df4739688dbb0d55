"""The objects of OpenTimelineIO's JSON that a project uses, as plain values.

Written without the library, whose objects take a millisecond a clip to build; tests read what is written with it.
"""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]
KEY = "agile_shadow"  # the one metadata key for what the format has no word for


def time_range(start: float, duration: float, rate: float) -> Json:
    """``TimeRange.1``: frames at a rate."""
    return {
        "OTIO_SCHEMA": "TimeRange.1",
        "duration": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": float(duration)},
        "start_time": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": float(start)},
    }


def reference(url: str, available: Json, metadata: Json) -> Json:
    """``ExternalReference.1``: a media file."""
    return {
        "OTIO_SCHEMA": "ExternalReference.1", "metadata": metadata, "name": "", "available_range": available,
        "available_image_bounds": None, "target_url": url,
    }  # fmt: skip


def clip(
    name: str, references: Json, active: str, metadata: Json, source_range: Json | None = None, effects: Any = ()
) -> Json:
    """``Clip.2``: with its media references by key."""
    return {
        "OTIO_SCHEMA": "Clip.2", "metadata": metadata, "name": name, "source_range": source_range,
        "effects": list(effects), "markers": [], "enabled": True, "color": None, "media_references": references,
        "active_media_reference_key": active,
    }  # fmt: skip


def generator(kind: str, parameters: Json, available: Json) -> Json:
    """``GeneratorReference.1``: a picture that is drawn."""
    return {
        "OTIO_SCHEMA": "GeneratorReference.1", "metadata": {}, "name": "", "available_range": available,
        "available_image_bounds": None, "generator_kind": kind, "parameters": parameters,
    }  # fmt: skip


def time_warp(speed: float) -> Json:
    """``LinearTimeWarp.1``: another speed, negative for reverse."""
    return {
        "OTIO_SCHEMA": "LinearTimeWarp.1", "metadata": {}, "name": "", "effect_name": "LinearTimeWarp",
        "enabled": True, "time_scalar": speed,
    }  # fmt: skip


def transition(before: int, after: int, rate: float) -> Json:
    """``Transition.1``: a dissolve, in frames before and after the cut."""
    return {
        "OTIO_SCHEMA": "Transition.1", "metadata": {}, "name": "", "transition_type": "SMPTE_Dissolve",
        "in_offset": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": float(before)},
        "out_offset": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": float(after)},
    }  # fmt: skip


def marker(note: str, marked: Json, metadata: Json) -> Json:
    """``Marker.2``: a note."""
    return {"OTIO_SCHEMA": "Marker.2", "metadata": metadata, "name": note, "color": "", "marked_range": marked}


def gap(duration: float, rate: float) -> Json:
    """``Gap.1``: nothing for some frames."""
    return {
        "OTIO_SCHEMA": "Gap.1", "metadata": {}, "name": "", "source_range": time_range(0, duration, rate),
        "effects": [], "markers": [], "enabled": True, "color": None,
    }  # fmt: skip


_PLAIN: Json = {"source_range": None, "effects": [], "enabled": True, "color": None}


def track(name: str, kind: str, enabled: bool, children: list[Any], metadata: Json) -> Json:
    """``Track.1`` of the kind ``Video`` or ``Audio``."""
    return {
        "OTIO_SCHEMA": "Track.1", "metadata": metadata, "name": name, **_PLAIN, "markers": [], "children": children,
        "kind": kind, "enabled": enabled,
    }  # fmt: skip


def timeline(name: str, tracks: list[Json], markers: list[Json], metadata: Json) -> Json:
    """``Timeline.1``."""
    stack = {
        "OTIO_SCHEMA": "Stack.1", "metadata": {}, "name": "tracks", **_PLAIN, "markers": markers, "children": tracks
    }  # fmt: skip
    return {
        "OTIO_SCHEMA": "Timeline.1", "metadata": metadata, "name": name, "global_start_time": None, "tracks": stack,
    }  # fmt: skip
