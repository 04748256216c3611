"""A function block that tries the code on the controller: payloads, and what they mean by the codec."""

from __future__ import annotations

import math

from ..carried_fields import CarriedField
from ..expected import Expected
from ..project import Project
from ..vectors import Vector, vectors_of
from .message import MessageWriter
from .routine import Routine, comment, indented
from .types import floating, raw_type, whole

_EACH = 2
"""Payloads a message: a controller has little room for programs."""


def trial_block(project: Project, writers: list[MessageWriter]) -> str:
    """Return a block that says in ``tried`` and ``different`` how many comparisons it made, and how many differ."""
    prefix = project.prefix
    made = Routine(f"{prefix}_test", "", project.head, [], [], ["tried : UDINT", "different : UDINT"], ["same : BOOL"])
    made.body = ["tried := UDINT#0;", "different := UDINT#0;"]
    for number, writer in enumerate(writers):
        terms = writer.terms
        made.inside += [f"data_{number} : {terms.block}", f"unpack_{number} : {terms.name}_unpack",
                        f"pack_{number} : {terms.name}_pack", f"copy_{number} : {terms.block}"]  # fmt: skip
        made.body.append(f"(* {comment(writer.message.layout.name)} *)")
        for vector in vectors_of(writer.message, _EACH):
            made.body += _vector(writer, vector, number)
    return "\n".join([f"(* {comment(project.head)} *)", *made.lines(), ""])


def _vector(writer: MessageWriter, vector: Vector, number: int) -> list[str]:
    terms = writer.terms
    if len(vector.payload) > terms.room:
        return []
    lines = _filled(writer, vector.payload, f"data_{number}")
    lines.append(f"unpack_{number}(size := {len(vector.payload)}, data := data_{number});")
    lines += _expect(f"unpack_{number}.result = {terms.result(vector.result)}")
    for one in writer.message.fields:
        expected = vector.told.fields[one.name]
        if expected.is_there:
            lines += _field(one, expected, f"unpack_{number}")
    for value in writer.message.computed:
        if value.name in vector.told.computed:
            lines += _value(vector.told.computed[value.name], f"unpack_{number}.{value.name}", exact=False)
    if vector.comes_back:
        lines += _filled(writer, bytes(len(vector.payload)), f"copy_{number}")
        lines.append(f"pack_{number}(raw := unpack_{number}.raw, size := {len(vector.payload)}, "
                     f"data := copy_{number});")  # fmt: skip
        lines += _expect(f"pack_{number}.result = {terms.result('ok')}")
        for place in range(-(-len(vector.payload) // terms.unit_bytes)):
            lines += _expect(f"copy_{number}[{place}] = data_{number}[{place}]")
    return lines


def _filled(writer: MessageWriter, payload: bytes, target: str) -> list[str]:
    unit = writer.terms.unit_bytes
    full = payload.ljust(writer.terms.room, b"\0")
    kind = "WORD" if unit == 2 else "BYTE"
    return [f"{target}[{place // unit}] := {kind}#16#{full[place : place + unit].hex().upper()};"
            for place in range(0, len(full), unit)]  # fmt: skip


def _field(one: CarriedField, expected: Expected, block: str) -> list[str]:
    raw = f"{block}.raw.{one.raw}"
    if isinstance(expected.raw, bytes):
        return [line for place, octet in enumerate(expected.raw)
                for line in _expect(f"{raw}[{place}] = BYTE#16#{octet:02X}")]  # fmt: skip
    lines = _expect(f"{raw} = {whole(expected.raw, raw_type(one))}") if expected.raw is not None else []
    return lines + _value(expected.value, f"{block}.{one.name}", exact=True)


def _value(wanted: float, name: str, *, exact: bool) -> list[str]:
    """Return comparisons with a value; infinity and what is no number are not known."""
    if not math.isfinite(wanted):
        return _expect(f"NOT {name}_known")
    near = f"{name}_value = {floating(wanted)}"
    if not exact:
        # functions such as SIN may differ in the last places from one controller to another
        near = f"ABS({name}_value - {floating(wanted)}) <= {floating(1e-12 * abs(wanted))}"
    return _expect(f"{name}_known AND ({near})")


def _expect(condition: str) -> list[str]:
    return ["tried := tried + UDINT#1;", f"same := {condition};", "IF NOT same THEN",
            *indented(["different := different + UDINT#1;"]), "END_IF;"]  # fmt: skip
