"""What packets of a network carry: the address packs port and a number of the message, or is a device's."""

from __future__ import annotations

from ..frames.flags import ANSWER
from ..frames.kind_key import KindKey
from .protocol import Protocol, read_numbers

_LAST_PORT, _NUMBER = 0xFFFF, 0xFFFF_FFFF


class Network(Protocol):
    """Datagrams, streams and advertisements."""

    name, title = "network", "network"
    ways = frozenset({"answer"})
    address_example = "502/4"
    digits = 8

    def device_of(self, key: KindKey) -> int:
        # an advertisement has an access address and no port
        return key.address >> 32 or key.address

    def kind_text(self, key: KindKey) -> str:
        if key.address >> 32:
            server = " from server" if key.flags & ANSWER else ""
            return f"port {key.address >> 32} #{key.address & _NUMBER}{server}"
        return self.address_text(key.address)

    def address_text(self, address: int, *, extended: bool = False) -> str:
        port, number = address >> 32, address & _NUMBER
        return f"{port}/{number}" if 0 < port <= _LAST_PORT else self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        if "/" not in text:
            return super().read_address(text)
        port, number = read_numbers(text, (("port", _LAST_PORT), ("message", _NUMBER)), self.address_example)
        return port << 32 | number, False


PROTOCOL = Network()
