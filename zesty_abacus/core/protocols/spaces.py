"""Sets of registers that have numbers of their own."""

from __future__ import annotations

import enum


class Space(enum.Enum):
    """A set of registers with numbers of its own."""

    HOLDING = "holding"
    INPUT = "input"
    COILS = "coils"
    DISCRETE = "discrete"
    BYTES = "bytes"
    """Registers of an I2C or SPI device, a byte each."""

    @property
    def register_bits(self) -> int:
        """Bits of one register."""
        return {Space.BYTES: 8, Space.COILS: 1, Space.DISCRETE: 1}.get(self, 16)

    @property
    def functions(self) -> tuple[int, ...]:
        """Modbus functions that carry data of these registers (Modbus Application Protocol V1.1b3)."""
        return {
            Space.HOLDING: (3, 6, 16), Space.INPUT: (4,), Space.COILS: (1, 5, 15), Space.DISCRETE: (2,),
        }.get(self, ())  # fmt: skip

    @property
    def words(self) -> str:
        """Return the space as the trade says it."""
        return {
            Space.HOLDING: "holding registers", Space.INPUT: "input registers", Space.COILS: "coils",
            Space.DISCRETE: "discrete inputs", Space.BYTES: "byte registers",
        }[self]  # fmt: skip
