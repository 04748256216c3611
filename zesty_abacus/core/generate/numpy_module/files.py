"""The files of a Python project: one module, and a program that tries it."""

from __future__ import annotations

import keyword
import math
from pathlib import Path

from ..carried import LeftOut, carry
from ..errors import CannotCarryError
from ..language import Made
from ..manifest import Manifest, ManifestMessage, MessageNames
from ..project import Project
from ..vectors import Vector, vectors_of
from .message import FORMS, MessageWriter
from .terms import docstring, raw_dtype

_RESULTS = {"ok": "OK", "too_short": "TOO_SHORT", "check_failed": "CHECK_FAILED", "other_shape": "OTHER_SHAPE"}
_EACH = 4


def make(project: Project) -> Made:
    """Return the files of a project in Python."""
    messages, left_out = carry(project.layouts, FORMS, project.others)
    writers, texts = [], []
    for message in messages:
        writer = MessageWriter(message)
        try:
            texts.append("\n".join(writer.lines()))
        except CannotCarryError as error:
            left_out.append(LeftOut(message.layout.name, str(error)))
            continue
        writers.append(writer)
    name = f"{project.prefix}_" if keyword.iskeyword(project.prefix) else project.prefix
    module = _runtime(project) + "\n".join(texts) + "\n"
    files = {f"{name}.py": module, f"test_{name}.py": _trial(project, name, writers)}
    return Made(files, _manifest(project, name, writers, left_out))


def _runtime(project: Project) -> str:
    """Return the text of the module that all generated ones have, with a head of its own."""
    source = Path(__file__).with_name("runtime.py").read_text()
    body = source.split('"""', 2)[2].lstrip("\n")
    body = body.replace("from typing import Any", "from dataclasses import dataclass\nfrom typing import Any", 1)
    return f'"""{docstring(project.head)}"""\n\n# ruff: noqa\n{body}'


def _manifest(project: Project, name: str, writers: list[MessageWriter], left_out: list[LeftOut]) -> Manifest:
    return Manifest.of(
        project.origin, language="python", prefix=project.prefix, headers=(), sources=(f"{name}.py",),
        results=dict(_RESULTS), messages=tuple(_message(writer) for writer in writers), left_out=tuple(left_out),
    )  # fmt: skip


def _message(writer: MessageWriter) -> ManifestMessage:
    terms = writer.terms
    names = MessageNames(
        struct=terms.struct, unpack=f"{terms.name}_unpack", pack=f"{terms.name}_pack", value=terms.value_name,
        has=terms.has_name, raw_type=lambda one: raw_dtype(one) if one.is_number else f"uint8[{one.length}]",
    )  # fmt: skip
    return ManifestMessage.of(writer.message, names)


def _trial(project: Project, name: str, writers: list[MessageWriter]) -> str:
    """Return a test module: payloads, and what they mean by the codec."""
    lines = [
        f'"""{docstring(project.head)}"""', "", "import math", "", f"import {name} as made", "", "",
        "def same(found, wanted):", "    return math.isnan(found) if math.isnan(wanted) else found == wanted", "", "",
        "def near(found, wanted):", "    return same(found, wanted) or math.isclose(found, wanted, rel_tol=1e-12)",
    ]  # fmt: skip
    for number, writer in enumerate(writers):
        lines += ["", "", f"def test_{number}_{writer.terms.name}():"]
        for vector in vectors_of(writer.message, _EACH):
            lines += [f"    {line}" for line in _vector(writer, vector)]
    return "\n".join([*lines, ""])


def _vector(writer: MessageWriter, vector: Vector) -> list[str]:
    terms = writer.terms
    lines = [f"result, found = made.{terms.name}_unpack(bytes.fromhex('{vector.payload.hex()}'))",
             f"assert result == made.{_RESULTS[vector.result]}"]  # fmt: skip
    for one in writer.message.fields:
        expected = vector.told.fields[one.name]
        if one.field.selected is not None and vector.result != "too_short":
            lines.append(f"assert made.{terms.has_name(one)}(found) is {expected.is_there}")
        if not expected.is_there:
            continue
        if isinstance(expected.raw, bytes):
            lines.append(f"assert bytes(found.{one.raw}) == {expected.raw!r}")
            continue
        if expected.raw is not None:
            lines.append(f"assert found.{one.raw} == {expected.raw}")
        lines.append(f"assert same(made.{terms.value_name(one)}(found), {_float(expected.value)})")
    for value in writer.message.computed:
        if value.name in vector.told.computed:
            more = f", {len(vector.payload)}" if writer.message.takes_size(value) else ""
            call = f"made.{terms.value_name(value)}(found{more})"
            lines.append(f"assert near({call}, {_float(vector.told.computed[value.name])})")
    if vector.comes_back:
        lines.append(
            f"assert made.{terms.name}_pack(bytes({len(vector.payload)}), found).hex() == '{vector.payload.hex()}'"
        )
    return lines


def _float(value: float) -> str:
    return repr(value) if math.isfinite(value) else f"float('{value}')"
