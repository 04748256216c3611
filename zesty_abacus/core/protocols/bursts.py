"""Bursts of bits, by radio or on a line: told apart by how many bits they have."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol


class Bursts(Protocol):
    """Runs of bits between pauses."""

    name, title = "bursts", "bursts"

    def kind_text(self, key: KindKey) -> str:
        return f"{key.address} bits"


PROTOCOL = Bursts()
