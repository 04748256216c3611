"""Makes a layout of what was found of lines of text: their columns, and the check in hex digits behind them."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import uuid4

from msgspec.structs import replace

from ..frames.segment_frames import KindFrames
from ..layouts.checks.registry import check_kinds
from ..layouts.fields import Field, FieldKind, new_field
from ..layouts.json_form import from_plain
from ..layouts.model import Layout
from ..layouts.parts.text_line import NO_PLACES, TextLine
from .finding import Finding
from .questions.telegrams import telegrams

_KINDS = {"signed": FieldKind.SIGNED, "unsigned": FieldKind.UNSIGNED}
_DIGITS = 2
_LINE_ENDS = {1: "\n", 2: "\r\n"}
"""By how many bytes lie behind the check."""


def lines_of(layout: Layout, frames: KindFrames) -> Layout:
    """Return a layout with the columns of the lines of text that frames are; the same one if they are none.

    So is one that has anything in it already.
    """
    found = [one.of("", 0, "", "") for one in telegrams(frames)]
    return with_lines(layout, found, 0.0)[0]


def with_lines(layout: Layout, findings: Sequence[Finding], least: float) -> tuple[Layout, int]:
    """Return a layout with the columns of a line, and how many findings that is.

    A layout that has anything in it already stays as it is: what reads a line reads all of it.
    """
    wanted = [one for one in findings if one.confidence >= least and not one.places]
    columns = sorted((one for one in wanted if "column" in one.parameters), key=lambda one: one.parameters["column"])
    if not columns or layout.fields or layout.parts:
        return layout, 0
    check = next((one for one in wanted if one.kind == "check" and "behind" in one.parameters), None)
    line = TextLine(
        id=uuid4(), name="line", columns=tuple(map(_column, columns)),
        separator=str(columns[0].parameters["separator"]), ends=check.parameters["behind"] if check is not None else "",
    )  # fmt: skip
    layout = replace(layout, size=0).with_item(line)
    return (layout, len(columns)) if check is None else (_with_check(layout, check), len(columns) + 1)


def _column(finding: Finding) -> Field:
    kind = _KINDS.get(str(finding.parameters["reading"]), FieldKind.TEXT)
    return new_field(f"column {finding.parameters['column'] + 1}", NO_PLACES, kind, note=finding.reason)


def _with_check(layout: Layout, finding: Finding) -> Layout:
    digits = new_field("check", NO_PLACES, base=16, digits=_DIGITS, note=finding.reason)
    coverage = finding.parameters["coverage"]
    behind = int(str(coverage["end"]).removeprefix("size - ")) - _DIGITS - 1
    part = TextLine(id=uuid4(), name="behind it", columns=(digits,), ends=_LINE_ENDS.get(behind, ""))
    form = next(one for one in check_kinds() if one.__struct_config__.tag == finding.parameters["check"])
    plain = {
        "check": finding.parameters["check"], "id": str(uuid4()), "name": "check of the line", "field": str(digits.id),
        "coverage": coverage,
    }  # fmt: skip
    return layout.with_item(part).with_item(from_plain(plain, form))
