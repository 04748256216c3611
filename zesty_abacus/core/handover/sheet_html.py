"""Sheets as HTML: one file with everything in it, readable on screen, searchable and printable."""

from __future__ import annotations

from collections.abc import Iterable

from .markup import escaped
from .sheet import HEADINGS, LayoutSheet, Row
from .sheet_svg import colour_of, picture_svg

SHEET_STYLE = """
body { font: 14px/1.45 Inter, 'DejaVu Sans', sans-serif; color: #22303C; max-width: 60em; margin: 2em auto }
h1 { font-size: 1.6em; margin: 1.4em 0 .2em } h2 { font-size: 1.1em; margin: 1.2em 0 .3em }
p { color: #5F6A73; margin: .1em 0 } table { border-collapse: collapse; width: 100% } .pictures { margin: 1em 0 }
th { text-align: left; font-weight: normal; color: #5F6A73; font-size: .85em }
td, th { border-bottom: 1px solid #E3DAC6; padding: .25em .6em .25em 0; vertical-align: top }
td.places, td.raw { font-family: 'JetBrains Mono', 'DejaVu Sans Mono', monospace; font-size: .9em }
td.raw { text-align: right } .bead { display: inline-block; min-width: 1.5em; border-radius: 1em; color: #fff;
text-align: center; font-size: .75em; margin-right: .5em } svg { margin: 0 1.2em .6em 0 }
@media print { section { break-after: page } body { margin: 0 } }
"""


def sheets_html(sheets: Iterable[LayoutSheet]) -> str:
    """Return one document with a section a sheet. Every text of the layout is escaped."""
    known = list(sheets)
    title = known[0].title if len(known) == 1 else f"{len(known)} layouts"
    body = "\n".join(map(sheet_section, known))
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{escaped(title)}</title>'
        f"<style>{SHEET_STYLE}</style></head>\n<body>\n{body}\n</body></html>\n"
    )


def sheet_section(sheet: LayoutSheet) -> str:
    """Return one sheet as a section of a document that has its style."""
    parts = [f"<section><h1>{escaped(sheet.title)}</h1>"]
    parts += [f"<p>{escaped(line)}</p>" for line in sheet.lines]
    if sheet.pictures:
        parts.append('<div class="pictures">' + "".join(map(picture_svg, sheet.pictures)) + "</div>")
    heads = "".join(f"<th>{escaped(heading)}</th>" for heading in HEADINGS)
    parts.append(f"<table><thead><tr>{heads}</tr></thead><tbody>{''.join(map(_row, sheet.rows))}</tbody></table>")
    for name, values in sheet.values:
        cells = "".join(f'<tr><td class="raw">{escaped(raw)}</td><td>{escaped(said)}</td></tr>' for raw, said in values)
        parts.append(f'<h2>Values of {escaped(name)}</h2><table style="width:auto">{cells}</table>')
    if sheet.checks:
        cells = "".join(f"<tr><td>{escaped(name)}</td><td>{escaped(text)}</td></tr>" for name, text in sheet.checks)
        parts.append(f"<h2>Checks</h2><table>{cells}</table>")
    return "\n".join(parts) + "</section>"


def _row(row: Row) -> str:
    bead = ""
    if row.number >= 0:
        bead = f'<span class="bead" style="background:{colour_of(row.number)}">{row.number + 1}</span>'
    first = f'<td style="padding-left:{row.depth * 1.2:.1f}em">{bead}{escaped(row.cells[0])}</td>'
    places = f'<td class="places">{escaped(row.cells[1])}</td>'
    return f"<tr>{first}{places}{''.join(f'<td>{escaped(cell)}</td>' for cell in row.cells[2:])}</tr>"
