"""What a helper keeps of its joining, and the unit with which the system starts it at every login."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated

from pydantic import Field, ValidationError

from ..errors import ShadowError, from_os_error
from ..files import written_atomically
from ..log import config_folder
from ..strict import Name, PathText, Strict, Words
from .helper import JoinedPlace
from .line import JoinLine
from .suite import write_secret

UNIT = "agile-shadow-helper.service"
_MOST = 1 << 20  # bytes of the file that are read


class _Kept(Strict):
    line: Words
    shelves: Annotated[dict[Name, PathText], Field(max_length=200, default_factory=dict)]
    at_a_time: Annotated[int, Field(ge=0, le=64)] = 0


def joined_path() -> Path:
    """Where it is kept; only the user may read it."""
    return config_folder() / "helping.json"


def keep_joined(line: JoinLine, by_hand: Mapping[str, Path], slots: int) -> JoinedPlace:
    """Keep what was said at joining, in place of what was said before. Raises ShadowError."""
    for name, folder in by_hand.items():
        if not folder.is_absolute():
            raise ShadowError("is not a whole path", folder, f"Name the folder of {name} from the root on.")
    kept = _Kept(line=str(line), shelves={name: str(folder) for name, folder in by_hand.items()}, at_a_time=slots)
    path = joined_path()
    try:
        with written_atomically(path) as partial:
            write_secret(partial, json.dumps(kept.model_dump(), indent=1) + "\n")
    except OSError as error:
        raise from_os_error(error, path, ShadowError) from error
    return JoinedPlace(line, by_hand, slots)


def kept_joined() -> JoinedPlace:
    """What was kept. Raises ShadowError when nothing was, or it cannot be read."""
    path = joined_path()
    try:
        with path.open("rb") as file:
            kept = _Kept.model_validate_json(file.read(_MOST))
    except FileNotFoundError as error:
        raise ShadowError("this machine has not joined yet", None, "Name the line of the machine that asks.") from error
    except OSError as error:
        raise from_os_error(error, path, ShadowError) from error
    except ValidationError as error:
        raise ShadowError("cannot be read", path, "Join once more with the line.") from error
    by_hand = {name: Path(folder) for name, folder in kept.shelves.items()}
    return JoinedPlace(JoinLine.read(kept.line), by_hand, kept.at_a_time)


def unit_path() -> Path:
    """Where the user's own units are (systemd.unit(5))."""
    named = os.environ.get("XDG_CONFIG_HOME", "")
    home = Path(named) if named.startswith("/") else Path.home() / ".config"
    return home / "systemd" / "user" / UNIT


def write_unit() -> Path:
    """Write the unit; the user enables it. Raises ShadowError."""
    path, home = unit_path(), os.environ.get("AGILE_SHADOW_HOME")
    more = f"Environment={_quoted(f'AGILE_SHADOW_HOME={home}')}\n" if home else ""
    text = (
        "[Unit]\nDescription=Agile Shadow: makes proxies for another machine\n\n"
        f"[Service]\n{more}ExecStart={_quoted(sys.executable)} -m agile_shadow.cli helpers join\n"
        "Restart=on-failure\nRestartSec=10\nNice=10\n\n[Install]\nWantedBy=default.target\n"
    )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_atomically(path) as partial:
            partial.write_text(text, encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path, ShadowError) from error
    return path


def _quoted(text: str) -> str:
    plain = text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{plain}"'
