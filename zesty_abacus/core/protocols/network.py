"""What packets of a network carry: the address packs port and a number of the message, or is a device's."""

from __future__ import annotations

from ..frames.flags import ANSWER
from ..frames.kind_key import KindKey
from .protocol import Protocol


class Network(Protocol):
    """Datagrams, streams and advertisements."""

    name, title = "network", "network"
    ways = frozenset({"answer"})

    def device_of(self, key: KindKey) -> int:
        # an advertisement has an access address and no port
        return key.address >> 32 or key.address

    def kind_text(self, key: KindKey) -> str:
        if key.address >> 32:
            server = " from server" if key.flags & ANSWER else ""
            return f"port {key.address >> 32} #{key.address & 0xFFFFFFFF}{server}"
        return f"0x{key.address:08X}"


PROTOCOL = Network()
