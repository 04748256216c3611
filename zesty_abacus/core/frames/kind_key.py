"""What tells one kind of message from another; apart from the index, whose compiled code takes time to load."""

from __future__ import annotations

from dataclasses import dataclass

from . import flags as F


@dataclass(frozen=True, slots=True, order=True)
class KindKey:
    """What makes two frames the same kind of message."""

    lane: int
    address: int
    flags: int

    @property
    def extended(self) -> bool:
        """Whether the address is a 29-bit CAN identifier."""
        return bool(self.flags & F.EXTENDED)

    @property
    def is_data(self) -> bool:
        """Whether frames of this kind carry payload to lay out (neither remote, error nor refusing frames)."""
        return not self.flags & (F.REMOTE | F.ERROR | F.EXCEPTION)
