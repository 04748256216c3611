"""Bytes exclusive-ored."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ..attribute import Attribute, whole
from ..template import Template, field_for_check, free_name
from .over_bytes import OverBytes, before

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Xor(OverBytes, frozen=True, kw_only=True, omit_defaults=True, tag="xor"):
    """Bytes exclusive-ored, beginning with ``start``."""

    start: int = 0

    attributes: ClassVar[tuple[Attribute, ...]] = (*OverBytes.attributes, Attribute("start", "start", "0", whole))
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

        return xors(data, first, end, np.uint8(self.start & 255)).astype(np.uint64)


def _add(layout: Layout) -> Layout:
    field = field_for_check(layout, ("xor", "check"))
    over = before(field, layout)
    return layout.with_item(Xor(id=uuid4(), name=free_name(layout, "exclusive or"), field=field.id, coverage=over))


CHECK = Xor
