"""Tables of thousands of rows: what is looked at is what is in sight."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from pytestqt.qtbot import QtBot

from agile_shadow.core.jobs import Piece
from agile_shadow.desktop import job_lines
from agile_shadow.desktop.column_room import ColumnRoom
from agile_shadow.desktop.job_lines import PieceLines
from agile_shadow.desktop.tables import Column, RowsModel, rows_table


@pytest.fixture
def asked() -> list[int]:
    return []


def table_of(qtbot: QtBot, asked: list[int], rows: list[str]) -> Any:
    """A table whose first column tells which rows are asked for their text."""

    def text(row: str) -> str:
        asked.append(int(row.partition(" ")[0]))
        return row

    model = RowsModel([Column("Name", text, 100), Column("Length", len, 60)])  # type: ignore[arg-type]
    table = rows_table(model, 1, "Many rows")
    qtbot.addWidget(table)
    table.resize(700, 300)
    table.show()
    qtbot.waitExposed(table)
    model.set_rows(rows)
    return table


def test_widths_of_columns_look_at_the_rows_in_sight(qtbot: QtBot, asked: list[int]) -> None:
    rows = [f"{number} row" for number in range(5000)]
    rows[4900] = "4900 row with a name that is far longer than those of all the others"
    table = table_of(qtbot, asked, rows)
    room = table.findChild(ColumnRoom)
    qtbot.waitUntil(lambda: 5 in asked and not room._timer.isActive(), timeout=5_000)
    narrow = table.columnWidth(0)
    assert len(set(asked)) < 100 and max(asked) < 100
    table.scrollTo(table.model().index(4900, 0))
    qtbot.waitUntil(lambda: table.columnWidth(0) > narrow + 100, timeout=5_000)
    wide = table.columnWidth(0)
    asked.clear()
    table.scrollTo(table.model().index(0, 0))
    qtbot.waitUntil(lambda: 0 in asked and not room._late.isActive(), timeout=5_000)
    assert table.columnWidth(0) == wide, "widths do not jump while one scrolls"
    table.model().change_rows([(3, "3 row again")])  # what is long for a moment takes no room for good
    qtbot.waitUntil(lambda: table.columnWidth(0) < wide - 50, timeout=5_000)


def test_the_row_of_a_job_that_stands_still_is_made_once(monkeypatch: pytest.MonkeyPatch) -> None:
    made: list[str] = []
    make = job_lines.piece_line
    monkeypatch.setattr(job_lines, "piece_line", lambda piece: (made.append(piece.path), make(piece))[1])
    pieces = [Piece(1, "proxy", f"{number}.mov") for number in range(50)]
    pieces[7] = replace(pieces[7], state="running", begun=1.0, part=0.2)
    lines = PieceLines()
    first = lines.of(pieces)
    assert first[0].piece is pieces[7] and len(made) == 50 and [one.piece for one in first[1:8]] == pieces[:7]
    made.clear()
    assert lines.of(pieces)[1:] == first[1:] and made == ["7.mov"]  # what runs tells its time
    pieces[9] = replace(pieces[9], state="failed", note="is damaged")
    other_run = replace(pieces[3], run=2)
    made.clear()
    again = lines.of([*pieces, other_run])
    assert sorted(made) == ["3.mov", "7.mov", "9.mov"]
    (failed,) = [one for one in again if one.piece is pieces[9]]
    assert failed.state == "failed" and failed.detail == "is damaged"
