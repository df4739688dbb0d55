"""A card's answer to keep or send: one HTML page, or a table for spreadsheets."""

from __future__ import annotations

import csv
import io
import time
from collections.abc import Iterator
from html import escape
from pathlib import Path

from ..amounts import amount, counted
from ..errors import ShadowError, from_os_error
from ..files import written_atomically
from ..pages import html_page, html_table, plain_cell
from ..project import Project
from ..project.guarding import refuse_footage
from ..texts import whole_text
from .asking import CHECKSUM, CardAnswer
from .cards import Card

_HEADS = ("file", "bytes", "shelf", "copy", "state", "read", "checksum", "value")


def write_card(project: Project, card: Card, answer: CardAnswer, path: Path) -> None:
    """Write a page (.html) or a table (.csv). Raises ShadowError, also for another ending or a file of the footage."""
    refuse_footage(project, path)
    ending = path.suffix.lower()
    if ending not in (".html", ".csv"):
        raise ShadowError("is neither a page nor a table", path, "Name it .html or .csv.")
    text = _page(card, answer) if ending == ".html" else _table(answer)
    try:
        with written_atomically(path) as partial:
            partial.write_text(whole_text(text), encoding="utf-8", newline="")
    except OSError as error:
        raise from_os_error(error, path) from error


def _rows(answer: CardAnswer) -> Iterator[tuple[object, ...]]:
    names = {shelf.id: shelf.name for shelf in answer.shelves}
    when = _moment(answer.ended)
    for file in answer.files:
        if not file.copies:
            state = "needs no copy" if file.needless else "no copy"
            yield file.path, file.size, "", "", state, when, CHECKSUM, file.value
        for copy in file.copies:
            state = "needs no copy" if file.needless else copy.state
            yield file.path, file.size, names.get(copy.shelf, ""), copy.path, state, when, CHECKSUM, file.value


def _moment(seconds: float) -> str:
    return time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(seconds))


def _table(answer: CardAnswer) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(_HEADS)
    for row in _rows(answer):
        writer.writerow([plain_cell(cell) for cell in row])
    return out.getvalue()


def _page(card: Card, answer: CardAnswer) -> str:
    began, ended = _moment(answer.began), _moment(answer.ended)
    size = sum(file.size for file in answer.files)
    shelves = ", ".join(f"{shelf.name} ({shelf.root})" for shelf in answer.shelves)
    parts = [
        f"<p class='quiet'>Card {escape(card.name)}, {escape(answer.source)}</p>",
        f"<h1>{escape(answer.why())}</h1>",
        f"<p>Read from {began} to {ended}: {counted(len(answer.files), 'file')}, {escape(amount(size))}, each on the "
        f"card and on {escape(shelves or 'no shelf')}, by {CHECKSUM}. This holds for that moment only.</p>",
        "".join(f"<div class='you'>{escape(text)}</div>" for text in answer.problems),
        "<h2>Files</h2>",
        html_table(_HEADS, _rows(answer)),
    ]
    return html_page(f"Card {card.name}", parts)
