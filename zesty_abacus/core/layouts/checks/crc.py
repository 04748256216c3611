"""A cyclic redundancy check of 1 to 64 bits."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ..attribute import YES_NO, Attribute, whole, yes
from ..fields import Field
from ..problems import Said
from ..template import Template, free_name, with_field_for_check
from .over_bytes import OverBytes, before

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


def _in_hex(value: int, crc: Any, _layout: Layout) -> str:
    return f"0x{value:0{(crc.width + 3) // 4}X}"


class Crc(OverBytes, frozen=True, kw_only=True, omit_defaults=True, tag="crc"):
    """A cyclic redundancy check in the parameters customary since Williams, *A painless guide* (1993).

    Attributes
    ----------
    width
        Bits of the register, 1 to 64; the field may be narrower and then holds the lowest bits.
    polynomial
        Without its highest term, the highest remaining term at the top.
    start, final
        What the register begins with, and what it is exclusive-ored with at the end.
    reflect_in, reflect_out
        Bytes go in lowest bit first; the register is turned round at the end.
    """

    width: int
    polynomial: int
    start: int = 0
    final: int = 0
    reflect_in: bool = False
    reflect_out: bool = False

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *OverBytes.attributes, Attribute("width", "bits", "", whole),
        Attribute("polynomial", "polynomial", "0x1021", whole, writer=_in_hex),
        Attribute("start", "start", "0xFFFF", whole, writer=_in_hex),
        Attribute("final", "final", "0", whole, writer=_in_hex),
        Attribute("reflect_in", "bytes reflected", "", yes, YES_NO),
        Attribute("reflect_out", "result reflected", "", yes, YES_NO),
    )  # fmt: skip
    rank: ClassVar[int] = 3

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (
            Template("CRC-8, polynomial 0x2F", "checks", _adding(8, 0x2F, 0xFF, 0xFF, False)),
            Template("CRC-16, polynomial 0x1021, start 0xFFFF", "checks", _adding(16, 0x1021, 0xFFFF, 0, False)),
            Template("CRC-16, polynomial 0x8005, reflected", "checks", _adding(16, 0x8005, 0xFFFF, 0, True)),
            Template("CRC-32, polynomial 0x04C11DB7, reflected", "checks",
                     _adding(32, 0x04C11DB7, 0xFFFFFFFF, 0xFFFFFFFF, True)),
        )  # fmt: skip

    def words(self) -> str:
        return f"CRC-{self.width}"

    def problems(self, known: Mapping[str, Field]) -> Said:
        if not 1 <= self.width <= 64:
            yield "width", f"A CRC has 1 to 64 bits, not {self.width}."
        else:
            for attribute in ("polynomial", "start", "final"):
                number = getattr(self, attribute)
                if not 0 <= number < 1 << self.width:
                    yield attribute, f"{number} is not in the {self.width} bits of {self.name}."
        yield from super().problems(known)

    def taken(
        self, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], width: int = 64
    ) -> NDArray[np.uint64]:
        from ...kernels.sums import crc_table, crcs  # compiled code loads when a check is made, not with a layout

        table = crc_table(self.width, np.uint64(self.polynomial), self.reflect_in)
        start = np.uint64(_reflected(self.start, self.width) if self.reflect_in else self.start)
        turn = self.reflect_in != self.reflect_out
        return crcs(data, first, end, table, self.width, start, np.uint64(self.final), self.reflect_in, turn)


def _reflected(number: int, width: int) -> int:
    return int(f"{number:0{width}b}"[::-1], 2)


def _adding(width: int, polynomial: int, start: int, final: int, reflected: bool) -> Callable[[Layout], Layout]:
    def add(layout: Layout) -> Layout:
        layout, field = with_field_for_check(layout, ("crc", "check"), width)
        crc = Crc(
            id=uuid4(), name=free_name(layout, f"CRC-{width}"), field=field.id, coverage=before(field, layout),
            width=width, polynomial=polynomial, start=start, final=final, reflect_in=reflected, reflect_out=reflected,
        )  # fmt: skip
        return layout.with_item(crc)

    return add


CHECK = Crc
