"""What the rules of the house say of the code itself: how large its parts may be, and what needs a reason."""

from __future__ import annotations

import ast
import sys
import tomllib
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

import agile_shadow
from agile_shadow.core import late

ROOT = Path(__file__).parents[2]
SOURCE = Path(agile_shadow.__file__).parent
LINES, METHODS, ATTRIBUTES = 450, 25, 15
DEFINITIONS = (ast.FunctionDef, ast.AsyncFunctionDef)


@cache
def modules() -> tuple[tuple[str, str, ast.Module], ...]:
    """Name, text and tree of each."""
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        text = path.read_text(encoding="utf-8")
        found.append((path.relative_to(SOURCE).as_posix(), text, ast.parse(text)))
    return tuple(found)


def classes() -> Iterator[tuple[str, ast.ClassDef]]:
    for name, _text, tree in modules():
        yield from ((f"{name}: {one.name}", one) for one in ast.walk(tree) if isinstance(one, ast.ClassDef))


def size_of(one: ast.ClassDef) -> tuple[int, int]:
    """How many methods and attributes."""
    own = {
        target.attr
        for target in ast.walk(one)
        if isinstance(target, ast.Attribute)
        and isinstance(target.ctx, ast.Store)
        and isinstance(target.value, ast.Name)
        and target.value.id == "self"
    }
    return sum(isinstance(part, DEFINITIONS) for part in one.body), len(own)


def imports_by_function(tree: ast.Module) -> Iterator[list[ast.stmt]]:
    for function in ast.walk(tree):
        if isinstance(function, DEFINITIONS):
            found = [one for one in ast.walk(function) if isinstance(one, ast.Import | ast.ImportFrom)]
            if found:
                yield found


def test_there_is_something_to_look_at() -> None:
    assert len(modules()) > 300 and sum(1 for _one in classes()) > 300


def test_no_file_is_longer_than_one_can_hold_in_mind() -> None:
    assert [name for name, text, _tree in modules() if len(text.splitlines()) > LINES] == []


def test_a_class_that_is_large_says_why_and_none_says_so_that_is_not() -> None:
    wrong = []
    for name, one in classes():
        methods, attributes = size_of(one)
        says_why = "Large:" in (ast.get_docstring(one) or "")
        if says_why != (methods > METHODS or attributes > ATTRIBUTES):
            wrong.append(f"{name} has {methods} methods, {attributes} attributes")
    assert wrong == []


def test_an_import_inside_a_function_has_its_reason_beside_it_or_at_the_head_of_the_module() -> None:
    wrong = []
    for name, text, tree in modules():
        lines, functions = text.splitlines(), list(imports_by_function(tree))
        at_the_head = "Imports inside functions:" in (ast.get_docstring(tree) or "")
        if at_the_head != any(not beside(lines, imports) for imports in functions):
            wrong.append(name)
    assert wrong == []


def beside(lines: list[str], imports: list[ast.stmt]) -> bool:
    """Whether one of them has a remark."""
    return any("#" in "".join(lines[one.lineno - 1 : one.end_lineno]) for one in imports)


@pytest.mark.parametrize(
    ("text", "size"), [("x", (0, 0)), ("def a(self):\n  self.b = self.c = 1\n  d.e = self.f", (1, 2))]
)
def test_sizes_are_counted_as_a_reader_would(text: str, size: tuple[int, int]) -> None:
    body = "\n".join(f" {line}" for line in text.splitlines())
    one = ast.parse(f"class A:\n{body}\n").body[0]
    assert isinstance(one, ast.ClassDef) and size_of(one) == size


def test_whatever_is_no_code_goes_into_the_wheel() -> None:
    settings = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["setuptools"]["package-data"]
    packed = {path for pattern in settings["agile_shadow"] for path in SOURCE.glob(pattern)}
    there = {path for path in SOURCE.rglob("*") if path.is_file() and path.suffix not in (".py", ".pyc")}
    pictures = set((SOURCE / "guide" / "pictures").glob("*.png"))
    assert there | pictures <= packed and len(pictures) > 5


def test_a_public_name_means_one_thing() -> None:
    where: dict[str, list[str]] = {}
    for name, _text, tree in modules():
        for one in tree.body:
            if isinstance(one, ast.ClassDef) and not one.name.startswith("_"):
                where.setdefault(one.name, []).append(name)
    assert {name: found for name, found in where.items() if len(found) > 1} == {}


def test_a_library_that_cannot_be_loaded_ahead_is_told_when_it_is_used(caplog: pytest.LogCaptureFixture) -> None:
    missing = late.Late("a_library_that_is_not_there")
    late.load_ahead(missing)
    assert "loading ahead" in caplog.text
    with pytest.raises(ImportError):
        missing.anything  # noqa: B018
    late.load_ahead(late.Late("colorsys"))
    assert "colorsys" in sys.modules
