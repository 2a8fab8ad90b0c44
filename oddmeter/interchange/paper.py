"""Sheets on paper and in tables: pages to print that need nothing else, A4 across, under a policy by which only their
style counts; and CSV."""

import csv
import hashlib
import io
from base64 import b64encode
from collections.abc import Iterable, Sequence
from html import escape

_STYLE = """
@page { size: A4 landscape; margin: 12mm }
body { font: 11px/1.35 "IBM Plex Sans Condensed", "Liberation Sans Narrow", sans-serif; color: #1d1b17; margin: 16px }
h1 { font-size: 18px; margin: 0 } h2 { font-size: 13px; margin: 14px 0 4px } p { margin: 2px 0; color: #5b564c }
table { border-collapse: collapse; width: 100%; table-layout: fixed } td { overflow-wrap: anywhere }
thead { display: table-header-group } tr { break-inside: avoid }
th { text-align: left; font-weight: 600; border-bottom: 1.5px solid #1d1b17; padding: 2px 6px 2px 0 }
td { vertical-align: top; border-bottom: .5px solid #c9c2b4; padding: 3px 6px 3px 0 }
tfoot td { font-weight: 600; border-bottom: 0 } small { color: #5b564c; font-size: 9.5px }
.n, .m { font: 10px/1.35 "IBM Plex Mono", "Liberation Mono", monospace; font-variant-numeric: tabular-nums }
.n { text-align: right; white-space: nowrap } svg { display: block }
.sides { display: flex; flex-wrap: wrap; gap: 8px; margin: 6px 0 2px }
figure { margin: 0; break-inside: avoid; width: 150px }
figure img { display: block; width: 150px; margin-bottom: 2px } figcaption { font-size: 9.5px; color: #5b564c }
"""


def page(title: str, heading: str, lines: Sequence[str], body: str, shares: Sequence[int]) -> str:
    """A page with a heading, lines of text under it, and a body of tables whose columns have these shares of the width,
    in per cent."""
    paragraphs = "".join(f"<p>{escape(line)}</p>" for line in lines)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<style>{_style(shares)}</style></head><body><header><h1>{escape(heading)}</h1>{paragraphs}</header>{body}</body></html>"
    )


def policy(shares: Sequence[int]) -> str:
    """The Content-Security-Policy of such a page: its own style, and pictures that stand in it, alone."""
    digest = b64encode(hashlib.sha256(_style(shares).encode()).digest()).decode()
    return f"default-src 'none'; img-src data:; style-src 'sha256-{digest}'; frame-ancestors 'none'; base-uri 'none'"


def table(rows: Iterable[object], names: Sequence[str]) -> str:
    """Attributes of rows as CSV with a heading line (RFC 4180). No cell starts a formula in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(name.replace("_", " ") for name in names)
    for row in rows:
        writer.writerow(safe_cell(getattr(row, name)) for name in names)
    return out.getvalue()


def safe_cell(value: object) -> object:
    """A value that a spreadsheet takes as text: what could start a formula gets an apostrophe before it."""
    if isinstance(value, str) and value.lstrip(" ")[:1] in {"=", "+", "-", "@", "\t", "\r", "\n"}:
        return "'" + value
    return value


def _style(shares: Sequence[int]) -> str:
    widths = (f"col:nth-child({place}) {{ width: {share}% }}\n" for place, share in enumerate(shares, 1))
    return _STYLE + "".join(widths)
