"""The proxy codecs: how each encoder is set up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from ..time import nominal_rate


@dataclass(frozen=True)
class Encoder:
    """A library encoder, its pixel format, its options for a frame rate, and what a probe calls its codec."""

    library: str
    decoded_as: str
    pixel_format: str
    options: Callable[[Fraction], dict[str, str]]
    full_range: bool = False


def _h264(rate: Fraction) -> dict[str, str]:
    group = max(1, nominal_rate(rate) // 2)  # half a second: short enough to scrub
    return {"preset": "ultrafast", "tune": "fastdecode", "crf": "21", "bf": "0", "g": str(group)}


ENCODERS = {
    "h264": Encoder("libx264", "h264", "yuv420p", _h264),
    "dnxhr-lb": Encoder("dnxhd", "dnxhd", "yuv422p", lambda rate: {"profile": "dnxhr_lb"}),
    "prores-proxy": Encoder("prores_ks", "prores", "yuv422p10le", lambda rate: {"profile": "0", "vendor": "apl0"}),
    "mjpeg": Encoder("mjpeg", "mjpeg", "yuvj422p", lambda rate: {"qmin": "3", "qmax": "3"}, full_range=True),
}
