"""What a clip's file is: one file, a numbered sequence, or a recording in several files.

Decided once, when a source or a project is read, and carried by the type of the path from then on: no name is looked at
for it afterwards, since a real file may be called anything.
"""

from __future__ import annotations

import pathlib
from pathlib import Path
from typing import Literal

Form = Literal["file", "sequence", "parts"]
FORMS: tuple[Form, ...] = ("file", "sequence", "parts")
JOINT = " + "


class _Recorded(pathlib.PosixPath):
    """A path that stands for several files. What is made from it by name is a plain path."""

    @property
    def parent(self) -> Path:  # type: ignore[override]
        """The folder of the files."""
        return Path(self).parent

    def with_name(self, name: str) -> Path:  # type: ignore[override]
        """A plain file in the same folder."""
        return Path(self).with_name(name)

    def __truediv__(self, other: object) -> Path:  # type: ignore[override]
        return Path(self) / str(other)


class SequencePath(_Recorded):
    """The pattern of a numbered sequence, ``SHOT_%04d.dpx``."""


class PartsPath(_Recorded):
    """The files of one recording in order, ``CLP_0007.MOV + CLP_0008.MOV``."""


_KINDS: dict[Form, type[Path]] = {"file": pathlib.PosixPath, "sequence": SequencePath, "parts": PartsPath}


def as_form(path: Path, form: Form) -> Path:
    """The same path as what it stands for."""
    kind = _KINDS[form]
    return path if type(path) is kind else kind(path)


def form_of(path: Path) -> Form:
    """What a path stands for."""
    if isinstance(path, SequencePath):
        return "sequence"
    return "parts" if isinstance(path, PartsPath) else "file"


def is_sequence(path: Path) -> bool:
    """Whether a path stands for a numbered sequence."""
    return isinstance(path, SequencePath)


def is_joined(path: Path) -> bool:
    """Whether a path stands for a recording in several files."""
    return isinstance(path, PartsPath)
