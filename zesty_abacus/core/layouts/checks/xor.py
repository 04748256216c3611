"""Bytes exclusive-ored."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ..attribute import Attribute, whole
from ..fields import Field
from ..problems import Said
from ..template import Template, free_name, with_field_for_check
from .over_bytes import WORD_BITS, OverBytes, before, word_bits_problems

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Xor(OverBytes, frozen=True, kw_only=True, omit_defaults=True, tag="xor"):
    """Bytes exclusive-ored, beginning with ``start``.

    Attributes
    ----------
    word_bits
        8, or 4 where each byte goes in as its two halves.
    """

    start: int = 0
    word_bits: int = 8

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *OverBytes.attributes, Attribute("start", "start", "0", whole), WORD_BITS
    )  # fmt: skip
    rank: ClassVar[int] = 2

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Exclusive or over the bytes before", "checks", _add),)

    def words(self) -> str:
        return "exclusive or"

    def taken(
        self, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], width: int
    ) -> NDArray[np.uint64]:
        from ...kernels.sums import xors  # compiled code loads when a check is made, not with a layout

        found = xors(data, first, end, np.uint8(self.start & 255))
        return ((found >> 4 ^ found) & 15 if self.word_bits == 4 else found).astype(np.uint64)

    def problems(self, known: Mapping[str, Field]) -> Said:
        yield from super().problems(known)
        if not 0 <= self.start < 256:
            yield "start", f"{self.name} begins with {self.start}, which a byte does not hold."
        yield from word_bits_problems(self.name, self.word_bits)

    @property
    def unit_bits(self) -> int:
        return self.word_bits


def _add(layout: Layout) -> Layout:
    layout, field = with_field_for_check(layout, ("xor", "check"))
    over = before(field, layout)
    return layout.with_item(Xor(id=uuid4(), name=free_name(layout, "exclusive or"), field=field.id, coverage=over))


CHECK = Xor
