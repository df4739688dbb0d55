"""Where worker processes come from: one process that has loaded what their tasks need and forks them, so that a worker
is there after milliseconds and shares that memory, instead of loading it all for the better part of a second.

The nursery begins with the first worker, runs no thread and no task of its own, and ends when its socket to the program
closes. Its workers are the program's own children all the same: each is forked by a process between that ends at once,
and the kernel gives it to the program, which takes orphans in at that moment (prctl(2), PR_SET_CHILD_SUBREAPER). So a
worker ends with the program and not some time after it, whatever ended that: whoever goes on with its work finds nobody
at it.
"""

from __future__ import annotations

import atexit
import ctypes
import gc
import importlib
import logging
import os
import pickle
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

from . import worker

log = logging.getLogger(__name__)

_PR_SET_PDEATHSIG, _PR_SET_CHILD_SUBREAPER = 1, 36
_LENGTH = struct.Struct("<I")
_MOMENT = 0.0002  # seconds
_LOOK = os.WEXITED | os.WNOWAIT  # look whether it has ended, and leave its number taken
_TRIES = 2  # a nursery that somebody ended is begun anew once


class Grown:
    """A worker process, a child of this one: until its end was taken note of here, its number ``pid`` is nobody
    else's."""

    def __init__(self, pid: int) -> None:
        self.pid = pid
        self._noted = False
        self._lock = threading.Lock()

    @property
    def alive(self) -> bool:
        """Whether it has not ended."""
        with self._lock, suppress(ChildProcessError):
            return not self._noted and os.waitid(os.P_PID, self.pid, _LOOK | os.WNOHANG) is None
        return False

    def send(self, which: signal.Signals) -> None:
        """Send a signal; nothing happens where it has ended."""
        with self._lock, suppress(ProcessLookupError):
            if not self._noted:
                os.kill(self.pid, which)

    def end(self) -> None:
        """End it and wait for that: afterwards it writes nothing more."""
        self.send(signal.SIGKILL)
        with suppress(ChildProcessError):  # it ended before it was ours
            if not self._noted:
                os.waitid(os.P_PID, self.pid, _LOOK)
        with self._lock, suppress(ChildProcessError):
            if not self._noted:
                self._noted = True
                os.waitid(os.P_PID, self.pid, os.WEXITED)


class Nursery:
    """The parent's side. Any thread may ask for a worker."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._channel: socket.socket | None = None

    def worker(self, pipe: Connection[Any, Any], module: str) -> Grown:
        """A worker at the other end of a pipe, with this process's environment and folder as they are now.

        ``module``: what its first task needs; it is loaded in the nursery, for all workers to come. Raises OSError
        where no process can be begun.
        """
        order = pickle.dumps((dict(os.environ), _folder(), module, os.getpid()))
        with self._lock:
            for attempt in range(_TRIES):
                try:
                    return self._ask(order, pipe.fileno())
                except OSError:
                    self._close()
                    if attempt + 1 == _TRIES:
                        raise
        raise AssertionError("not reached")

    def prepare(self, module: str) -> None:
        """Have a module loaded that workers will soon need, beside what this process does meanwhile. Waits for
        nothing; where it cannot be, the first worker loads it."""
        with self._lock, suppress(OSError):
            order = pickle.dumps(({}, "", module, 0))
            (self._channel or self._begin()).sendall(_LENGTH.pack(len(order)) + order)

    def _ask(self, order: bytes, pipe: int) -> Grown:
        channel = self._channel or self._begin()
        ctypes.CDLL(None).prctl(_PR_SET_CHILD_SUBREAPER, 1)
        try:
            socket.send_fds(channel, [_LENGTH.pack(len(order))], [pipe])
            channel.sendall(order)
            answer = channel.recv(_LENGTH.size)
        finally:
            ctypes.CDLL(None).prctl(_PR_SET_CHILD_SUBREAPER, 0)
        if len(answer) != _LENGTH.size:
            raise ConnectionError("the process that begins workers has ended")
        return Grown(_LENGTH.unpack(answer)[0])

    def _begin(self) -> socket.socket:
        mine, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-c", f"from {__name__} import main; main()", str(theirs.fileno())]
            self._process = subprocess.Popen(
                command, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
            )
        self._channel = mine
        return mine

    def _close(self) -> None:
        channel, process, self._channel, self._process = self._channel, self._process, None, None
        if channel is not None:
            channel.close()
        if process is not None:
            process.kill()
            process.wait()

    def close(self) -> None:
        """End the process; its workers go on, and the next worker begins another."""
        with self._lock:
            self._close()


_Order = tuple[dict[str, str], str, str, int]  # environment, folder, module, number of the program's process


def _folder() -> str:
    """The program's folder; "" where it was removed."""
    try:
        return os.getcwd()
    except OSError:
        return ""


def main() -> None:
    """Entry of the process: the file number of its socket is the argument."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    channel = socket.socket(fileno=int(sys.argv[1]))
    while (given := _order(channel)) is not None:
        pipe, order = given
        with suppress(Exception):  # the worker meets the same, and tells it as the task's failure
            importlib.import_module(order[2])
        gc.freeze()  # what is loaded stays in memory that workers share
        if pipe is None:
            continue  # it was only to be loaded
        pid = _forked(channel, pipe, order)
        os.close(pipe)
        channel.sendall(_LENGTH.pack(pid))


def _order(channel: socket.socket) -> tuple[int | None, _Order] | None:
    head, pipes, _flags, _address = socket.recv_fds(channel, _LENGTH.size, 1)
    if len(head) < _LENGTH.size:
        return None  # the program has ended
    left, parts = _LENGTH.unpack(head)[0], []
    while left:
        part = channel.recv(left)
        if not part:
            return None
        parts.append(part)
        left -= len(part)
    return pipes[0] if pipes else None, pickle.loads(b"".join(parts))


def _forked(channel: socket.socket, pipe: int, order: _Order) -> int:
    """Fork a worker by a process between; the worker's number."""
    reads, writes = os.pipe()
    between = os.fork()
    if not between:
        between, pid = os.getpid(), os.fork()
        if not pid:
            channel.close()
            os.close(reads)
            os.close(writes)
            _grow(pipe, order, between)
        os.write(writes, _LENGTH.pack(pid))
        os._exit(0)
    os.waitpid(between, 0)
    answer = os.read(reads, _LENGTH.size)
    os.close(reads)
    os.close(writes)
    return int(_LENGTH.unpack(answer)[0])


def _grow(pipe: int, order: _Order, between: int) -> None:
    """The worker's life, in the forked process. Never returns."""
    environment, folder, _module, program = order
    try:
        if _belongs_to(program, between):
            os.environ.clear()
            os.environ.update(environment)
            with suppress(OSError):
                os.chdir(folder)
            sys.path[0] = folder
            worker.serve(Connection(pipe))
    except ConnectionError:
        pass  # the program ended before it was told
    except BaseException:
        log.exception("a worker ended")
    finally:
        os._exit(0)


def _belongs_to(program: int, between: int) -> bool:
    """Wait until the process between has ended, and ask to end with the program; whether that is still there."""
    while os.getppid() == between:
        time.sleep(_MOMENT)
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    return os.getppid() == program


NURSERY = Nursery()
atexit.register(NURSERY.close)
