"""Findings as text: a JSON object a line for programs, a paragraph for people."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import msgspec

from ..unravel.finding import Finding


def json_lines(findings: Iterable[Finding]) -> Iterator[str]:
    """Yield findings as ``findings.md`` fixes them, one a line."""
    encoder = msgspec.json.Encoder()
    for one in findings:
        yield encoder.encode(one).decode() + "\n"


def readable(findings: Iterable[Finding]) -> Iterator[str]:
    """Yield findings as people read them: the message once, then what was found in it."""
    before: tuple[str, int, str] | None = None
    for one in findings:
        key = one.lane, one.address, one.flags
        if key != before:
            name = f" {one.message}" if one.message else ""
            flags = f" {one.flags}" if one.flags else ""
            yield ("" if before is None else "\n") + f"{one.lane} 0x{one.address:X}{flags}{name}\n"
            before = key
        when = "".join(f" {when.words}" for when in one.when)
        kind = one.kind if one.kind != "field" else str(one.parameters["reading"])
        yield f"  {one.confidence:4.2f}  {one.places or 'all':14}  {kind}{when}: {one.reason}\n"


FORMS = {"jsonl": json_lines, "text": readable}
