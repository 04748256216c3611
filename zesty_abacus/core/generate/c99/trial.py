"""A program that tries the code on the machine that it is for: payloads, and what they mean by the codec."""

from __future__ import annotations

import math

from ...layouts.fields import FieldKind
from ..carried_fields import CarriedField, Form
from ..expected import Expected, Inside
from ..project import Project
from ..shapes import MovedList, MovedStruct, every_move
from ..vectors import Vector, vectors_of
from .message import MessageWriter
from .moving import inner_messages
from .numbers import floating, of_type, raw_type
from .terms import Terms, comment

_EACH = 4
"""Payloads a message."""
_ROOM_BESIDE = 7
"""Bytes behind a frame that packing has room for and leaves."""


def trial_program(project: Project, writers: list[MessageWriter]) -> str:
    """Return the source of the program; it prints what differs and returns how much does, at most 99."""
    lines = [
        f"/* {comment(project.head)} */", "", f'#include "{project.prefix}.h"', "", "#include <math.h>",
        "#include <stdio.h>", "#include <string.h>", "", "static unsigned tried, differing;", "",
        "static void expect(bool holds, const char *what)", "{", "    tried++;", "    if (!holds) {",
        "        differing++;", '        printf("%s differs\\n", what);', "    }", "}", "",
    ]  # fmt: skip
    every = [one for writer in writers for one in (writer.message, *inner_messages(writer.message.stretch))]
    if any(one.is_number for message in every for one in message.fields):
        lines += ["static bool same(double found, double wanted)", "{",
                  "    return isnan(wanted) ? isnan(found) : fabs(found - wanted) <= 0.0;", "}", ""]  # fmt: skip
    if any(message.computed for message in every):
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
    lines = [f"static void try_{number}(void)", "{", f"    static {writer.terms.struct} found;"]
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
    if vector.inside is not None:
        lines += _inside(terms, vector.inside, "found", said, vector)
    if vector.comes_back:
        lines += _moving_again(terms, vector, said) if writer.message.moves else _packed_again(terms, vector, said)
    return lines


def _packed_again(terms: Terms, vector: Vector, said: str) -> list[str]:
    size = len(vector.payload)
    return [
        f"{{ uint8_t copy[{max(size, 1)}]; {terms.struct} again;", "memset(copy, 0, sizeof copy);",
        f"expect({terms.name}_pack(copy, {size}U, &found) == {terms.result('OK')}, \"{said}: pack\");",
        f"expect({terms.name}_unpack(&again, copy, {size}U) == {terms.result('OK')}, \"{said}: again\");",
        f'expect(memcmp(copy, data, sizeof copy) == 0, "{said}: packed the same");',
        f'expect(memcmp(&found, &again, sizeof found) == 0, "{said}: the same again"); }}',
    ]  # fmt: skip


def _moving_again(terms: Terms, vector: Vector, said: str) -> list[str]:
    size = len(vector.payload)
    room = size + _ROOM_BESIDE
    return [
        f"{{ uint8_t copy[{room}]; size_t used = 0U;", "memset(copy, 0, sizeof copy);",
        f"expect({terms.name}_pack(copy, {room}U, &used, &found) == {terms.result('OK')}, \"{said}: pack\");",
        f'expect(used == {size}U && memcmp(copy, data, {size}U) == 0, "{said}: packed the same");',
        f"expect({terms.name}_pack(copy, {max(size - 1, 0)}U, &used, &found) == {terms.short}, "
        f'"{said}: no room"); }}',
    ]  # fmt: skip


def _inside(terms: Terms, inside: Inside, struct: str, said: str, vector: Vector) -> list[str]:
    """Return what is expected of a struct and those in it."""
    lines: list[str] = []
    for one in terms.message.fields:
        expected = inside.fields[one.name]
        if one.field.selected is not None and vector.result != "too_short":
            there = "" if expected.is_there else "!"
            lines.append(f'expect({there}{terms.has_name(one)}(&{struct}), "{said}: {one.name} there");')
        if expected.is_there:
            lines += _field(terms, one, expected, struct, f"{said}: {one.name}")
    for value in terms.message.computed if inside.computed else ():
        more = f", {len(vector.payload)}U" if terms.message.takes_size(value) else ""
        wanted = _double(inside.computed[value.name])
        lines.append(f'expect(near({terms.value_name(value)}(&{struct}{more}), {wanted}), "{said}: {value.name}");')
    for move in every_move(terms.message.stretch):
        if isinstance(move, MovedStruct):
            inner = inside.structs[move.member]
            if move.selected is not None:
                there = "" if inner is not None else "!"
                lines.append(f'expect({there}{terms.has_member(move)}(&{struct}), "{said}: {move.member} there");')
            if inner is not None:
                lines += _inside(Terms(move.inner, terms.prefix), inner, f"{struct}.{move.member}",
                                 f"{said}: {move.member}", vector)  # fmt: skip
        elif isinstance(move, MovedList):
            items = inside.lists[move.member]
            lines.append(f'expect({struct}.{move.member}_count == {len(items)}U, "{said}: {move.member} count");')
            for number, item in enumerate(items):
                place = f"{move.member}[{number}]"
                lines += _inside(Terms(move.items, terms.prefix), item, f"{struct}.{place}", f"{said}: {place}", vector)
    return lines


def _field(terms: Terms, one: CarriedField, expected: Expected, struct: str, said: str) -> list[str]:
    if isinstance(expected.raw, bytes):
        octets = "".join(f"\\x{octet:02X}" for octet in expected.raw)
        same = f'memcmp({struct}.{one.raw}, "{octets}", {len(expected.raw)}U) == 0'
        same = f"{struct}.{one.size} == {len(expected.raw)}U && {same}" if one.varies else same
        return [f'expect({same}, "{said}");']
    lines = []
    # of a float in characters its digits are held, not the bits that decoding makes of them
    is_held = one.form is Form.PLACED or one.field.kind is not FieldKind.FLOAT
    if expected.raw is not None and is_held:
        lines.append(f'expect({struct}.{one.raw} == {of_type(expected.raw, raw_type(one))}, "{said} raw");')
    wanted = _double(expected.value)
    if math.isinf(expected.value):
        # the difference of two infinities is none
        infinite = f"isinf({terms.value_name(one)}(&{struct}))"
        return [*lines, f'expect({infinite}, "{said} value");']
    return [*lines, f'expect(same({terms.value_name(one)}(&{struct}), {wanted}), "{said} value");']


def _double(value: float) -> str:
    return "(double)NAN" if math.isnan(value) else floating(value)
