"""What checks over bytes share: a field that holds the result, and the bytes it is taken over."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import NAME, Attribute, field_named, name_of_field, whole
from ..fields import Field
from ..problems import Said
from .check import Came, Check, CheckedFrames, FrameInHand
from .coverage import COVERAGE, Coverage

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class OverBytes(Check, frozen=True, kw_only=True, omit_defaults=True):
    """A field that holds something worked out over bytes; a subclass says what, in :meth:`taken`.

    Attributes
    ----------
    coverage
        The bytes. The bits of the check itself count as zero where they are among them.
    """

    field: UUID
    coverage: Coverage = Coverage()

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("field", "field", "", field_named, writer=name_of_field), *COVERAGE
    )  # fmt: skip
    fills_last: ClassVar[bool] = True

    def taken(
        self, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], width: int
    ) -> NDArray[np.uint64]:
        """Return what it is over ``data[row, first : end]`` of every row, for a field of ``width`` bits."""
        raise NotImplementedError

    def fields(self) -> tuple[UUID, ...]:
        return (self.field,)

    def held_by(self) -> tuple[UUID, ...]:
        return (self.field,)

    def expressions(self) -> tuple[Expression, ...]:
        return self.coverage.first, self.coverage.end

    def asks(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        return tuple(one.id for one in known.values() if one.id != self.field and self.coverage.may_cover(one))

    def problems(self, known: Mapping[str, Field]) -> Said:
        yield from self.coverage.problems(self.name, known, self.unit_bits)

    @property
    def unit_bits(self) -> int:
        """How many bits are taken together: those that coverage by places is to be whole units of."""
        return 8

    def expected(self, frames: CheckedFrames, width: int) -> tuple[NDArray[np.uint64], NDArray[np.bool_]]:
        """Return what it should be in every frame, cut to the ``width`` of its field, and where it can be told."""
        data, first, end, complete = self.coverage.bytes_of(frames, frames.own_bits(self.field))
        return self.taken(data, first, end, width) & np.uint64((1 << width) - 1), complete

    def agrees(self, frames: CheckedFrames) -> Came:
        bits, width, there = frames.bits(self.field)
        found, complete = self.expected(frames, width)
        return found == bits, there & complete

    def fill(self, frame: FrameInHand) -> None:
        # by the code that checks it: the only right value is the one that agrees
        if frame.is_free(self.field):
            _, width = frame.bits_of(self.field)
            found, complete = self.expected(frame.as_frames(), width)
            if complete[0]:
                frame.put_bits(self.field, int(found[0]))

    def bits_under(self, frames: CheckedFrames) -> NDArray[np.bool_]:
        return self.coverage.bits_under(frames)


WORD_BITS = Attribute(
    "word_bits", "taken by", "8", lambda text, layout: whole(text or "8", layout), ("8", "4"),
    choice_words={"8": "bytes", "4": "half bytes"},
)  # fmt: skip
"""By bytes, or by half bytes."""


def word_bits_problems(name: str, word_bits: int) -> Said:
    """Yield what is wrong with how many bits a check takes at once."""
    if word_bits not in (4, 8):
        yield "word_bits", f"{name} takes bytes (8) or half bytes (4), not {word_bits} bits."


def before(field: Field, layout: Layout) -> Coverage:
    """Return what a check in ``field`` is likely taken over: the bytes before it, or those behind if it is first."""
    first = min(field.places.bits, default=0) // 8
    if layout.parts or not len(field.places):
        return Coverage(end=Expression("size - 1"))
    return Coverage(end=Expression(str(first))) if first else Coverage(first=Expression("1"))
