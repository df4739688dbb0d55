"""The commands of a library of small files: presets, film settings."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer

from ..core.errors import ShadowError
from ..core.library import Kept, Library, free_name
from .shared import AsJson, answer, for_each, say, told

M = TypeVar("M", bound=Kept)
Files = Annotated[list[Path], typer.Argument(metavar="FILE...")]
Name = Annotated[str, typer.Argument(metavar="NAME", help="A name, or a file.")]


def commands_for(
    library: Library[M], plural: str, describes: Callable[[M], str], schema: Callable[[], dict[str, Any]]
) -> typer.Typer:
    """``list``, ``show``, ``check``, ``schema``, ``import``, ``export``, ``duplicate``, ``rename``, ``remove``.

    ``plural``: what the answer of ``list`` calls them.
    """
    app = typer.Typer(no_args_is_help=True, help=f"The {plural} there are.")
    _add_looking(app, library, plural, describes, schema)
    _add_changing(app, library)
    return app


def _add_looking(
    app: typer.Typer, library: Library[M], plural: str, describes: Callable[[M], str],
    schema: Callable[[], dict[str, Any]],
) -> None:  # fmt: skip
    @app.command("list", help=f"List the {plural} by name with what they do.")
    def list_(as_json: AsJson = False) -> None:
        found = library.read()
        for problem in found.problems:
            say(problem)
        listed = [{**entry.value.to_json(), "describes": describes(entry.value)} for entry in found.entries]
        values = [{key: value for key, value in one.items() if key not in ("schema", "version")} for one in listed]
        answer({plural.split()[-1]: values}, as_json,
               lambda: (f"{item['name']}: {item['describes']}" for item in values))  # fmt: skip

    @app.command(help="Print one as its file has it; without --json its sentence first, on stderr.")
    def show(name: Name, as_json: AsJson = False) -> None:
        with told():
            found = library.find(name)
        if not as_json:
            say(describes(found))
        answer(found.to_json(), as_json, lambda: iter([library.text(found).rstrip("\n")]))

    @app.command(help="Check whether files can be used, and name the field that is wrong.")
    def check(files: Files, as_json: AsJson = False) -> None:
        def look(path: Path) -> dict[str, Any]:
            found = library.load(path)
            return {"path": str(path), "name": found.name, "describes": describes(found)}

        good, bad = for_each(files, look)
        answer({"good": good, "bad": bad}, as_json, lambda: (f"{item['path']}: {item['name']}" for item in good))
        if bad:
            raise typer.Exit(1)

    @app.command("schema", help="Print the JSON Schema of their files.")
    def schema_(as_json: AsJson = False) -> None:
        values = schema()
        answer(values, as_json, lambda: iter([json.dumps(values, indent=2, ensure_ascii=False)]))


def _add_changing(app: typer.Typer, library: Library[M]) -> None:
    @app.command("import", help="Take files into your library.")
    def import_(files: Files, as_json: AsJson = False) -> None:
        good, bad = for_each(files, lambda path: {"path": str(path), "name": library.take_in(path).name})
        answer({"imported": good, "failed": bad}, as_json, lambda: (f"{item['name']}" for item in good))
        if bad:
            raise typer.Exit(1)

    @app.command(help="Write one into a file of its own, to be sent to somebody.")
    def export(name: Name, file: Annotated[Path, typer.Argument(metavar="FILE")], as_json: AsJson = False) -> None:
        with told():
            if file.exists():
                raise ShadowError("a file of that name is there already", file, "Choose another name.")
            path = library.save(library.find(name), file)
        answer({"path": str(path)}, as_json, lambda: iter([str(path)]))

    @app.command(help="Save one once more under a free name.")
    def duplicate(name: Name, as_json: AsJson = False) -> None:
        with told():
            found = library.find(name)
            free = free_name(found.name, (entry.value.name for entry in library.read().entries))
            library.save(library.parse({**found.to_json(), "name": free}))
        answer({"name": free}, as_json, lambda: iter([free]))

    @app.command(help="Give one of your own another name.")
    def rename(old: str, new: str, as_json: AsJson = False) -> None:
        with told():
            renamed = library.rename(old, new)
        answer({"name": renamed.name}, as_json, lambda: iter([renamed.name]))

    @app.command(help="Move one of your own to the trash.")
    def remove(name: str, as_json: AsJson = False) -> None:
        with told():
            library.remove(name)
        answer({"removed": name}, as_json, lambda: iter([f"{name} moved to the trash."]))
