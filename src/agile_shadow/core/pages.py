"""What all pages and tables to keep or send have in common."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

_STYLE = """
:root{color-scheme:light dark}
body{font:15px/1.45 system-ui,sans-serif;margin:2.2rem auto;max-width:1120px;padding:0 1.2rem;
 background:#f6f3ec;color:#2a2621}
h1{font-size:2rem;margin:.2rem 0}h2{font-size:1.1rem;margin:2rem 0 .6rem}
.sums{display:flex;flex-wrap:wrap;gap:.6rem 2.2rem;margin:1.2rem 0;padding:0}
.sums div{min-width:5.5rem}.sums b{display:block;font-size:1.5rem;font-variant-numeric:tabular-nums}
.quiet{color:#6b6357}.you{border-left:4px solid #a33d1f;padding:.2rem .9rem;margin:.5rem 0}
table{border-collapse:collapse;width:100%;font-size:13px}
th,td{text-align:left;padding:.3rem .55rem;border-bottom:1px solid #d9d2c4;vertical-align:top}
td.n{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}
code{font:12px ui-monospace,monospace;overflow-wrap:anywhere}
.posters{display:grid;grid-template-columns:repeat(auto-fill,minmax(170px,1fr));gap:14px}
figure{margin:0}.box{height:108px;background:#808080;display:flex;align-items:center;justify-content:center;
 color:#fff;overflow:hidden}figcaption{font-size:12px;overflow-wrap:anywhere;margin-top:3px}
@media(prefers-color-scheme:dark){body{background:#1d1f22;color:#ece5d8}th,td{border-color:#3a3d42}
 .quiet{color:#a89f90}}
@media print{body{margin:0;max-width:none}}
"""


def html_page(title: str, parts: Iterable[str]) -> str:
    """One page that needs nothing else, of parts that are HTML; empty ones are left out."""
    head = (
        "<!doctype html><html lang='en'><head><meta charset='utf-8'>",
        f"<meta name='viewport' content='width=device-width'><title>{escape(title)}</title>",
        f"<style>{_STYLE}</style></head><body>",
    )
    return "\n".join((*head, *(part for part in parts if part), "</body></html>"))


def html_table(heads: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A table of plain text."""
    first = "".join(f"<th>{escape(head)}</th>" for head in heads)
    body = "".join(f"<tr>{''.join(f'<td>{_breakable(str(cell))}</td>' for cell in row)}</tr>" for row in rows)
    return f"<table><tr>{first}</tr>{body}</table>"


def _breakable(text: str) -> str:
    """A long path may go on in the next line after each of its folders."""
    return escape(text).replace("/", "/<wbr>")


def plain_cell(value: object) -> object:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r") else value
