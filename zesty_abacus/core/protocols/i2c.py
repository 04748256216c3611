"""I2C: device addresses of 7 or 10 bits, read or written (UM10204)."""

from __future__ import annotations

from ..frames.flags import EXTENDED, READ
from ..frames.kind_key import KindKey
from .protocol import Protocol


class I2c(Protocol):
    """Transfers of an I2C bus."""

    name, title = "i2c", "I2C"
    ways = frozenset({"read"})

    def kind_text(self, key: KindKey) -> str:
        width = 3 if key.flags & EXTENDED else 2
        return f"0x{key.address:0{width}X} {'read' if key.flags & READ else 'write'}"


PROTOCOL = I2c()
