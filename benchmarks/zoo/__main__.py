"""``./shadow bench zoo [WORD...]``: the whole zoo, or the kinds whose name or group has one of the words."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

from . import planting
from .checking import COLUMNS, Row, go_through
from .kinds import kinds

_TOGETHER = 10  # kinds of one ingest


def main(words: list[str]) -> int:
    """Print a line a kind, then what is wrong; 0 where nothing is."""
    if "--plant" in words:
        return planting.main(next((int(word) for word in words if word.isdigit()), 50))
    every = kinds()
    chosen = [
        number
        for number, kind in enumerate(every)
        if not words or any(word.casefold() in f"{kind.group} {kind.name}".casefold() for word in words)
    ]
    rows: list[Row] = []
    with tempfile.TemporaryDirectory(prefix="shadow zoo ") as folder, ProcessPoolExecutor(os.cpu_count() or 1) as pool:
        parts = [chosen[at : at + _TOGETHER] for at in range(0, len(chosen), _TOGETHER)]
        waiting = [pool.submit(_part, part, Path(folder) / str(number)) for number, part in enumerate(parts)]
        for done in as_completed(waiting):
            for number, cells, said in done.result():
                rows.append(Row(every[number], cells, said))
                print(line_of(rows[-1]), flush=True)
    print(f"\n{len(rows)} kinds: {sum(row.is_right for row in rows)} right")
    for row in sorted((one for one in rows if not one.is_right), key=lambda one: one.kind.name):
        print(f"WRONG {row.kind.name}")
        for column, text in row.cells.items():
            if text not in ("right", "-"):
                print(f"      {column}: {text}")
    return 0 if all(row.is_right for row in rows) else 1


def _part(numbers: list[int], folder: Path) -> list[tuple[int, dict[str, str], str]]:
    """Go through some kinds in a profile of their own: number, cells and what the program said of each."""
    folder.mkdir()
    os.environ["AGILE_SHADOW_HOME"] = str(folder / "profile")
    every = kinds()
    try:
        rows = go_through([(number, every[number]) for number in numbers], folder)
        return [(number, row.cells, row.said) for number, row in zip(numbers, rows, strict=True)]
    except Exception as error:  # the other kinds are looked at all the same
        return [(number, {"copy": f"{type(error).__name__}: {error}"}, "") for number in numbers]
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def line_of(row: Row) -> str:
    """Kind, and a letter a column: ``+`` right, ``!`` wrong, ``-`` not asked; what the program said of damage."""
    marks = {"right": "+", "-": "-", "": " "}
    cells = "  ".join(f"{column} {marks.get(row.cells.get(column, ''), '!')}" for column in COLUMNS)
    return f"{row.kind.name[:44]:44}  {cells}  {row.said[:90] if row.kind.fate != 'right' else ''}".rstrip()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
