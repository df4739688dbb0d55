"""The program made known to the user's desktop: a command, an entry, icons and file types; and taken away again.

All files are the user's own, below the folders of the XDG base directory specification; nothing needs to be root.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from .errors import ShadowError, from_os_error
from .files import written_atomically

APP = "agile-shadow"
MARK = "Written by agile-shadow install"  # in every text file, so that only these are removed
IMAGES = Path(__file__).parents[1] / "desktop" / "images"
SIZES = (16, 24, 32, 48, 64, 128, 256)
PROJECT_TYPE, PRESET_TYPE = "application/x-opentimelineio+json", "application/x-agile-shadow-preset+json"
PRESET_ENDING = ".shadow-preset.json"
_PATIENCE = 30  # seconds for a program that brings the desktop's lists up to date


@dataclass(frozen=True)
class Installed:
    """``files`` written or removed; ``notes``: sentences about what else is to be known."""

    files: tuple[Path, ...]
    notes: tuple[str, ...] = ()


def data_home() -> Path:
    """Where a user's desktop entries, icons and types are."""
    named = os.environ.get("XDG_DATA_HOME", "")
    return Path(named) if named.startswith("/") else Path.home() / ".local" / "share"


def command_path() -> Path:
    """Where the command is put."""
    return Path.home() / ".local" / "bin" / APP


def _texts() -> dict[Path, str]:
    data, command = data_home(), command_path()
    return {
        command: f"#!/bin/sh\n# {MARK}\nexec {_shell(sys.executable)} -m agile_shadow.cli \"$@\"\n",
        data / "applications" / f"{APP}.desktop": _entry(command),
        data / "mime" / "packages" / f"{APP}.xml": _types(),
    }


def _pictures() -> dict[Path, Path]:
    icons = data_home() / "icons" / "hicolor"
    found = {icons / f"{size}x{size}" / "apps" / f"{APP}.png": IMAGES / f"{APP}-{size}.png" for size in SIZES}
    return {**found, icons / "scalable" / "apps" / f"{APP}.svg": IMAGES / f"{APP}.svg"}


def install() -> Installed:
    """Write all files, and have the desktop's lists brought up to date. Raises ShadowError; nothing of others is
    written over."""
    texts = _texts()
    for path in texts:
        if path.is_symlink() or (path.exists() and not _is_ours(path)):
            raise ShadowError("is there already and was not written by this program", path, "Move it away, then retry.")
    for path, text in texts.items():
        _write(path, text, 0o755 if path == command_path() else 0o644)
    for path, picture in _pictures().items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(picture, path)
        except OSError as error:
            raise from_os_error(error, path, ShadowError) from error
    _update_lists()
    return Installed((*texts, *_pictures()), _notes())


def uninstall() -> Installed:
    """Remove what :func:`install` wrote, and nothing else. Raises ShadowError. Projects, presets and footage stay."""
    gone: list[Path] = []
    for path in (*_texts(), *_pictures()):
        ours = _is_ours(path) if path in _texts() else path.is_file()
        if ours and not path.is_symlink():
            try:
                path.unlink()
            except OSError as error:
                raise from_os_error(error, path, ShadowError) from error
            gone.append(path)
    _update_lists()
    return Installed(tuple(gone))


def _write(path: Path, text: str, mode: int) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_atomically(path) as partial:
            partial.write_text(text, encoding="utf-8")
            partial.chmod(mode)
    except OSError as error:
        raise from_os_error(error, path, ShadowError) from error


def _is_ours(path: Path) -> bool:
    try:
        return MARK in path.read_text(encoding="utf-8", errors="replace")[:4000]
    except OSError:
        return False


def _shell(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


def _quoted(text: str) -> str:
    """A path as an argument of an entry's Exec line (Desktop Entry Specification)."""
    for letter in ("\\", '"', "`", "$"):
        text = text.replace(letter, f"\\{letter}")
    return '"' + text.replace("\\", "\\\\").replace("%", "%%") + '"'


def _entry(command: Path) -> str:
    return f"""# {MARK}
[Desktop Entry]
Type=Application
Name=Agile Shadow
GenericName=Proxy manager for video editors
Comment=Make proxies of camera footage, keep them paired, and switch between the two while editing
Exec={_quoted(str(command))} window %f
Icon={APP}
Terminal=false
Categories=AudioVideo;Video;AudioVideoEditing;
Keywords=proxy;footage;ingest;video;
MimeType={PROJECT_TYPE};{PRESET_TYPE};
StartupNotify=true
StartupWMClass={APP}
"""


def _types() -> str:
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<!-- {MARK} -->
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{PROJECT_TYPE}">
    <comment>Timeline or project (OpenTimelineIO)</comment>
    <sub-class-of type="application/json"/>
    <icon name="{APP}"/>
    <glob pattern="*.otio"/>
  </mime-type>
  <mime-type type="{PRESET_TYPE}">
    <comment>Preset of Agile Shadow</comment>
    <sub-class-of type="application/json"/>
    <icon name="{APP}"/>
    <glob pattern="*{PRESET_ENDING}" weight="80"/>
  </mime-type>
</mime-info>
"""


def _update_lists() -> None:
    """Best effort: desktops also look by themselves."""
    data = data_home()
    for command in (
        ("update-desktop-database", "-q", data / "applications"), ("update-mime-database", data / "mime"),
        ("gtk-update-icon-cache", "-q", "-t", "-f", data / "icons" / "hicolor"),
    ):  # fmt: skip
        if shutil.which(str(command[0])) and Path(command[-1]).is_dir():
            with suppress(OSError, subprocess.SubprocessError):
                subprocess.run([str(part) for part in command], timeout=_PATIENCE, capture_output=True, check=False)


def _notes() -> tuple[str, ...]:
    folder = str(command_path().parent)
    if folder in os.environ.get("PATH", "").split(os.pathsep):
        return ()
    return (f"{folder} is not among the folders of PATH: log in again, or add it to PATH in your shell's profile.",)
