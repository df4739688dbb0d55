"""The formats of a film, as data: what encodes its picture, which files hold it, which sound goes with it."""

from __future__ import annotations

from dataclasses import dataclass

import av

FILES = ("mp4", "mov", "mxf", "mkv", "wav", "pictures", "still")
_MUXERS = {"mp4": "mp4", "mov": "mov", "mxf": "mxf", "mkv": "matroska", "wav": "wav"}
_SOUND = {"mp4": "aac", "mov": "pcm", "mxf": "pcm", "mkv": "pcm", "wav": "pcm"}
_Options = dict[str, str]


@dataclass(frozen=True)
class Format:
    """How a film's picture is written: ``name`` in files, ``label`` on screen, ``library`` the encoder.

    ``files``: the kinds of file that hold it. ``qualities``: its options for light, usual and fine; one where it has
    no choice. ``megabits``: whether a data rate can be asked for. ``smallest``: pixels; ``multiple``: what width and
    height must be divisible by.
    """

    name: str
    label: str
    library: str
    pixel_format: str
    files: tuple[str, ...]
    qualities: tuple[_Options, ...]
    megabits: bool = False
    smallest: tuple[int, int] = (32, 32)
    multiple: tuple[int, int] = (2, 2)
    tag: str = ""

    @property
    def is_rgb(self) -> bool:
        """Whether it holds R G B and not brightness and colour."""
        return not self.pixel_format.startswith("yuv")

    @property
    def ending(self) -> str:
        """Of a file of one picture."""
        return f".{self.name}"


def _crf(library: str, *values: str, **more: str) -> tuple[_Options, ...]:
    return tuple({"crf": value, **more} for value in values)


def _prores(profile: str) -> tuple[_Options, ...]:
    return ({"profile": profile, "vendor": "apl0"},)


def _dnxhr(profile: str) -> tuple[_Options, ...]:
    return ({"profile": profile},)


_MOVING = ("mp4", "mov", "mkv")
_QUIET = {"x265-params": "log-level=error"}
FORMATS = (
    Format("h264", "H.264", "libx264", "yuv420p", _MOVING, _crf("libx264", "24", "18", "14", preset="veryfast"), True),
    Format("hevc", "HEVC", "libx265", "yuv420p", _MOVING,
           _crf("libx265", "27", "22", "18", preset="fast", **_QUIET), True, tag="hvc1"),
    Format("prores-lt", "ProRes 422 LT", "prores_ks", "yuv422p10le", ("mov",), _prores("1")),
    Format("prores-422", "ProRes 422", "prores_ks", "yuv422p10le", ("mov",), _prores("2")),
    Format("prores-hq", "ProRes 422 HQ", "prores_ks", "yuv422p10le", ("mov",), _prores("3")),
    Format("prores-4444", "ProRes 4444", "prores_ks", "yuv444p10le", ("mov",), _prores("4")),
    Format("dnxhr-sq", "DNxHR SQ", "dnxhd", "yuv422p", ("mov", "mxf"), _dnxhr("dnxhr_sq"), smallest=(256, 120)),
    Format("dnxhr-hq", "DNxHR HQ", "dnxhd", "yuv422p", ("mov", "mxf"), _dnxhr("dnxhr_hq"), smallest=(256, 120)),
    Format("dnxhr-hqx", "DNxHR HQX", "dnxhd", "yuv422p10le", ("mov", "mxf"), _dnxhr("dnxhr_hqx"),
           smallest=(256, 120)),
    Format("ffv1", "FFV1, lossless", "ffv1", "yuv422p10le", ("mkv",),
           ({"level": "3", "slicecrc": "1", "slices": "4", "g": "1"},)),
    Format("png", "PNG", "png", "rgb48be", ("pictures", "still"), ({"compression_level": "2"},)),
    Format("tiff", "TIFF", "tiff", "rgb48le", ("pictures", "still"), ({},)),
    Format("dpx", "DPX, 10 bits", "dpx", "gbrp10be", ("pictures", "still"), ({},)),
)  # fmt: skip
_BY_NAME = {one.name: one for one in FORMATS}


def format_named(name: str) -> Format:
    """The format of that name; raises KeyError."""
    return _BY_NAME[name]


def muxer(file: str) -> str:
    """What the media library calls a kind of file; raises KeyError for pictures, which have none."""
    return _MUXERS[file]


def sound_codec(file: str, bits: int) -> str:
    """The encoder of the sound in a kind of file."""
    return "aac" if _SOUND[file] == "aac" else f"pcm_s{bits}le"


def can_encode(library: str) -> bool:
    """Whether the media library here has an encoder."""
    try:
        av.codec.Codec(library, "w")
    except (ValueError, av.error.FFmpegError):
        return False
    return True
