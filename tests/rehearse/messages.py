"""Layouts for tests of what goes out."""

from __future__ import annotations

from uuid import uuid4

from zesty_abacus.core.layouts.model import Applies, Counter, Coverage, Crc, Expression, new_layout
from zesty_abacus.demo.layouts import make_field


def throttle(**applies):
    fields = [
        make_field("speed", "B0 B1", "signed", "0.1", unit="kn", limits=(-20, 20)),
        make_field("mode", "B2[1..0]", "names", names={0: "off", 1: "ahead", 2: "astern"}),
        make_field("double", "B3 B4", "signed", "0.1"),
        make_field("turn", "B5[3..0]"),
        make_field("check", "B6"),
    ]
    counter = Counter(id=uuid4(), name="turn", field=fields[3].id)
    crc = Crc(id=uuid4(), name="crc", field=fields[4].id, coverage=Coverage(end=Expression("size - 1")), width=8,
              polynomial=0x2F, start=0xFF, final=0xFF)  # fmt: skip
    return new_layout("Throttle", Applies(address=0x123, **applies), 7, fields, checks=(counter, crc))
