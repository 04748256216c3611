"""A report as one HTML file that stands alone: nothing of it lies anywhere else."""

from __future__ import annotations

from functools import singledispatch

from ..handover.markup import escaped
from ..handover.sheet_html import SHEET_STYLE, sheet_section
from .blocks import Block, Facts, Figure, Heading, Report, Sentence, Sheets, Table

_STYLE = """
.wrong { color: #A3182F } h2.part { font-size: 1.25em; margin: 1.8em 0 .4em; border-bottom: 2px solid #E3DAC6 }
table.data { table-layout: fixed } th.number, td.number { text-align: right; font-variant-numeric: tabular-nums }
td.plain { font: .72em/1.9 'JetBrains Mono', 'DejaVu Sans Mono', monospace }
dl { display: grid; grid-template-columns: max-content 1fr; gap: .2em 1.2em; margin: 1em 0 } dt { color: #5F6A73 }
dd { margin: 0 } td, th { overflow-wrap: break-word } figure { margin: .6em 0 } figure svg { width: 100%; height: auto }
nav a { margin-right: 1em; color: #1F6A6A }
@media print { section { break-after: auto } nav { display: none } }
"""


def report_html(report: Report) -> str:
    """Return the document; every text is escaped."""
    heads = [block.text for block in report.blocks if isinstance(block, Heading)]
    links = "".join(f'<a href="#part-{number}">{escaped(text)}</a>' for number, text in enumerate(heads))
    number = 0
    parts = []
    for block in report.blocks:
        if isinstance(block, Heading):
            parts.append(f'<h2 class="part" id="part-{number}">{escaped(block.text)}</h2>')
            number += 1
        else:
            parts.append(_html(block))
    lines = "".join(f"<p>{escaped(line)}</p>" for line in report.lines)
    body = "\n".join(parts)
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{escaped(report.title)}</title>'
        f"<style>{SHEET_STYLE}{_STYLE}</style></head>\n<body>\n<h1>{escaped(report.title)}</h1>{lines}\n"
        f"<nav>{links}</nav>\n{body}\n</body></html>\n"
    )


@singledispatch
def _html(block: Block) -> str:
    raise TypeError(f"{block!r} is no part of a report")


@_html.register
def _(block: Sentence) -> str:
    kind = ' class="wrong"' if block.is_wrong else ""
    return f"<p{kind}>{escaped(block.text)}</p>"


@_html.register
def _(block: Facts) -> str:
    return "<dl>" + "".join(f"<dt>{escaped(name)}</dt><dd>{escaped(said)}</dd>" for name, said in block.rows) + "</dl>"


@_html.register
def _(block: Table) -> str:
    def cell(tag: str, place: int, text: str) -> str:
        kind = "number" if place in block.numbers else "plain" if place in block.plain else ""
        return f"<{tag}{f' class={chr(34)}{kind}{chr(34)}' if kind else ''}>{escaped(text)}</{tag}>"

    heads = "".join(cell("th", place, text) for place, text in enumerate(block.heads))
    rows = "".join(
        "<tr>" + "".join(cell("td", place, text) for place, text in enumerate(row)) + "</tr>" for row in block.rows
    )
    more = f"<p>{block.left_out} more are left out.</p>" if block.left_out else ""
    whole = sum(block.widths)
    columns = "".join(f'<col style="width:{100 * width / whole:.1f}%">' for width in block.widths)
    return (f'<table class="data"><colgroup>{columns}</colgroup><thead><tr>{heads}</tr></thead>'
            f"<tbody>{rows}</tbody></table>{more}")  # fmt: skip


@_html.register
def _(block: Figure) -> str:
    size = f'viewBox="0 0 {block.width:.0f} {block.height:.0f}"'
    return (f'<figure><svg xmlns="http://www.w3.org/2000/svg" {size} role="img" aria-label="{escaped(block.words)}">'
            f"{block.elements}</svg></figure>")  # fmt: skip


@_html.register
def _(block: Sheets) -> str:
    return "\n".join(map(sheet_section, block.sheets))
