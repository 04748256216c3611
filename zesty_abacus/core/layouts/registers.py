"""Register maps: a device's registers as one layout, of which any exchange covers a stretch."""

from __future__ import annotations

import enum

import msgspec

from ..protocols.spaces import Space
from .places import Places

_CUSTOMARY = {Space.COILS: 0, Space.DISCRETE: 1, Space.INPUT: 3, Space.HOLDING: 4}


class PastEnd(enum.Enum):
    """What a device does when an access goes behind its last register."""

    REFUSE = "refuse"
    WRAP = "wrap"
    """It goes on with register 0."""
    IGNORE = "ignore"
    """Reads bring zeros, writes change nothing."""

    @property
    def words(self) -> str:
        """What it does, as a sentence says it."""
        return {"refuse": "refuses", "wrap": "goes on with the first", "ignore": "ignores it"}[self.value]


class RegisterMap(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """The registers of one device.

    Places of the layout's fields count from register 0 of the map: ``R12`` is register 12 where registers have
    16 bits, ``B12`` where they have 8, and coil 12 is ``B1[4]``.

    Attributes
    ----------
    device
        Unit of Modbus, address of I2C, select of SPI; None is any.
    space
    first
        0 or 1: the number the device's papers give to the first register. Places always count from 0.
    count
        How many registers there are; going beyond is flagged. 0 is not known.
    past_end
        What the device does when an access goes beyond them.
    advances
        Whether an access goes on to the next register by itself.
    window
        Of a layout that is a window of a map, the register it begins with; never kept.
    """

    device: int | None = None
    space: Space = Space.HOLDING
    first: int = 0
    count: int = 0
    past_end: PastEnd = PastEnd.REFUSE
    advances: bool = True
    window: int | None = None

    def words(self) -> str:
        """Return the map as its papers would say it, such as ``16 input registers of device 17``."""
        count = f"{self.count} " if self.count else ""
        device = "any device" if self.device is None else f"device {self.device}"
        said = [f"{count}{self.space.words} of {device}", f"papers count from {self.first}"]
        if self.past_end is not PastEnd.REFUSE:
            said.append(f"past the end it {self.past_end.words}")
        if not self.advances:
            said.append("an access stays on its register")
        return "; ".join(said)

    def customary(self, register: int) -> str:
        """Return the customary number with its leading digit, such as ``40013`` for holding register 12.

        The leading digit tells the kind of register, the rest counts from 1; six digits beyond 9999.
        """
        lead = _CUSTOMARY.get(self.space)
        if lead is None:
            return f"0x{register:02X}"
        return f"{lead}{register + 1:04d}" if register < 9999 else f"{lead}{register + 1:05d}"

    def paper(self, register: int) -> int:
        """Return the number the device's papers give a register."""
        return register + self.first

    def seen_through(self, places: Places, first: int, bits: int) -> Places | None:
        """Return places as an exchange sees them that begins with register ``first`` and carries ``bits`` bits.

        None if it does not carry all of them.
        """
        shift = first * self.space.register_bits
        moved = [bit - shift for bit in places.bits]
        if moved and not 0 <= min(moved) <= max(moved) < bits:
            return None
        return Places(moved)
