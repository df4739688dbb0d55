"""Any frame of a file by its number, exact, and cheap when read in order."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.video.frame import VideoFrame

from ..errors import MediaError
from . import hardware
from .index import FrameIndex, read_index
from .lightening import Light, is_smaller, lightened
from .opening import open_media
from .pictures import say_matrix
from .recording import is_joined

_LIGHT_PIXELS = 2_300_000  # up to full HD one frame at a time (low delay), above it frames in parallel (throughput)
_READ_THROUGH = 4  # frames that are decoded through rather than sought past


class Overtaken(Exception):
    """The frame asked for is not wanted any more."""


class FrameReader:
    """Reads frames of one video file. Not for use by two threads at a time. A context manager.

    ``rate``: frames per second of a numbered sequence. ``index`` gives number and time of every frame. ``light``: what
    decoding leaves out; where that is frames, the next one stands for them. ``device``: a decoder in hardware that is
    asked, "" for software; what goes wrong there is done again in software, unless it never ``falls_back``. Raises
    MediaError when the file cannot be used.
    """

    def __init__(
        self, path: Path, rate: Fraction | None = None, light: Light = Light.WHOLE, device: str = "",
        falls_back: bool = True,
    ) -> None:  # fmt: skip
        self.path = path
        self._rate = rate
        self._light = light
        self._device, self._falls_back = device, falls_back
        self._open()
        try:
            self.index: FrameIndex = read_index(self.path, self._stream)
        except BaseException:
            self._container.close()
            raise
        self.sample_aspect = Fraction(self._stream.sample_aspect_ratio or 1) or Fraction(1)
        self._decoded: Iterator[VideoFrame] = iter(())
        self._last: VideoFrame | None = None
        self._position = -2  # number of the frame in _last
        self._between = -2  # number of the one read before it

    def _open(self) -> None:
        try:
            self._container = open_media(self.path, self._rate, self._device)
        except (MediaError, *hardware.FAULTS) as error:
            device = self._leave_device()
            if not device:
                raise
            self._container = open_media(self.path, self._rate)
            hardware.fail(device, error)
        if not self._container.streams.video:
            self._container.close()
            raise MediaError("has no picture", self.path, "Choose a file with video.")
        self._stream = self._container.streams.video[0]
        context = self._stream.codec_context
        self._stream.thread_type = "SLICE" if context.width * context.height <= _LIGHT_PIXELS else "AUTO"
        lines = context.height
        self._light = lightened(self._stream, self._light)
        self._lines = lines if is_smaller(context.name, self._light) else None

    def _leave_device(self) -> str:
        """From now on decode in software, where that may be; the device that was asked so far."""
        if not self._falls_back:
            return ""
        device, self._device = self._device, ""
        return device

    def __enter__(self) -> FrameReader:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the file."""
        self._last = None
        self._decoded = iter(())
        self._container.close()

    @property
    def position(self) -> int:
        """Number of the last frame read; negative before the first."""
        return self._position

    def frame(self, number: int, overtaken: Callable[[], bool] = lambda: False) -> VideoFrame:
        """Frame ``number`` (0 is the first). ``overtaken`` is asked between decoded frames; True raises Overtaken.

        Raises IndexError outside the file and MediaError when it cannot be decoded.
        """
        if not 0 <= number < len(self.index):
            raise IndexError(f"frame {number} of {len(self.index)} in {self.path}")
        if self._last is not None and (number == self._position or self._stands_for(number)):
            return self._last
        try:
            if self._should_seek(number):
                self._seek(number)
            return self._decode_to(number, overtaken)
        except (StopIteration, *hardware.FAULTS) as error:
            self._position = -2
            device = self._leave_device()
            if self._lines is not None:  # it holds no smaller picture
                self._light = Light.WHOLE
                self._reopen()
                return self.frame(number, overtaken)
            if device:
                self._reopen()
                frame = self.frame(number, overtaken)
                hardware.fail(device, error)  # not the file's trouble: software reads it
                return frame
            if isinstance(error, av.error.FFmpegError | StopIteration):
                raise MediaError(f"frame {number} cannot be decoded", self.path, "Check the file.") from error
            raise

    def _reopen(self) -> None:
        self.close()
        self._open()

    def _stands_for(self, number: int) -> bool:
        """Whether the last frame read stands for one that was left out."""
        return self._light == Light.THINNED and self._between < number <= self._position

    def _should_seek(self, number: int) -> bool:
        if number <= self._position or self._position < 0:
            return True
        key = self.index.key_before(number)
        return key > self._position and number - self._position > _READ_THROUGH

    def _seek(self, number: int) -> None:
        """Stand so that decoding reaches ``number``; goes further back when the container lands too late."""
        key = self.index.key_before(number)
        while key > 0:
            self._go_to(int(self.index.times[key]))
            if self._first_decoded() <= number:
                return
            key = self.index.key_before(key - 1)
        self._go_to(int(self.index.times[0]))
        if self._first_decoded() > number:  # some containers cannot seek to their own start
            self._reopen()
            self._first_decoded()

    def _go_to(self, ticks: int) -> None:
        """Seek to the key at that time; in a recording of several files by microseconds, well past a joint."""
        if not is_joined(self.path):
            self._container.seek(ticks, stream=self._stream, backward=True)
            return
        inside = ticks * self.index.time_base + 1 / (2 * self.index.rate())
        self._container.seek(round(inside * 1_000_000), backward=True)

    def _first_decoded(self) -> int:
        """Decode one frame from where the container stands; its number, or one past the end."""
        self._decoded = self._container.decode(self._stream)
        if self._device:
            self._decoded = hardware.hardware().decoded(self._device, self._decoded)
        frame = next(self._decoded, None)
        if frame is None:
            return len(self.index)
        say_matrix(frame, self._stream, self._lines)
        self._last, self._position = frame, max(0, self._number_of(frame))
        self._between = self._position - 1
        return self._position

    def _decode_to(self, number: int, overtaken: Callable[[], bool]) -> VideoFrame:
        while self._position < number:
            if overtaken():
                raise Overtaken
            frame = next(self._decoded, None)
            if frame is None and self._light == Light.THINNED and self._last is not None:
                return self._last  # those after it are left out
            if frame is None:
                raise StopIteration
            say_matrix(frame, self._stream, self._lines)
            self._between, self._last, self._position = self._position, frame, self._number_of(frame)
        assert self._last is not None
        return self._last

    def _number_of(self, frame: VideoFrame) -> int:
        if frame.pts is None:
            return self._position + 1 if self._position >= 0 else 0
        return int(np.searchsorted(self.index.times, frame.pts, side="right")) - 1
