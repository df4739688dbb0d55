"""From an original's stored picture to its proxy's: progressive, small, through the LUT, upright, in square pixels."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path

from av.filter import Graph
from av.video.frame import VideoFrame

from ..media import MediaInfo, filter_chain
from ..media.chain import Step
from ..media.pictures import source_colorspace
from ..presets import Proxies
from .encoders import ENCODERS, Encoder

_TURNS: dict[int, tuple[str, ...]] = {
    90: ("transpose=clock",), 180: ("hflip", "vflip"), 270: ("transpose=cclock",)
}  # fmt: skip
_BT709, _BT601 = 1, 5  # ITU-T H.273
_SWS_BT709 = 1
UNSPECIFIED = 2
_MATRIX_NAMES = {1: "bt709", 5: "bt601", 6: "bt601", 7: "smpte240m", 9: "bt2020", 10: "bt2020"}


def picture_graph(
    frame: VideoFrame,
    time_base: Fraction,
    original: MediaInfo,
    size: tuple[int, int],
    encoder: Encoder,
    lut: Path | None = None,
) -> Graph:
    """The filters for frames like ``frame``; ``size``: (width, height) of the proxy, upright, in pixels."""
    turned = original.rotation % 180 == 90
    width, height = size[::-1] if turned else size
    steps: list[Step] = ["bwdif=mode=send_frame:deint=interlaced"] if original.interlaced else []
    steps += _scaled(frame, width, height, encoder, lut)
    steps.append("setsar=1")
    steps += _TURNS.get(original.rotation, ())
    steps.append(f"format={encoder.pixel_format}")
    return filter_chain(frame, time_base, steps)


def _scaled(frame: VideoFrame, width: int, height: int, encoder: Encoder, lut: Path | None) -> list[Step]:
    out_range = "full" if encoder.full_range else "limited"
    matrix = matrix_name(frame)
    small = f"scale={width}:{height}:flags=area"
    if lut is not None:
        deep = max(component.bits for component in frame.format.components) > 8
        return [
            f"{small}:in_color_matrix={matrix}",
            f"format={'gbrp10le' if deep else 'gbrp'}",
            ("lut3d", {"file": str(lut), "interp": "tetrahedral"}),
            f"scale=out_color_matrix={_out_matrix(frame, encoder, True)}:out_range={out_range}",
        ]
    if is_rgb(frame):
        return [f"{small}:out_color_matrix={_out_matrix(frame, encoder, False)}:out_range={out_range}"]
    out = _out_matrix(frame, encoder, False)
    return [f"{small}:in_color_matrix={matrix}:out_color_matrix={out}:out_range={out_range}"]


def _out_matrix(frame: VideoFrame, encoder: Encoder, through_lut: bool) -> str:
    return _MATRIX_NAMES[_matrix_in_proxy(frame, encoder, through_lut)]


def _matrix_in_proxy(frame: VideoFrame, encoder: Encoder, through_lut: bool) -> int:
    """The codec's only one, BT.709 for what a LUT or RGB leads to, else the original's."""
    if encoder.matrix is not None:
        return encoder.matrix
    return _BT709 if through_lut or is_rgb(frame) else matrix_of(frame)


def is_rgb(frame: VideoFrame) -> bool:
    """Whether the picture is stored as red, green and blue."""
    return frame.format.is_rgb or frame.format.name.startswith("gbr")


def matrix_of(frame: VideoFrame) -> int:
    """The H.273 number of the matrix by which the frame is shown: its own, or the usual one for its size."""
    if int(frame.colorspace) in _MATRIX_NAMES:
        return int(frame.colorspace)
    return _BT709 if source_colorspace(frame) == _SWS_BT709 else _BT601


def matrix_name(frame: VideoFrame) -> str:
    """What the scaling filter calls that matrix."""
    return _MATRIX_NAMES[matrix_of(frame)]


def tags_for(frame: VideoFrame, settings: Proxies) -> tuple[int, int, int]:
    """(primaries, transfer, matrix) to write into the proxy, H.273 numbers: what a LUT or RGB leads to is BT.709.

    An original that does not say its matrix gets it said in the proxy, whose smaller size would have it guessed
    otherwise.
    """
    matrix = _matrix_in_proxy(frame, ENCODERS[settings.codec], settings.lut is not None)
    if settings.lut is not None:
        return _BT709, _BT709, matrix
    return _said(int(frame.color_primaries)), _said(int(frame.color_trc)), matrix


def _said(tag: int) -> int:
    """BT.709 where the original does not say: the container keeps no matrix without the other two."""
    return _BT709 if tag in (0, UNSPECIFIED) else tag


class LutFile:
    """The LUT of a preset as a file for the filter, while it is needed: a context manager; None without a LUT."""

    def __init__(self, settings: Proxies) -> None:
        self._content = settings.lut.content() if settings.lut is not None else None
        self._file: tempfile._TemporaryFileWrapper[bytes] | None = None

    def __enter__(self) -> Path | None:
        if self._content is None:
            return None
        self._file = tempfile.NamedTemporaryFile(suffix=".cube")
        self._file.write(self._content)
        self._file.flush()
        return Path(self._file.name)

    def __exit__(self, *_error: object) -> None:
        if self._file is not None:
            self._file.close()
