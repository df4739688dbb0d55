"""Small files of one kind kept by name: the ones that came with the program and the user's own, as JSON."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Generic, Protocol, TypeVar

from pydantic import ValidationError
from send2trash import send2trash

from .below import open_ordinary
from .errors import ShadowError, from_os_error, sentence
from .files import written_atomically
from .log import config_folder
from .strict import read_json


class Kept(Protocol):
    """What is kept: it has a name, and values that go into its file."""

    @property
    def name(self) -> str: ...
    def to_json(self) -> dict[str, Any]: ...


M = TypeVar("M", bound=Kept)


@dataclass(frozen=True)
class Entry(Generic[M]):
    """One of a library and its file; a ``shipped`` one cannot be changed, only saved again as one's own."""

    value: M
    path: Path
    shipped: bool


@dataclass(frozen=True)
class Listed(Generic[M]):
    """Usable ones by name, and a sentence for each file that cannot be used."""

    entries: tuple[Entry[M], ...]
    problems: tuple[str, ...]
    former: Mapping[str, str] = field(default_factory=dict)

    def named(self, name: str) -> Entry[M] | None:
        """The entry of that name, or of a shipped one's former name; without regard to case."""
        found = self._called(name)
        return found or self._called(self.former.get(name.casefold(), name))

    def _called(self, name: str) -> Entry[M] | None:
        return next((entry for entry in self.entries if entry.value.name.casefold() == name.casefold()), None)


@dataclass(frozen=True)
class Library(Generic[M]):
    """Where files of a kind lie and how they are read. Its errors are of the kind ``error``.

    ``folder``: of the user's own, below the configuration; ``noun``: what one is, for a person; ``schema`` and
    ``version``: as its files say; ``make``: a value from plain ones; ``largest``: bytes of a file; ``former``: names
    that shipped ones had, in lower case, to those that they have.
    """

    folder: str
    shipped: Path
    noun: str
    schema: str
    version: int
    make: Callable[[dict[str, Any]], M]
    error: type[ShadowError]
    largest: int = 64 << 20
    former: Mapping[str, str] = field(default_factory=dict)

    def user_folder(self) -> Path:
        """Folder of the user's own."""
        folder = config_folder() / self.folder
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def load(self, path: Path) -> M:
        """The one in a file; raises an error that names the field and the reason."""
        path = Path(path)
        try:
            if path.stat().st_size > self.largest:
                raise self.error(f"is far too large for {self._one}", path, "Choose another file.")
            with os.fdopen(open_ordinary(os.path.realpath(path)), encoding="utf-8") as file:
                values = read_json(file.read(self.largest))
        except OSError as error:
            raise from_os_error(error, path, self.error) from error
        except ValueError as error:
            raise self.error(f"is not JSON ({error})", path, f"Fix the file or choose {self._another}.") from error
        return self.parse(values, path)

    def parse(self, values: Any, path: Path | None = None) -> M:
        """One from plain values; raises an error that names the field and the reason."""
        if not isinstance(values, dict) or values.get("schema", self.schema) != self.schema:
            raise self.error(f"is not {self._one}", path, f'{self._one.capitalize()} has "schema": "{self.schema}".')
        version = values.get("version", self.version)
        if isinstance(version, int) and version > self.version:
            raise self.error(f"was written by a newer version ({version})", path, "Update the program to use it.")
        try:
            return self.make(values)
        except (AttributeError, TypeError, KeyError, IndexError, ArithmeticError, RecursionError) as error:
            raise self.error(
                f"is not {self._one}: its fields are of other kinds", path, f"Choose {self._another}."
            ) from error
        except ValidationError as error:
            first = error.errors()[0]
            field = ".".join(str(part) for part in first["loc"]) or f"the {self.noun}"
            reason = first["msg"].removeprefix("Value error, ")
            given = repr(first["input"])
            shown = "" if isinstance(first["input"], dict | list) or len(given) > 80 else f" (it says {given})"
            raise self.error(
                f"field {field}: {reason}{shown}", path, f"Fix the field or choose {self._another}."
            ) from error

    @property
    def _one(self) -> str:
        return self.noun if self.noun.endswith("settings") else f"a {self.noun}"

    @property
    def _another(self) -> str:
        return f"other {self.noun}" if self.noun.endswith("settings") else f"another {self.noun}"

    def save(self, value: M, path: Path | None = None) -> Path:
        """Write one, by default into the user's folder under its name; returns where."""
        target = path or self._own_file(value.name)
        try:
            with written_atomically(target) as partial:
                partial.write_text(self.text(value), encoding="utf-8")
        except OSError as error:
            raise from_os_error(error, target, self.error) from error
        return target

    @staticmethod
    def text(value: M) -> str:
        """Its file: the same settings give the same bytes."""
        return json.dumps(value.to_json(), indent=2, ensure_ascii=False) + "\n"

    def _own_file(self, name: str) -> Path:
        """The user's file that holds one of that name, or a free one for it."""
        known = self.read().named(name)
        if known is not None and not known.shipped:
            return known.path
        stem = re.sub(r"[^\w .,-]+", "_", name)[:80].strip(" .") or self.noun
        for number in range(1, 10_000):
            path = self.user_folder() / (f"{stem}.json" if number == 1 else f"{stem} {number}.json")
            if not path.exists():
                return path
        raise self.error("no free file name was found for it", self.user_folder(), "Choose another name.")

    def read(self) -> Listed[M]:
        """All by name; the user's replace shipped ones of the same name."""
        found: dict[str, Entry[M]] = {}
        problems: list[str] = []
        for path in (*sorted(self.shipped.glob("*.json")), *sorted(self.user_folder().glob("*.json"))):
            try:
                value = self.load(path)
            except ShadowError as error:
                problems.append(sentence(error))
                continue
            found[value.name.casefold()] = Entry(value, path, path.parent == self.shipped)
        entries = tuple(sorted(found.values(), key=lambda one: one.value.name.casefold()))
        return Listed(entries, tuple(problems), self.former)

    def find(self, name_or_path: str) -> M:
        """One by its file or its name; raises an error with the names there are."""
        path = Path(name_or_path)
        if path.suffix == ".json" or path.is_file():
            return self.load(path)
        listed = self.read()
        entry = listed.named(name_or_path)
        if entry is not None:
            return entry.value
        names = ", ".join(f'"{known.value.name}"' for known in listed.entries)
        raise self.error(f'there is no {self.noun} named "{name_or_path}"', None, f"There are: {names}.")

    def take_in(self, path: Path) -> M:
        """Take a file into the library; it gets a free name where its own is taken by other settings."""
        value = self.load(path)
        known = self.read()
        same = known.named(value.name)
        if same is not None and same.value == value:
            return value
        name = free_name(value.name, (entry.value.name for entry in known.entries))
        return self.load(self.save(self.parse({**value.to_json(), "name": name})))

    def rename(self, old: str, new: str) -> M:
        """Give one of the user's own another name; raises where the name is taken or it is a shipped one."""
        known = self.read()
        entry = known.named(old)
        if entry is None or entry.shipped:
            raise self.error(
                f'"{old}" is supplied with the program and cannot be renamed', None, "Duplicate it, then rename that."
            )
        other = known.named(new)
        if other is not None and other.path != entry.path:
            raise self.error(f'there is {self._one} named "{new}" already', None, "Choose another name.")
        return self.load(self.save(self.parse({**entry.value.to_json(), "name": new.strip()}), entry.path))

    def remove(self, name: str) -> None:
        """Put one of the user's own into the trash; raises for a shipped one."""
        entry = self.read().named(name)
        if entry is None or entry.shipped:
            raise self.error(
                f'"{name}" is supplied and cannot be removed', None, f"Only {self.noun}s of your own can be removed."
            )
        try:
            send2trash(entry.path)
        except OSError as error:
            raise from_os_error(error, entry.path, self.error) from error


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """``wanted``, or ``wanted 2`` and so on where that name is taken."""
    used = {name.casefold() for name in taken}
    number, name = 1, wanted
    while name.casefold() in used:
        number += 1
        name = f"{wanted} {number}"
    return name
