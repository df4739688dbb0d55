"""The objects of OpenTimelineIO's JSON that a project uses, as plain values.

Written without the library, whose objects take a millisecond a clip to build; tests read what is written with it.
"""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]


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


def clip(name: str, references: Json, active: str, metadata: Json, source_range: Json | None = None) -> Json:
    """``Clip.2``: with its media references by key."""
    return {
        "OTIO_SCHEMA": "Clip.2", "metadata": metadata, "name": name, "source_range": source_range, "effects": [],
        "markers": [], "enabled": True, "color": None, "media_references": references,
        "active_media_reference_key": active,
    }  # fmt: skip


def gap(duration: float, rate: float) -> Json:
    """``Gap.1``: nothing for some frames."""
    return {
        "OTIO_SCHEMA": "Gap.1", "metadata": {}, "name": "", "source_range": time_range(0, duration, rate),
        "effects": [], "markers": [], "enabled": True, "color": None,
    }  # fmt: skip


def timeline(name: str, children: list[Json], metadata: Json) -> Json:
    """``Timeline.1`` with one video track."""
    plain: Json = {"source_range": None, "effects": [], "markers": [], "enabled": True, "color": None}
    track: Json = {
        "OTIO_SCHEMA": "Track.1",
        "metadata": {},
        "name": "V1",
        **plain,
        "children": children,
        "kind": "Video",
    }
    stack: Json = {"OTIO_SCHEMA": "Stack.1", "metadata": {}, "name": "tracks", **plain, "children": [track]}
    return {
        "OTIO_SCHEMA": "Timeline.1", "metadata": metadata, "name": name, "global_start_time": None, "tracks": stack,
    }  # fmt: skip
