"""The files of a C project: header, source, what builds it, and a program that tries it."""

from __future__ import annotations

from ..carried import LeftOut, carry
from ..carried_fields import CarriedField
from ..errors import CannotCarryError
from ..language import Made
from ..manifest import (
    Manifest,
    ManifestField,
    ManifestMessage,
    ManifestPart,
    ManifestStruct,
    ManifestValue,
    MessageNames,
)
from ..project import Project
from ..shapes import MovedList, MovedStruct, every_move
from .capacity import capacity_lines, most_items, most_text, number_of, refuse_too_large
from .message import FORMS, MessageWriter
from .node import node_files
from .numbers import raw_type
from .runtime import helpers_for
from .terms import Terms, comment
from .trial import trial_program

_RESULTS = ("ok", "OK", "it is all there"), ("too_short", "TOO_SHORT", "a field that is there does not fit"), (
    "check_failed", "CHECK_FAILED", "a check does not agree: nothing in it is to be believed"), (
    "other_shape", "OTHER_SHAPE", "these bytes are not of this message, by size, beginning or selector"), (
    "does_not_fit", "DOES_NOT_FIT", "a number is beyond what its bits hold, a text beyond what its column does"), (
    "too_long", "TOO_LONG", "there are more items or characters than the struct has room for")  # fmt: skip


def make(project: Project) -> Made:
    """Return the files of a project in C."""
    messages, left_out = carry(project.layouts, FORMS, project.others)
    writers: list[MessageWriter] = []
    body: list[str] = []
    for message in messages:
        writer = MessageWriter(message, project.prefix)
        try:
            # what meets in expressions is only seen where they are written
            refuse_too_large(message)
            body += writer.definitions()
        except CannotCarryError as error:
            left_out.append(LeftOut(message.layout.name, str(error)))
            continue
        writers.append(writer)
    prefix = project.prefix
    files = {
        f"{prefix}.h": _header(project, writers), f"{prefix}.c": _source(project, body),
        f"{prefix}_test.c": trial_program(project, writers), "CMakeLists.txt": _cmake(project),
    }  # fmt: skip
    if project.link is not None:
        files |= node_files(project, writers)
    return Made(files, _manifest(project, writers, left_out))


def _header(project: Project, writers: list[MessageWriter]) -> str:
    upper = project.prefix.upper()
    results = [f"    {upper}_{word} = {number}, /* {said} */" for number, (_, word, said) in enumerate(_RESULTS)]
    lines = [
        *_head(project), f"#ifndef {upper}_H", f"#define {upper}_H", "", "#include <stdbool.h>", "#include <stddef.h>",
        "#include <stdint.h>", "", "#ifdef __cplusplus", 'extern "C" {', "#endif", "",
        "/* What unpack and pack return. unpack fills in all that is there, whatever it returns. */",
        "enum {", *results, "};",
    ]  # fmt: skip
    if any(writer.message.moves for writer in writers):
        lines += capacity_lines(project.prefix)
    for writer in writers:
        lines += writer.declarations()
    return "\n".join([*lines, "", "#ifdef __cplusplus", "}", "#endif", "", "#endif", ""])


def _source(project: Project, lines: list[str]) -> str:
    body = "\n".join(lines)
    head = [
        *_head(project), f'#include "{project.prefix}.h"', "", "#include <math.h>", "#include <string.h>", "",
        "#if defined(__clang__)",
        "/* products and sums are rounded one by one, as decoding does it */",
        "#pragma STDC FP_CONTRACT OFF", "#endif",
    ]  # fmt: skip
    return "\n".join([*head, helpers_for(body, project.prefix) + body, ""]).rstrip() + "\n"


def _head(project: Project) -> list[str]:
    return [f"/* {comment(project.head)} */", ""]


def _cmake(project: Project) -> str:
    prefix = project.prefix
    return f"""# {project.head}
cmake_minimum_required(VERSION 3.10)
project({prefix} C)
set(CMAKE_C_STANDARD 99)
set(CMAKE_C_STANDARD_REQUIRED ON)
set(CMAKE_C_EXTENSIONS OFF)

add_library({prefix} STATIC {prefix}.c)
target_include_directories({prefix} PUBLIC ${{CMAKE_CURRENT_SOURCE_DIR}})
target_link_libraries({prefix} PUBLIC m)

enable_testing()
add_executable({prefix}_test {prefix}_test.c)
target_link_libraries({prefix}_test PRIVATE {prefix})
add_test(NAME {prefix} COMMAND {prefix}_test)
"""


def _manifest(project: Project, writers: list[MessageWriter], left_out: list[LeftOut]) -> Manifest:
    upper = project.prefix.upper()
    return Manifest.of(
        project.origin, language="c99", prefix=project.prefix, headers=(f"{project.prefix}.h",),
        sources=(f"{project.prefix}.c",), results={name: f"{upper}_{word}" for name, word, _ in _RESULTS},
        messages=tuple(_message(writer) for writer in writers), left_out=tuple(left_out),
        node=f"{project.prefix}_node" if project.link is not None else None,
    )  # fmt: skip


def _message(writer: MessageWriter) -> ManifestMessage:
    return ManifestMessage.of(writer.message, _names(writer.terms), inside=_inside(writer.terms))


def _names(terms: Terms) -> MessageNames:
    return MessageNames(struct=terms.name, unpack=f"{terms.name}_unpack", pack=f"{terms.name}_pack",
                        value=terms.value_name, has=terms.has_name, raw_type=_member_type)  # fmt: skip


def _member_type(one: CarriedField) -> str:
    """Return the type of a member, with its size where nobody defines the macros otherwise."""
    if one.is_number:
        return raw_type(one)
    return f"uint8_t[{number_of(most_text(one, '')) if one.varies else one.length}]"


def _inside(terms: Terms) -> tuple[ManifestPart, ...]:
    """Return what is said of the structs in a struct."""
    parts = []
    for move in every_move(terms.message.stretch):
        if isinstance(move, MovedList):
            holds = _struct(Terms(move.items, terms.prefix))
            parts.append(ManifestPart(part=move.name, member=move.member, holds=holds, count=f"{move.member}_count",
                                      most=number_of(most_items(move, terms.prefix))))  # fmt: skip
        elif isinstance(move, MovedStruct):
            present = terms.has_member(move) if move.selected is not None else None
            holds = _struct(Terms(move.inner, terms.prefix))
            parts.append(ManifestPart(part=move.name, member=move.member, holds=holds, present=present))
    return tuple(parts)


def _struct(terms: Terms) -> ManifestStruct:
    names = _names(terms)
    return ManifestStruct(
        struct=terms.name, fields=tuple(ManifestField.of(one, names) for one in terms.message.fields),
        computed=tuple(ManifestValue(field=one.value.name, value=names.value(one)) for one in terms.message.computed),
        inside=_inside(terms),
    )  # fmt: skip
