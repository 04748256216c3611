"""A program that tries the code on the machine that it is for: payloads, and what they mean by the codec."""

from __future__ import annotations

import math

from ..project import Project
from ..vectors import Expected, Vector, vectors_of
from .message import MessageWriter
from .numbers import floating, of_type, raw_type
from .terms import comment

_EACH = 4
"""Payloads a message."""


def trial_program(project: Project, writers: list[MessageWriter]) -> str:
    """Return the source of the program; it prints what differs and returns how much does, at most 99."""
    lines = [
        f"/* {comment(project.head)} */", "", f'#include "{project.prefix}.h"', "", "#include <math.h>",
        "#include <stdio.h>", "#include <string.h>", "", "static unsigned tried, differing;", "",
        "static void expect(bool holds, const char *what)", "{", "    tried++;", "    if (!holds) {",
        "        differing++;", '        printf("%s differs\\n", what);', "    }", "}", "",
    ]  # fmt: skip
    if any(one.is_number for writer in writers for one in writer.message.fields):
        lines += ["static bool same(double found, double wanted)", "{",
                  "    return isnan(wanted) ? isnan(found) : fabs(found - wanted) <= 0.0;", "}", ""]  # fmt: skip
    if any(writer.message.computed for writer in writers):
        # functions such as sin may differ in the last places from one library to another
        lines += ["static bool near(double found, double wanted)", "{",
                  "    if (isnan(wanted) || isinf(wanted))",
                  "        return isnan(wanted) ? isnan(found) : isinf(found);",
                  "    return fabs(found - wanted) <= 1e-12 * fabs(wanted);", "}", ""]  # fmt: skip
    for number, writer in enumerate(writers):
        lines += _message(number, writer)
    lines += ["int main(void)", "{"]
    lines += [f"    try_{number}();" for number in range(len(writers))]
    lines += ['    printf("%u of %u differ\\n", differing, tried);',
              "    return differing > 99U ? 99 : (int)differing;", "}", ""]  # fmt: skip
    return "\n".join(lines)


def _message(number: int, writer: MessageWriter) -> list[str]:
    vectors = vectors_of(writer.message, _EACH)
    lines = [f"static void try_{number}(void)", "{", f"    {writer.terms.struct} found;"]
    for place, vector in enumerate(vectors):
        lines += ["    {", *(f"        {line}" for line in _vector(writer, vector, place)), "    }"]
    return [*lines, "}", ""]


def _vector(writer: MessageWriter, vector: Vector, place: int) -> list[str]:
    terms = writer.terms
    octets = ", ".join(f"0x{octet:02X}" for octet in vector.payload) or "0"
    said = f"{terms.name} {place}"
    lines = [
        f"static const uint8_t data[] = {{{octets}}};",
        f"expect({terms.name}_unpack(&found, data, {len(vector.payload)}U) == {terms.result(vector.result.upper())}, "
        f'"{said}: result");',
    ]
    for one in writer.message.fields:
        expected = vector.fields[one.field.name]
        if one.field.selected is not None and vector.result != "too_short":
            there = "" if expected.is_there else "!"
            lines.append(f'expect({there}{terms.has_name(one)}(&found), "{said}: {one.name} there");')
        if not expected.is_there:
            continue
        lines += _field(writer, one, expected, f"{said}: {one.name}")
    for value in writer.message.computed:
        if value.value.name in vector.computed:
            more = f", {len(vector.payload)}U" if terms.message.takes_size(value) else ""
            wanted = _double(vector.computed[value.value.name])
            lines.append(f'expect(near({terms.value_name(value)}(&found{more}), {wanted}), "{said}: {value.name}");')
    if vector.comes_back:
        size = len(vector.payload)
        lines += [
            f"{{ uint8_t copy[{max(size, 1)}]; {terms.struct} again;", "memset(copy, 0, sizeof copy);",
            f"expect({terms.name}_pack(copy, {size}U, &found) == {terms.result('OK')}, \"{said}: pack\");",
            f"expect({terms.name}_unpack(&again, copy, {size}U) == {terms.result('OK')}, \"{said}: again\");",
            f'expect(memcmp(copy, data, sizeof copy) == 0, "{said}: packed the same");',
            f'expect(memcmp(&found, &again, sizeof found) == 0, "{said}: the same again"); }}',
        ]  # fmt: skip
    return lines


def _field(writer: MessageWriter, one, expected: Expected, said: str) -> list[str]:  # type: ignore[no-untyped-def]
    terms = writer.terms
    if isinstance(expected.raw, bytes):
        octets = "".join(f"\\x{octet:02X}" for octet in expected.raw)
        return [f'expect(memcmp(found.{one.raw}, "{octets}", {len(expected.raw)}U) == 0, "{said}");']
    lines = []
    if expected.raw is not None:
        lines.append(f'expect(found.{one.raw} == {of_type(expected.raw, raw_type(one))}, "{said} raw");')
    wanted = _double(expected.value)
    if math.isinf(expected.value):
        # the difference of two infinities is none
        infinite = f"isinf({terms.value_name(one)}(&found))"
        return [*lines, f'expect({infinite}, "{said} value");']
    return [*lines, f'expect(same({terms.value_name(one)}(&found), {wanted}), "{said} value");']


def _double(value: float) -> str:
    return "(double)NAN" if math.isnan(value) else floating(value)
