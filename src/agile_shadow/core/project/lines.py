"""Timelines as OpenTimelineIO objects, and back."""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Callable
from dataclasses import asdict
from fractions import Fraction
from functools import lru_cache
from typing import Any

from ..media import MediaInfo
from ..presets import Attached
from ..presets.attached import check_cube
from ..time import frame_of, rate_text
from ..timeline import (
    NEW_TITLE,
    NO_COLOUR,
    NO_EFFECTS,
    PLAIN,
    Block,
    Colour,
    Dissolve,
    Effects,
    Marker,
    Move,
    Placement,
    Timeline,
    Title,
    Track,
    new_id,
)
from . import schema
from .incoming import BlockIn, EffectsIn, MarkerIn, SettingsIn, TitleIn, TrackIn
from .schema import KEY, Json

_TABLES = 64 << 20  # bytes of all colour tables, unpacked
ClipText = Callable[[Block], tuple[str, str, str, MediaInfo]]  # name, references as JSON, active key, what it is
_PLACEMENT = ("x", "y", "scale", "rotation", "left", "top", "right", "bottom", "opacity", "shape")
_NEW = Timeline()
_TITLE = ("colour", "edge", "align", "roll")
_COLOUR = ("exposure", "temperature", "contrast", "saturation")


class Tables:
    """Colour tables of all blocks, each written once. Raises ValueError for one that cannot be used."""

    def __init__(self, values: Json | None = None) -> None:
        self._known = {key: Attached.model_validate(value) for key, value in (values or {}).items()}
        room = _TABLES
        for table in self._known.values():
            room -= len(table.content())
            if room < 0:
                raise ValueError(f"its colour tables are larger than {_TABLES >> 20} MB together")
            check_cube(table)
        self._keys: dict[int, tuple[Attached, str]] = {}

    def key_of(self, table: Attached) -> str:
        """The key under which a table is written."""
        known = self._keys.get(id(table))
        if known is None:
            key = hashlib.sha1(f"{table.name}\n{table.data}".encode()).hexdigest()[:12]
            known = self._keys[id(table)] = (table, key)  # kept alive: an identity is used once only
            self._known[key] = table
        return known[1]

    def table(self, key: str) -> Attached:
        """The table of a key; raises KeyError."""
        return self._known[key]

    def used(self, line: Timeline) -> None:
        """Take in the tables of a timeline."""
        for block in line.blocks:
            if block.effects is not NO_EFFECTS and block.effects.colour.lut is not None:
                self.key_of(block.effects.colour.lut)

    def to_json(self) -> Json:
        """By key."""
        return {key: {"name": table.name, "data": table.data} for key, table in sorted(self._known.items())}


# Writing


def line_to_text(line: Timeline, name: str, values: Json, block_text: Callable[[Block], str]) -> str:
    """A whole ``Timeline.1``; ``values`` go under the program's metadata key beside the timeline's own."""
    rate = float(line.rate or 25)
    slots: dict[str, str] = {}
    token = secrets.token_hex(8)
    tracks = []
    for number, track in enumerate(line.tracks):
        slot = f"{token}-{number}"
        slots[json.dumps(slot)] = _row_text(track, rate, block_text)
        own = {"id": track.id, "locked": track.locked}
        kind = "Video" if track.kind == "picture" else "Audio"
        tracks.append(schema.track(track.name, kind, not track.off, [slot], {KEY: own}))
    markers = [
        schema.marker(marker.note, schema.time_range(marker.frame, 1, rate), {KEY: {"id": marker.id}})
        for marker in line.markers
    ]
    settings = {
        "name": line.name, "id": line.id, "rate": rate_text(line.rate), "width": line.width, "height": line.height,
        "mark_in": line.mark_in, "mark_out": line.mark_out,
    }  # fmt: skip
    more = {"start": line.start, "drop": line.drop, "shape": line.shape, "sound_rate": line.sound_rate}
    settings |= {name: value for name, value in more.items() if value != getattr(_NEW, name)}
    text = json.dumps(
        schema.timeline(name, tracks, markers, {KEY: {**values, "timeline": settings}}), ensure_ascii=False, indent=1
    )
    for slot, row in slots.items():
        before, _slot, after = text.partition(slot)
        text = f"{before.rstrip()}\n{row}\n{after.lstrip()}"
    return text


def _row_text(track: Track, rate: float, block_text: Callable[[Block], str]) -> str:
    parts, end = [], 0
    for block in track.blocks:
        if block.start > end:
            parts.append(json.dumps(schema.gap(block.start - end, rate)))
        if block.dissolve is not None:
            parts.append(json.dumps(schema.transition(block.dissolve.before, block.dissolve.after, rate)))
        parts.append(block_text(block))
        end = block.end
    return ",\n".join(parts)


def block_to_text(block: Block, rate: Fraction, clip: ClipText, tables: Tables) -> str:
    """A ``Clip.2`` with the references of its clip, or a generated title."""
    values = {KEY: _block_values(block, tables)}
    warp = [schema.time_warp(float(block.speed))] if block.speed != 1 else []
    if block.title is not None:
        drawn = {name: getattr(block.title, name) for name in ("text", "face", "size", "spot")}
        drawn |= {name: value for name in _TITLE if (value := getattr(block.title, name)) != getattr(NEW_TITLE, name)}
        reference = schema.generator("title", drawn, schema.time_range(0, block.length, float(rate)))
        placed = schema.time_range(0, block.length, float(rate))
        return json.dumps(
            schema.clip(block.title.text, {"title": reference}, "title", values, placed), ensure_ascii=False
        )
    name, references, active, info = clip(block)
    first = min(block.source_start, block.moment(block.end - 1, rate))
    own_rate = float(info.frame_rate or rate)
    placed = schema.time_range(start_frame(info) + float(first * (info.frame_rate or rate)), block.length, own_rate)
    placed["duration"]["rate"] = float(rate)
    element = schema.clip(name, {}, active, values, placed, warp)
    del element["media_references"]
    return f'{json.dumps(element, ensure_ascii=False)[:-1]}, "media_references": {references}}}'


def _block_values(block: Block, tables: Tables) -> Json:
    values: Json = {
        "clip": block.clip, "block": block.id, "start": block.start, "length": block.length,
        "source_start": str(block.source_start), "room": str(block.room),
    }  # fmt: skip
    if block.speed != 1:
        values["speed"] = str(block.speed)
    if block.link:
        values["link"] = block.link
    if block.pin:
        values["pin"] = block.pin
    if block.dissolve is not None:
        values["dissolve"] = [block.dissolve.before, block.dissolve.after]
    if block.effects is not NO_EFFECTS and block.effects != NO_EFFECTS:
        values["effects"] = _effects_values(block.effects, tables)
    return values


def _effects_values(effects: Effects, tables: Tables) -> Json:
    values: Json = {}
    placement = {name: getattr(effects.placement, name) for name in _PLACEMENT}
    values["placement"] = {name: v for name, v in placement.items() if v != getattr(PLAIN, name)}
    colour = {name: getattr(effects.colour, name) for name in _COLOUR}
    values["colour"] = {name: value for name, value in colour.items() if value != getattr(NO_COLOUR, name)}
    if effects.colour.lut is not None:
        values["colour"]["lut"] = tables.key_of(effects.colour.lut)
    for name in ("gain", "fade_in", "fade_out", "keep_pitch"):
        values[name] = getattr(effects, name)
    if effects.move is not None:
        values["move"] = asdict(effects.move)
    return {name: value for name, value in values.items() if value}


def start_frame(info: MediaInfo) -> int:
    """The clip's start timecode as a frame number, 0 without one."""
    return _frame_of(info.start_timecode, info.frame_rate) if info.start_timecode else 0


@lru_cache(maxsize=4096)
def _frame_of(timecode: str, rate: Fraction) -> int:
    try:
        return frame_of(timecode, rate)
    except ValueError:
        return 0


# Reading


def line_from_otio(values: Json, tables: Tables) -> Timeline:
    """A timeline from a ``Timeline.1``. Raises KeyError, TypeError or ValueError for what is damaged."""
    settings = SettingsIn.model_validate(values["metadata"][KEY]["timeline"])
    stack = values["tracks"]
    if not 0 <= settings.rate <= 1000:
        raise ValueError("a timeline of no rate")
    return Timeline(
        name=settings.name,
        rate=settings.rate,
        width=settings.width,
        height=settings.height,
        tracks=tuple(_track_from(track, tables) for track in stack["children"]),
        markers=tuple(sorted((_marker_from(marker) for marker in stack["markers"]), key=lambda m: m.frame)),
        mark_in=settings.mark_in,
        mark_out=settings.mark_out,
        start=settings.start,
        drop=settings.drop,
        shape=settings.shape,
        sound_rate=settings.sound_rate,
        id=settings.id or new_id(),
    ).checked()


def _marker_from(values: Json) -> Marker:
    own = (values.get("metadata") or {}).get(KEY, {})
    start = values["marked_range"]["start_time"]["value"]
    one = MarkerIn.model_validate({"frame": start, "note": values.get("name") or "", "id": own.get("id")})
    return Marker(round(one.frame), one.note, one.id or new_id())


def _track_from(values: Json, tables: Tables) -> Track:
    own = TrackIn.model_validate({**values, **((values.get("metadata") or {}).get(KEY) or {})})
    blocks = (item for item in values["children"] if item["OTIO_SCHEMA"].startswith("Clip."))
    return Track(
        kind="sound" if own.kind == "Audio" else "picture",
        name=own.name,
        blocks=tuple(_block_from(item, tables) for item in blocks),
        locked=own.locked,
        off=not own.enabled,
        id=own.id or new_id(),
    )


def _block_from(element: Json, tables: Tables) -> Block:
    one = BlockIn.model_validate(element["metadata"][KEY])
    references = element.get("media_references") or {}
    if abs(one.speed) > 1000 or (one.speed and abs(one.speed) < _SLOWEST) or not 0 <= one.room <= 10**9:
        raise ValueError(f"block {one.block} has no speed or length of footage")
    return Block(
        clip=one.clip,
        start=one.start,
        length=one.length,
        source_start=one.source_start,
        room=one.room,
        speed=_NORMAL if one.speed == 1 else one.speed,
        link=one.link,
        dissolve=Dissolve(*one.dissolve) if one.dissolve else None,
        effects=_effects_from(one.effects, tables) if one.effects is not None else NO_EFFECTS,
        pin=one.pin,
        title=_title_from(references["title"]["parameters"]) if "title" in references else None,
        id=one.block,
    )


_NORMAL = Fraction(1)
_SLOWEST = Fraction(1, 10_000)


def _title_from(values: Json) -> Title:
    one = TitleIn.model_validate(values)
    return Title(**one.model_dump()).checked()


def _effects_from(one: EffectsIn, tables: Tables) -> Effects:
    placed: dict[str, Any] = dict(one.placement)
    placement = Placement(**placed).checked()
    colour = dict(one.colour)
    table = tables.table(str(colour.pop("lut"))) if "lut" in colour else None
    numbers = {name: float(value) for name, value in colour.items()}
    return Effects(
        placement=placement,
        colour=Colour(**numbers, lut=table).checked(),
        gain=one.gain,
        fade_in=one.fade_in,
        fade_out=one.fade_out,
        keep_pitch=one.keep_pitch,
        move=Move(**one.move.model_dump()).checked() if one.move is not None else None,
    )
