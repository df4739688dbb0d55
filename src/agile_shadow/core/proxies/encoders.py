"""The proxy codecs: how each encoder is set up for a preset."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from ..presets import Proxies
from ..time import nominal_rate

Options = dict[str, str]
_BT709, _BT601 = 1, 5  # JPEG (ITU-T T.871) knows no other


@dataclass(frozen=True)
class Encoder:
    """A library encoder, its pixel format, its options for a frame rate, and what a probe calls its codec."""

    library: str
    decoded_as: str
    pixel_format: str
    options: Callable[[Fraction, Proxies], Options]
    full_range: bool = False
    matrix: int | None = None  # the only one the codec knows (ITU-T H.273), where it cannot say which it uses


def _h264(rate: Fraction, settings: Proxies, group: int) -> Options:
    options = {"preset": "ultrafast", "tune": "fastdecode", "bf": "0", "g": str(group)}
    if settings.megabits is None:
        return {**options, "crf": {"light": "26", "usual": "21", "fine": "17"}[settings.quality]}
    return {**options, **_within(settings.megabits)}


def _within(megabits: float) -> Options:
    """Keeps to a data rate over half a second; MJPEG heeds its rate only with these."""
    kilobits = round(megabits * 1000)
    return {"maxrate": f"{kilobits}k", "bufsize": f"{kilobits // 2}k"}


def group_length(settings: Proxies, rate: Fraction) -> int:
    """Frames from one key frame to the next."""
    return max(1, nominal_rate(rate) // 2) if settings.codec == "h264" else 1  # half a second: short enough to scrub


def _mjpeg(rate: Fraction, settings: Proxies) -> Options:
    if settings.megabits is not None:
        return _within(settings.megabits)
    level = {"light": "8", "usual": "3", "fine": "2"}[settings.quality]
    return {"qmin": level, "qmax": level}


def _cineform(rate: Fraction, settings: Proxies) -> Options:
    return {"quality": {"light": "low", "usual": "medium", "fine": "film1"}[settings.quality]}


def _profile(**options: str) -> Callable[[Fraction, Proxies], Options]:
    return lambda rate, settings: dict(options)


def _groups(rate: Fraction, settings: Proxies) -> Options:
    return _h264(rate, settings, group_length(settings, rate))


ENCODERS = {
    "h264": Encoder("libx264", "h264", "yuv420p", _groups),
    "h264-intra": Encoder("libx264", "h264", "yuv420p", _groups),
    "dnxhr-lb": Encoder("dnxhd", "dnxhd", "yuv422p", _profile(profile="dnxhr_lb"), matrix=_BT709),
    "dnxhr-sq": Encoder("dnxhd", "dnxhd", "yuv422p", _profile(profile="dnxhr_sq"), matrix=_BT709),
    "prores-proxy": Encoder("prores_ks", "prores", "yuv422p10le", _profile(profile="0", vendor="apl0")),
    "prores-lt": Encoder("prores_ks", "prores", "yuv422p10le", _profile(profile="1", vendor="apl0")),
    "cineform": Encoder("cfhd", "cfhd", "yuv422p10le", _cineform),
    "mjpeg": Encoder("mjpeg", "mjpeg", "yuvj422p", _mjpeg, full_range=True, matrix=_BT601),
}
