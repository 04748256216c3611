"""What every check has, says and does."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar, Protocol
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ...expressions.operation import Result
from ..fields import Field
from ..item import LayoutItem
from ..problems import Said

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout

Came = tuple[NDArray[np.bool_], NDArray[np.bool_]]
"""How a check came out, bool (n,) each: where it agrees, and in which frames it is there at all."""


class CheckedFrames(Protocol):
    """The frames a check is made in.

    Attributes
    ----------
    matrix : uint8 (n, w)
        Payloads, zero beyond ``sizes``.
    sizes : int64 (n,)
    addresses : int64 (n,)
    """

    @property
    def matrix(self) -> NDArray[np.uint8]:
        """Return the payloads."""
        ...

    @property
    def sizes(self) -> NDArray[np.int64]:
        """Return how many bytes of each payload there are."""
        ...

    @property
    def addresses(self) -> NDArray[np.int64]:
        """Return the address of each frame."""
        ...

    def raw(self, field_id: UUID) -> tuple[NDArray, NDArray[np.bool_]]:
        """Return a field's raw values, (n,), and in which frames it is there; raises KeyError if nothing has it."""
        ...

    def bits(self, field_id: UUID) -> tuple[NDArray[np.uint64], int, NDArray[np.bool_]]:
        """Return a field's raw numbers as bits, how many (64 of a text column), and in which frames it is there.

        A check is about the number that is read, so of an inverted field these are the bits turned back.
        """
        ...

    def own_bits(self, field_id: UUID) -> tuple[int, ...]:
        """Return the bits of the payload that a field has, none of one that lies elsewhere in every frame."""
        ...

    def evaluate(self, expression: Expression) -> Result:
        """Return the values of an expression, one a frame."""
        ...


class FrameInHand(Protocol):
    """The frame that is being made of values, whose checks are still to be filled in."""

    @property
    def data(self) -> bytearray:
        """Return the bytes so far."""
        ...

    @property
    def keeps_what_it_has(self) -> bool:
        """Return whether bits that no value was given for were there before, and stay."""
        ...

    def is_free(self, field_id: UUID) -> bool:
        """Return whether a field has places and no value was given for it."""
        ...

    def bits_of(self, field_id: UUID) -> tuple[int, int]:
        """Return a field's raw number as it stands as bits, and how many they are."""
        ...

    def put_bits(self, field_id: UUID, bits: int) -> None:
        """Write a field's raw number, given as bits."""
        ...

    def put_field(self, field: Field, start: int, raw: int) -> None:
        """Write bits at the places of any field, counted from byte ``start``."""
        ...

    def solve_equal(self, expression: Expression) -> None:
        """Give the free field of an equation, as ``length == size - 4``, the value that makes it true."""
        ...

    def as_frames(self) -> CheckedFrames:
        """Return it as the one frame of many."""
        ...


class Check(LayoutItem, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="check"):
    """What every check has; a check is a subclass with a ``tag``, in a module of its own that names it ``CHECK``.

    Attributes
    ----------
    spoils
        Whether a frame's values are invalid where it disagrees; otherwise it is only reported.
    fills_last
        Whether it is worked out behind the others when a frame is made, since it may cover them.
    """

    id: UUID
    name: str
    note: str = ""

    spoils: ClassVar[bool] = True
    compares: ClassVar[str] = ""
    """``frames`` or ``messages`` where it looks at more than one of them; what looks at one also stands in parts."""
    fills_last: ClassVar[bool] = False

    def can_stand_in(self, *, is_array: bool) -> bool:
        """Return whether it can be a check of a part that is there once, or of the items of an array."""
        return not self.compares or (self.compares == "frames" and not is_array)

    def fields(self) -> tuple[UUID, ...]:
        """Return the fields it names."""
        return ()

    def held_by(self) -> tuple[UUID, ...]:
        """Return the fields that carry nothing but the check."""
        return ()

    def gives(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        """Return the fields that :meth:`fill` may write, of those that are there, by name."""
        return self.held_by()

    def asks(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        """Return the fields that must stand before it is filled in, of those that are there, by name."""
        return ()

    def expressions(self) -> tuple[Expression, ...]:
        """Return the expressions it is made with."""
        return ()

    def still_bits(self) -> tuple[int, ...]:
        """Return the bits that it says never mean anything."""
        return ()

    def problems(self, known: Mapping[str, Field]) -> Said:
        """Yield what is wrong with it, beside fields: by name, those that are there once a frame."""
        yield from ()

    def agrees(self, frames: CheckedFrames) -> Came:
        """Return how it comes out in every frame."""
        raise NotImplementedError

    def fill(self, frame: FrameInHand) -> None:
        """Make it agree in a frame that is being made, where no value was given."""

    def bears_out(self, layout: Layout) -> tuple[UUID, ...]:
        """Return the fields whose values are borne out where it agrees."""
        return self.fields()

    def bits_under(self, frames: CheckedFrames) -> NDArray[np.bool_] | None:
        """Return which bits of each frame it is taken over, bool (n, w * 8); None if over none."""
        return None
