"""``agile-shadow presets``: the library, and the format of its files."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.errors import ShadowError
from ..core.presets import (
    Preset,
    describes,
    find_preset,
    free_name,
    import_preset,
    list_presets,
    load_preset,
    preset_text,
    read_library,
    remove_preset,
    rename_preset,
    save_preset,
    schema,
)
from .shared import AsJson, answer, for_each, say, told

app = typer.Typer(no_args_is_help=True, help="The presets there are.")
Name = Annotated[str, typer.Argument(metavar="PRESET", help="Name or file of a preset.")]


def _values(preset: Preset) -> dict[str, Any]:
    values = preset.to_json()
    return {"name": preset.name, "describes": describes(preset), "proxies": values["proxies"],
            "originals": values["originals"], "takes": values["takes"], "when": values["when"]}  # fmt: skip


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the presets by name with what they do."""
    library = read_library()
    for problem in library.problems:
        say(problem)
    listed = [_values(preset) for preset in list_presets()]
    answer({"presets": listed}, as_json, lambda: (f"{item['name']}: {item['describes']}" for item in listed))


@app.command()
def show(preset: Name, as_json: AsJson = False) -> None:
    """Print a preset as its file has it; without --json its sentence first, on stderr."""
    with told():
        found = find_preset(preset)
    if not as_json:
        say(describes(found))
    answer(found.to_json(), as_json, lambda: iter([preset_text(found).rstrip("\n")]))


@app.command()
def check(files: Annotated[list[Path], typer.Argument(metavar="FILE...")], as_json: AsJson = False) -> None:
    """Say of preset files whether they can be used, or which field stands against it."""

    def look(path: Path) -> dict[str, Any]:
        found = load_preset(path)
        return {"path": str(path), "name": found.name, "describes": describes(found)}

    good, bad = for_each(files, look)
    answer({"good": good, "bad": bad}, as_json, lambda: (f"{item['path']}: {item['name']}" for item in good))
    if bad:
        raise typer.Exit(1)


@app.command("schema")
def schema_(as_json: AsJson = False) -> None:
    """Print the JSON Schema of preset files."""
    values = schema()
    answer(values, as_json, lambda: iter([json.dumps(values, indent=2, ensure_ascii=False)]))


@app.command("import")
def import_(files: Annotated[list[Path], typer.Argument(metavar="FILE...")], as_json: AsJson = False) -> None:
    """Take preset files into your library."""
    good, bad = for_each(files, lambda path: {"path": str(path), "name": import_preset(path).name})
    answer({"imported": good, "failed": bad}, as_json, lambda: (f"{item['name']}" for item in good))
    if bad:
        raise typer.Exit(1)


@app.command()
def export(preset: Name, file: Annotated[Path, typer.Argument(metavar="FILE")], as_json: AsJson = False) -> None:
    """Write a preset into a file of its own, to be sent to somebody."""
    with told():
        if file.exists():
            raise ShadowError("a file of that name is there already", file, "Choose another name.")
        path = save_preset(find_preset(preset), file)
    answer({"path": str(path)}, as_json, lambda: iter([str(path)]))


@app.command()
def duplicate(preset: Name, as_json: AsJson = False) -> None:
    """Save a preset once more under a free name."""
    with told():
        found = find_preset(preset)
        name = free_name(found.name, (known.name for known in list_presets()))
        save_preset(found.model_copy(update={"name": name}))
    answer({"name": name}, as_json, lambda: iter([name]))


@app.command()
def rename(old: str, new: str, as_json: AsJson = False) -> None:
    """Give one of your presets another name."""
    with told():
        renamed = rename_preset(old, new)
    answer({"name": renamed.name}, as_json, lambda: iter([renamed.name]))


@app.command()
def remove(name: str, as_json: AsJson = False) -> None:
    """Put one of your presets into the trash."""
    with told():
        remove_preset(name)

    def lines() -> Iterator[str]:
        yield f"{name} lies in the trash."

    answer({"removed": name}, as_json, lines)
