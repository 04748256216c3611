"""Bits that a clock line goes with."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol, numbered


class Clocked(Protocol):
    """Bits that a clock line goes with."""

    name, title = "clocked", "clocked"

    def kind_text(self, key: KindKey) -> str:
        return numbered("bursts", key)


PROTOCOL = Clocked()
