"""What a message is called in structured text, and the conditions that are asked of its struct.

Nothing is read on the right of an ``AND`` that the left would have to guard: both sides are worked out.
"""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.checks.over_bytes import OverBytes
from ...layouts.model import RawSet
from ..carried_fields import CarriedField
from ..comparisons import Ends, spans_within
from ..message_terms import MessageTerms
from .types import bits, range_of, raw_type, whole

_ROOM_BYTES = 64
"""Bytes of a block whose checks go to the end of a frame, however long it is."""
FLOATS = {16: (5, 10), 32: (8, 23), 64: (11, 52)}
"""Bits of exponent and fraction of IEEE 754 numbers."""


@dataclass(frozen=True, slots=True)
class Terms(MessageTerms):
    """Names and conditions of one message.

    Attributes
    ----------
    prefix
        In front of every name that others see.
    """

    prefix: str

    @property
    def name(self) -> str:
        """The type of its struct, and the message's own prefix: ``yuzu_motion``."""
        return f"{self.prefix}_{self.message.name}"

    @property
    def block(self) -> str:
        """The type of what payloads lie in."""
        return f"{self.name}_data"

    @property
    def unit_bytes(self) -> int:
        """Bytes of an item of the block: registers of two bytes stay registers."""
        registers = self.message.layout.registers
        return 2 if registers is not None and registers.space.register_bits == 16 else 1

    @property
    def room(self) -> int:
        """Bytes of the block."""
        size = self.message.size_of_all
        if self.asks_for_end:
            size = max(size, _ROOM_BYTES)
        return max(-(-size // self.unit_bytes) * self.unit_bytes, self.unit_bytes)

    @property
    def asks_for_end(self) -> bool:
        """Whether a check is taken over bytes up to the end of the frame."""
        over = [check for check in self.message.checks if isinstance(check, OverBytes)]
        return any("size" in expression.names for check in over for expression in check.expressions())

    def helper(self, name: str) -> str:
        """Return what a function is called that the code of messages calls."""
        return f"{self.prefix}_{name}"

    def result(self, word: str) -> str:
        """Return a result: ``too_short``."""
        return f"{self.prefix}_result#{self.prefix}_{word}"

    def holds_name(self, one: CarriedField) -> str:
        """Return the function that says whether a field has a value."""
        return f"{self.name}_holds_{one.name}"

    def presence(self, one: CarriedField, struct: str = "raw") -> list[str]:
        """Return the condition that a field is there, none if it always is."""
        return [f"{self.has_name(one)}(raw := {struct})"] if one.field.selected is not None else []

    def holds(self, one: CarriedField, struct: str = "raw") -> list[str]:
        """Return the condition that a field has a value, none if it always has."""
        return [f"{self.holds_name(one)}(raw := {struct})"] if self.held_conditions(one) else []

    def _is_there(self, one: CarriedField) -> str:
        return self.presence(one)[0]

    def _differs(self, one: CarriedField, raw: int) -> str:
        return f"(raw.{one.raw} <> {whole(raw, raw_type(one))})"

    def _is_a_number(self, one: CarriedField) -> str:
        exponent, fraction = FLOATS[one.bits]
        mask = bits(((1 << exponent) - 1) << fraction)
        return f"(({raw_type(one)}_TO_LWORD(raw.{one.raw}) AND {mask}) <> {mask})"

    def _outside(self, one: CarriedField, values: RawSet) -> str:
        return f"(NOT {within(values, f'raw.{one.raw}', raw_type(one))})"


def within(values: RawSet, name: str, kind: str) -> str:
    """Return the condition that a number is in a set."""
    parts = [_between(ends, name, kind) for ends in spans_within(values, range_of(kind))]
    return f"({' OR '.join(parts)})" if len(parts) > 1 else (parts[0] if parts else "FALSE")


def _between(ends: Ends, name: str, kind: str) -> str:
    if ends.is_one and ends.low is not None:
        return f"({name} = {whole(ends.low, kind)})"
    parts = [f"({name} >= {whole(ends.low, kind)})"] if ends.low is not None else []
    parts += [f"({name} <= {whole(ends.high, kind)})"] if ends.high is not None else []
    return f"({' AND '.join(parts)})" if len(parts) > 1 else (parts[0] if parts else "TRUE")
