"""Sound to the machine's device, where there is one."""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import sentence
from ..late import sounddevice
from ..media import SAMPLE_RATE

log = logging.getLogger(__name__)
_BLOCK = 1024  # samples
_AHEAD = 12  # blocks
_STILL, _OPENING = 1.0, 15.0  # seconds without a block after which a device has failed: while it plays, before it does


class Source(Protocol):
    """Gives stereo samples; used and closed on the sound's own thread."""

    def read(self, position: int, count: int, /) -> NDArray[np.float32]: ...
    def close(self) -> None: ...


class SoundOutput:
    """Plays stereo samples that a source gives. Without a device :attr:`problem` says why, and playing is silent."""

    def __init__(self, library: Any = None, now: Callable[[], float] = time.monotonic) -> None:
        self.problem: str | None = "looking for a sound device" if library is None else None
        self._library = library
        self._now = now
        self._run: _Run | None = None
        self._ending: list[_Run] = []

    def find_device(self) -> None:
        """Look for a device; slow on some machines, so not for the interface thread."""
        try:
            sounddevice.query_devices(kind="output")
        except OSError:
            self.problem = "no sound: the system package libportaudio2 is missing"
        except (sounddevice.PortAudioError, ValueError):
            self.problem = "no sound: this machine has no sound device"
        else:
            self._library, self.problem = sounddevice, None

    def start(self, open_source: Callable[[], Source], position: int) -> _Run | None:
        """Begin to play from sample ``position``; the stretch that keeps the time, None when there is no device.
        Returns before the device is open.

        Without a device the source is read all the same, in time, so that its levels can be shown.
        """
        self.stop()
        self._run = _Run(self._library, open_source, position, self._on_failure, self._now)
        return self._run if self._library is not None else None

    def _on_failure(self, reason: str) -> None:
        self.problem = reason

    @property
    def failed(self) -> str:
        """Why what plays now is not heard; "" while it is."""
        return self._run.failed if self._run is not None else ""

    def reading_for(self) -> float:
        """Seconds that the block at hand has been read for so far; 0 while none is."""
        return self._run.reading_for() if self._run is not None else 0.0

    def levels(self) -> tuple[float, float] | None:
        """Peaks of the block that plays, left and right, 1 is full scale; None while nothing plays."""
        return self._run.levels if self._run is not None else None

    def stop(self) -> None:
        """Fall silent."""
        if self._run is not None:
            self._run.stopped.set()
            self._ending = [*(run for run in self._ending if run.thread.is_alive()), self._run]
            self._run = None

    def close(self, limit: float | None = None) -> bool:
        """Fall silent, and wait for the end of the threads; whether they had ended within ``limit`` seconds each."""
        self.stop()
        for run in self._ending:
            run.thread.join(limit)
        return not any(run.thread.is_alive() for run in self._ending)


class _Run:
    """One stretch of playing: a thread that opens the device, feeds it, and closes it."""

    def __init__(
        self, library: Any, open_source: Callable[[], Source], position: int, on_failure: Callable[[str], None],
        now: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self.stopped = threading.Event()
        self.failed = ""
        self.levels: tuple[float, float] | None = None
        self._library = library
        self._open_source = open_source
        self._position = position
        self._on_failure = on_failure
        self._now = now
        self._blocks: queue.Queue[NDArray[np.float32]] = queue.Queue(_AHEAD)
        self._played = 0
        self._stamp = now()
        self._reading_since = 0.0
        self.thread = threading.Thread(target=self._feed, name="sound", daemon=True)
        self.thread.start()

    def elapsed(self) -> float:
        """Seconds heard, as far as the device says; 0 until it begins. One that stands still has failed."""
        since = self._now() - self._stamp
        if since > (_STILL if self._played else _OPENING) and not self.stopped.is_set():
            waits = self.reading_for() > _STILL / 2
            self._fail("its file does not answer" if waits else "the sound device stands still")
        if not self._played:
            return 0.0
        return (self._played - _BLOCK) / SAMPLE_RATE + min(since, _BLOCK / SAMPLE_RATE)

    def reading_for(self) -> float:
        """Seconds that the block at hand has been read for so far; 0 while none is."""
        since = self._reading_since
        return time.monotonic() - since if since else 0.0

    def _read(self, source: Source) -> NDArray[np.float32]:
        self._reading_since = time.monotonic()
        try:
            return source.read(self._position, _BLOCK)
        finally:
            self._reading_since = 0.0

    def _fail(self, what: str) -> None:
        if not self.failed:
            self.failed = what
            self._on_failure(f"no sound: {what}")
        self.stopped.set()

    def _feed(self) -> None:
        """On its thread: whatever ends it is told, and playing goes on silently."""
        try:
            source = self._open_source()
            try:
                self._feed_from(source)
            finally:
                source.close()
        except Exception as error:
            log.warning("sound: %s", error, exc_info=True)
            device = self._library is not None and isinstance(error, self._library.PortAudioError)
            what = "the sound device does not open" if device else f"it cannot be read ({sentence(error).rstrip('.')})"
            self._fail(what)

    def _feed_from(self, source: Source) -> None:
        if self._library is None:
            self._feed_nobody(source)
            return
        self._blocks.put(self._read(source))
        with self._library.OutputStream(
            samplerate=SAMPLE_RATE, channels=2, dtype="float32", blocksize=_BLOCK, callback=self._on_block
        ):
            while not self.stopped.is_set():
                self._position += _BLOCK
                self._put(self._read(source))

    def _feed_nobody(self, source: Source) -> None:
        """Read in time with the clock, for the levels alone."""
        begun, blocks = self._now(), 0
        while not self.stopped.is_set():
            self._weigh(self._read(source))
            self._position += _BLOCK
            blocks += 1
            self.stopped.wait(max(0.0, begun + blocks * _BLOCK / SAMPLE_RATE - self._now()))

    def _weigh(self, block: NDArray[np.float32]) -> None:
        peaks = np.abs(block).max(axis=0)
        self.levels = (float(peaks[0]), float(peaks[1]))

    def _put(self, block: NDArray[np.float32]) -> None:
        while not self.stopped.is_set():
            try:
                self._blocks.put(block, timeout=0.1)
                return
            except queue.Full:
                continue

    def _on_block(self, out: NDArray[np.float32], frames: int, _time: Any, _status: Any) -> None:
        """On the device's thread, where an exception would end the sound without a word."""
        try:
            block = self._blocks.get_nowait()
            out[:] = np.clip(block, -1, 1)
            self._weigh(block)
        except queue.Empty:
            out[:] = 0
        except Exception as error:
            log.exception("a block of sound")
            out[:] = 0
            self._fail(f"it cannot be played ({sentence(error).rstrip('.')})")
        self._played, self._stamp = self._played + frames, self._now()
