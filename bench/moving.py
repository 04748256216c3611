"""Decoding and encoding of layouts that move: arrays, lists of elements, text, selectors, checks."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from uuid import uuid4

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import put_raw, raw_column
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import (
    Applies,
    Coverage,
    Crc,
    ElementCase,
    Elements,
    Expression,
    Group,
    Layout,
    RawSet,
    Repeat,
    Selected,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

FRAMES = 500_000
ANY = Applies(protocol="serial")


def measure(_folder: Path) -> list[Line]:
    """Measure each structure on made-up frames; the goal is a million frames a second."""
    random = np.random.default_rng(5)
    fixed_layout = new_layout("f", ANY, 8, [new_field(f"v{n}", at(f"B{2 * n} B{2 * n + 1}")) for n in range(4)])
    fixed = _rate(fixed_layout, random.integers(0, 256, (FRAMES, 8), dtype=np.uint8), np.full(FRAMES, 8, np.uint32))
    lines = [Line("decode fixed layout, checks and validity included", f"{fixed / 1e6:.1f} M frames/s")]
    for words, layout, frames in (
        ("selector with 4 pages", _selector(), _pages(random)),
        ("CRC-16 over 6 bytes", _checked(), (random.integers(0, 256, (FRAMES, 8), dtype=np.uint8), 8)),
        ("counted array, up to 16 items", _array(), _counted(random)),
        ("list of up to 8 elements", _elements(), _listed(random)),
        ("delimited line of 10 columns", _line(), _written(random)),
    ):
        matrix, sizes = frames
        rate = _rate(layout, matrix, np.broadcast_to(np.uint32(sizes), (FRAMES,)).copy())
        lines.append(Line(f"decode {words}", f"{rate / 1e6:.2f} M frames/s", "1 M/s", rate >= 1e6))
        lines.append(Line("  against the fixed layout", f"{rate / fixed:.2f} x"))
    return [*lines, *_encoding(random, fixed_layout)]


def _rate(layout: Layout, matrix: np.ndarray, sizes: np.ndarray) -> float:
    plan = compile_layout(layout)
    decode(plan, matrix[:100], sizes[:100])
    return len(matrix) / best(lambda: decode(plan, matrix, sizes))


def _selector() -> Layout:
    page = new_field("page", at("B0"))
    fields = [
        new_field(f"p{n} {k}", at(f"B{1 + 2 * k} B{2 + 2 * k}"), ratio=Fraction(1, 10),
                  selected=Selected(page.id, RawSet.of(n)))
        for n in range(4) for k in range(2)
    ]  # fmt: skip
    return new_layout("selector", ANY, 8, [page, *fields])


def _pages(random: np.random.Generator) -> tuple[np.ndarray, int]:
    matrix = random.integers(0, 256, (FRAMES, 8), dtype=np.uint8)
    matrix[:, 0] = np.arange(FRAMES) % 4
    return matrix, 8


def _checked() -> Layout:
    check = new_field("check", at("B6 B7"))
    value = new_field("value", at("B0 B1"))
    crc = Crc(id=uuid4(), name="crc", field=check.id, coverage=Coverage(end=Expression("6")), width=16,
              polynomial=0x1021, start=0xFFFF)  # fmt: skip
    return new_layout("checked", ANY, 8, [value, check], checks=(crc,))


def _array() -> Layout:
    cell = new_field("cell", at("B0 B1"), ratio=Fraction(1, 1000), unit="V")
    group = Group(id=uuid4(), name="cells", size=2, fields=(cell,), repeat=Repeat.COUNT, amount=Expression("count"))
    return new_layout("array", ANY, 1, [new_field("count", at("B0"))], parts=(group,))


def _counted(random: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    count = random.integers(0, 17, FRAMES)
    matrix = random.integers(0, 256, (FRAMES, 40), dtype=np.uint8)
    matrix[:, 0] = count
    return matrix, 1 + 2 * count


def _elements() -> Layout:
    cases = tuple(
        ElementCase(id=uuid4(), name=f"t{n}", types=RawSet.of(n), fields=(new_field(f"v{n}", at("B0 B1")),))
        for n in range(1, 4)
    )
    part = Elements(id=uuid4(), name="list", head=2, type=new_field("type", at("B0")),
                    length=new_field("length", at("B1")), cases=cases)  # fmt: skip
    return new_layout("elements", ANY, 0, parts=(part,))


def _listed(random: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    count = random.integers(0, 9, FRAMES)
    matrix = random.integers(0, 256, (FRAMES, 32), dtype=np.uint8)
    matrix[:, 0::4] = random.integers(1, 4, (FRAMES, 8))
    matrix[:, 1::4] = 2
    return matrix, 4 * count


def _line() -> Layout:
    columns = tuple(new_field(f"c{n}", Places(()), ratio=Fraction(1, 2)) for n in range(10))
    return new_layout("line", ANY, 0, parts=(TextLine(id=uuid4(), name="line", columns=columns),))


def _written(random: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    numbers = random.integers(-9999, 9999, (1000, 10))
    texts = [",".join(f"{number / 100:.2f}" for number in row).encode() for row in numbers]
    width = (max(map(len, texts)) + 7) // 8 * 8
    some = np.zeros((1000, width), np.uint8)
    for row, text in enumerate(texts):
        some[row, : len(text)] = np.frombuffer(text, np.uint8)
    sizes = np.array([len(text) for text in texts], np.uint32)
    return np.tile(some, (FRAMES // 1000, 1)), np.tile(sizes, FRAMES // 1000)


def _encoding(random: np.random.Generator, layout: Layout) -> list[Line]:
    values = random.integers(0, 65536, FRAMES)
    matrix = np.zeros((FRAMES, 8), np.uint8)

    def columns() -> None:
        for field in layout.fields:
            put_raw(matrix, field, raw_column(field, values))

    rate = FRAMES / best(columns)
    cells = [Fraction(raw, 1000) for raw in range(8)]
    array = _array()
    one = best(lambda: [encode_message(array, {"cells": cells}) for _ in range(50)]) / 50
    return [
        Line("encode 4 fields, by columns", f"{rate / 1e6:.2f} M frames/s"),
        Line("encode one frame with an array of 8", f"{one * 1e6:.0f} µs"),
    ]
