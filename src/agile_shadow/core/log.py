"""Where the stack of an error goes: one rotating log file per user."""

from __future__ import annotations

import logging
import logging.handlers
import os
from pathlib import Path

from platformdirs import user_cache_path, user_config_path, user_state_path

APP = "agile-shadow"


def state_folder() -> Path:
    """Folder of this machine's state (queue, log). ``AGILE_SHADOW_HOME`` puts all three elsewhere for a try-out."""
    return _folder("state", user_state_path(APP))


def cache_folder() -> Path:
    """Folder of what can be made again (demo footage)."""
    return _folder("cache", user_cache_path(APP))


def config_folder() -> Path:
    """Folder of what the user made for all projects (presets)."""
    return _folder("config", user_config_path(APP))


def _folder(kind: str, default: Path) -> Path:
    home = os.environ.get("AGILE_SHADOW_HOME")
    path = Path(home) / kind if home else default
    path.mkdir(parents=True, exist_ok=True)
    return path


def set_up_logging() -> None:
    """Send warnings and errors of the program to the log file, once per process."""
    root = logging.getLogger("agile_shadow")
    if root.handlers:
        return
    handler = logging.handlers.RotatingFileHandler(
        state_folder() / "agile-shadow.log", maxBytes=2_000_000, backupCount=2, delay=True
    )
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s %(message)s"))
    root.addHandler(handler)
    root.setLevel(logging.INFO)
