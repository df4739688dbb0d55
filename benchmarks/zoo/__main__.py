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
from .kinds import Kind, kinds

_TOGETHER = 10  # kinds of one ingest


def main(words: list[str]) -> int:
    """Print a line a kind, then what is wrong; 0 where nothing is."""
    if "--plant" in words:
        return planting.main(next((int(word) for word in words if word.isdigit()), 50))
    chosen = [
        (number, kind)
        for number, kind in enumerate(kinds())
        if not words or any(word.casefold() in f"{kind.group} {kind.name}".casefold() for word in words)
    ]
    rows: list[Row] = []
    with tempfile.TemporaryDirectory(prefix="shadow zoo ") as folder, ProcessPoolExecutor(os.cpu_count() or 1) as pool:
        parts = [chosen[at : at + _TOGETHER] for at in range(0, len(chosen), _TOGETHER)]
        waiting = [pool.submit(_part, part, Path(folder) / str(number)) for number, part in enumerate(parts)]
        for done in as_completed(waiting):
            for row in done.result():
                rows.append(row)
                print(line_of(row), flush=True)
    print(f"\n{len(rows)} kinds: {sum(row.is_right for row in rows)} right")
    for row in sorted((one for one in rows if not one.is_right), key=lambda one: one.kind.name):
        print(f"WRONG {row.kind.name}")
        for column, text in row.cells.items():
            if text not in ("right", "-"):
                print(f"      {column}: {text}")
    return 0 if all(row.is_right for row in rows) else 1


def _part(part: list[tuple[int, Kind]], folder: Path) -> list[Row]:
    folder.mkdir()
    os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = str(
        folder / "profile"
    )
    try:
        return go_through(part, folder)
    except Exception as error:  # the other kinds are looked at all the same
        return [Row(kind, {"copy": f"{type(error).__name__}: {error}"}) for _number, kind in part]
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def line_of(row: Row) -> str:
    """Kind, and a letter a column: ``+`` right, ``!`` wrong, ``-`` not asked; what the program said of damage."""
    marks = {"right": "+", "-": "-", "": " "}
    cells = "  ".join(f"{column} {marks.get(row.cells.get(column, ''), '!')}" for column in COLUMNS)
    return f"{row.kind.name[:44]:44}  {cells}  {row.said[:90] if row.kind.fate != 'right' else ''}".rstrip()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
