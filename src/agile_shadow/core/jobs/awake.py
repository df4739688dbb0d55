"""Keeping the machine awake while work goes on, where the system lets us (systemd-inhibit(1))."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from contextlib import suppress

_HOLD = [
    "--what=idle:sleep",
    "--who=Agile Shadow",
    "--why=Footage is being copied and proxies are made",
    "--mode=block",
]


class Awake:
    """Off at first. ``find``: where a command lies, None when it is not there."""

    def __init__(self, find: Callable[[str], str | None] = shutil.which) -> None:
        self._command = find("systemd-inhibit")
        self._process: subprocess.Popen[bytes] | None = None

    @property
    def holds(self) -> bool:
        """Whether the machine is kept awake at this moment."""
        return self._process is not None and self._process.poll() is None

    def keep(self, on: bool) -> None:
        """Keep the machine awake from now on, or no longer."""
        if on and self._command and self._process is None:
            with suppress(OSError):
                # it holds as long as its input is open, so it ends with this process however that ends
                self._process = subprocess.Popen(
                    [self._command, *_HOLD, "cat"], stdin=subprocess.PIPE, stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                )  # fmt: skip
        elif not on and self._process is not None:
            if self._process.stdin is not None:
                with suppress(OSError):
                    self._process.stdin.close()
            self._process.wait()
            self._process = None
