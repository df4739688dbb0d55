"""The parts of a project file as they are read: what does not fit is refused by field and reason."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from ..strict import Count, Exact, Frame, Id, Line, Name, Number, PathText, Strict, Time, Words

Side = Literal["originals", "proxies"]
State = Literal["proven", "doubtful", "refused", "cannot tell"]
_Positive = Annotated[int, Field(ge=1, le=10**10)]


class FileIn(Strict):
    """Where a file lies, and what it is."""

    shelf: Id
    path: PathText
    info: dict[str, Any]
    size: Count


class OriginalIn(FileIn):
    """A clip's original."""

    modified: Time
    checksum: Name
    checksum_value: Name


class ProofIn(Strict):
    """What a comparison gave."""

    state: State
    files: Annotated[tuple[Time, Time, Time, Time], Field()]
    offset: Frame
    reasons: Annotated[tuple[Line, ...], Field(max_length=1000)]
    notes: Annotated[tuple[Line, ...], Field(max_length=1000)]
    likeness: Number
    curve: Annotated[tuple[tuple[Frame, Number], ...], Field(max_length=100_000)]
    better_offset: Frame | None
    accepted: bool


class ProxyIn(FileIn):
    """A proxy of a clip."""

    offset: Frame
    proof: ProofIn | None = None
    made: bool | None = None


class ClipIn(Strict):
    """A clip besides its files."""

    clip: Id
    pin: Side | None = None
    source: PathText = ""
    tags: Annotated[tuple[Name, ...], Field(max_length=1000)] = ()
    sidecars: Annotated[tuple[tuple[Id, PathText], ...], Field(max_length=100_000)] = ()


class BakeIn(Strict):
    """A baked stretch."""

    timeline: Id
    start: Annotated[int, Field(ge=0, le=10**10)]
    end: _Positive
    side: Side
    digest: Name
    shelf: Id
    path: PathText


ROOM: TypeAdapter[int] = TypeAdapter(Annotated[int, Field(strict=True, ge=0, le=10**15)])  # bytes that bakes may take


class SettingsIn(Strict):
    """What a timeline is."""

    name: Name
    rate: Exact
    width: Annotated[int, Field(ge=0, le=65_536)]
    height: Annotated[int, Field(ge=0, le=65_536)]
    mark_in: Frame | None = None
    mark_out: Frame | None = None
    start: Annotated[int, Field(ge=0, le=10**9)] = 0
    drop: bool = False
    shape: Literal["fit", "fill", "pixels"] = "fit"
    sound_rate: Literal[44_100, 48_000, 96_000] = 48_000
    id: Id | None = None


class TrackIn(Strict):
    """A track besides its blocks."""

    kind: Name
    name: Name
    enabled: bool = True
    locked: bool = False
    id: Id | None = None


class MoveIn(Strict):
    """A slow movement of a block's picture."""

    x: Number = 0.0
    y: Number = 0.0
    scale: Number = 1.0
    opacity: Number = 1.0
    ease: bool = True
    begin: Annotated[int, Field(ge=-(10**10), le=10**10)] = 0
    length: Annotated[int, Field(ge=0, le=10**10)] = 0


class EffectsIn(Strict):
    """What is done to a block."""

    placement: Annotated[dict[Name, Number | Id], Field(max_length=20)] = Field(default_factory=dict)
    colour: Annotated[dict[Name, Number | Id], Field(max_length=20)] = Field(default_factory=dict)
    gain: Annotated[float, Field(ge=-200, le=60, allow_inf_nan=False)] = 0.0
    fade_in: Annotated[int, Field(ge=0, le=10**10)] = 0
    fade_out: Annotated[int, Field(ge=0, le=10**10)] = 0
    move: MoveIn | None = None
    keep_pitch: bool = False


class BlockIn(Strict):
    """A stretch of a clip on a track."""

    clip: Id
    block: Id
    start: Annotated[int, Field(ge=0, le=10**10)]
    length: _Positive
    source_start: Exact
    room: Exact
    speed: Exact = Field(default="1", validate_default=True)
    link: Id = ""
    dissolve: Annotated[list[Annotated[int, Field(ge=0, le=10**10)]], Field(min_length=2, max_length=2)] | None = None
    effects: EffectsIn | None = None
    pin: Side | None = None


class TitleIn(Strict):
    """Text as a picture."""

    text: Words
    face: Name
    size: Number
    spot: Name
    colour: Name = "#faf6ec"
    edge: Name = "outline"
    align: Name = "as the position"
    roll: bool = False


class MarkerIn(Strict):
    """A note at a frame."""

    frame: Annotated[float, Field(ge=-1e10, le=1e10, allow_inf_nan=False)]
    note: Words
    id: Id | None = None
