"""Bytes of a serial line, put together to telegrams."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol, numbered


class Serial(Protocol):
    """Bytes of a serial line, put together to telegrams."""

    name, title = "serial", "serial"
    may_be_text = True

    def kind_text(self, key: KindKey) -> str:
        return numbered("telegrams", key)


PROTOCOL = Serial()
