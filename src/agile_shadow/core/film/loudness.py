"""Loudness of sound by EBU R 128 (ITU-R BS.1770): integrated, range, true peak."""

from __future__ import annotations

import math
from dataclasses import dataclass

import av
import numpy as np
from av.filter import Graph

from ..compositing.mixer import Samples
from ..media import SAMPLE_RATE

_SILENT = -70.0  # LUFS: below it nothing is counted
TRUE_PEAK = -1.0  # dBTP: the highest that sound is brought to


@dataclass(frozen=True)
class Loudness:
    """``integrated`` in LUFS, ``range`` in LU, ``true_peak`` in dBTP. Silence is -70 LUFS."""

    integrated: float
    range: float
    true_peak: float

    @property
    def silent(self) -> bool:
        """Whether nothing loud enough to be measured was heard."""
        return self.integrated <= _SILENT

    def to_json(self) -> dict[str, float]:
        """Rounded to tenths."""
        return {"integrated": round(self.integrated, 1), "range": round(self.range, 1),
                "true_peak": round(self.true_peak, 1)}  # fmt: skip

    def gain_to(self, target: float) -> tuple[float, str]:
        """Decibels that bring it to ``target`` LUFS, and why it is not all of them; "" where it is."""
        if self.silent:
            return 0.0, "the sound is silent and stays as it is"
        wanted = target - self.integrated
        most = TRUE_PEAK - self.true_peak
        if wanted > most:
            reached = self.integrated + most
            return most, (
                f"the sound reaches {reached:.1f} LUFS and not {target:g}: its peaks would go over {TRUE_PEAK:g} dBTP"
            )
        return wanted, ""


class LoudnessMeter:
    """Measures what it is fed, through the media library's filter."""

    def __init__(self, rate: int = SAMPLE_RATE) -> None:
        self._rate = rate
        self._graph = Graph()
        source = self._graph.add(
            "abuffer", sample_rate=str(rate), sample_fmt="flt", channel_layout="stereo",
            time_base=f"1/{rate}",
        )  # fmt: skip
        meter = self._graph.add("ebur128", "peak=true:metadata=1:framelog=quiet")
        sink = self._graph.add("abuffersink")
        source.link_to(meter)
        meter.link_to(sink)
        self._graph.configure()
        self._position = 0
        self._last: dict[str, str] = {}
        self._peak = 0.0

    def feed(self, samples: Samples) -> None:
        """The next samples: float32 (count, 2)."""
        if not len(samples):
            return
        whole = np.ascontiguousarray(samples, np.float32).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(whole, format="flt", layout="stereo")
        frame.sample_rate, frame.pts = self._rate, self._position
        self._position += len(samples)
        self._graph.push(frame)
        self._take()

    def _take(self) -> None:
        while True:
            try:
                measured = self._graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            values = dict(measured.metadata) if measured is not None else {}
            if values:
                self._last = values
                peaks = [float(value) for key, value in values.items() if "true_peaks_ch" in key]
                self._peak = max([self._peak, *peaks])

    def result(self) -> Loudness:
        """Of all that was fed; less than 0.4 s is told as silence."""
        self._graph.push(None)
        self._take()
        integrated = float(self._last.get("lavfi.r128.I", _SILENT))
        peak = 20 * math.log10(self._peak) if self._peak > 0 else -120.0
        spread = float(self._last.get("lavfi.r128.LRA", 0.0))
        return Loudness(max(_SILENT, integrated), spread, peak)
