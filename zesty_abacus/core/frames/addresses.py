"""How an address is written, by what the lane speaks."""

from __future__ import annotations

from .flags import ANSWER, EXCEPTION, EXTENDED, READ
from .kinds import KindKey

_MODBUS_WORDS = {
    1: "coils", 2: "inputs", 3: "holding", 4: "input registers", 5: "coil", 6: "register", 15: "coils",
    16: "registers", 22: "mask", 23: "read and write",
}  # fmt: skip


def address_text(protocol: str, key: KindKey) -> str:
    """Return the address of a kind the way an engineer of its bus writes it, with what tells kinds apart."""
    words = _ADDRESS.get(protocol)
    return words(key) if words is not None else key.address_text()


def _i2c(key: KindKey) -> str:
    width = 3 if key.flags & EXTENDED else 2
    return f"0x{key.address:0{width}X} {'read' if key.flags & READ else 'write'}"


def _registers(key: KindKey) -> str:
    way = "read" if key.flags & READ else "write"
    return f"0x{key.address >> 16:02X} {way} from 0x{key.address & 0xFFFF:02X}"


def _modbus(key: KindKey) -> str:
    unit, function, register = key.address >> 24 & 0xFF, key.address >> 16 & 0xFF, key.address & 0xFFFF
    way = "refused" if key.flags & EXCEPTION else "answer" if key.flags & ANSWER else "request"
    return f"{unit} · {_MODBUS_WORDS.get(function, f'function {function}')} {register} {way}"


def _spi(key: KindKey) -> str:
    return "from device" if key.address else "to device"


def _bursts(key: KindKey) -> str:
    return f"{key.address} bits"


def _sentence(key: KindKey) -> str:
    head = key.address.to_bytes(8, "big").lstrip(b"\0")
    return "".join(chr(code) if 32 <= code < 127 else "·" for code in head) or "no sentence"


def _words(key: KindKey) -> str:
    if not key.address:
        return "words"
    return f"terminal {key.address >> 5} · {key.address & 31}{' answer' if key.flags & ANSWER else ''}"


def _network(key: KindKey) -> str:
    if key.address >> 32:
        return f"port {key.address >> 32} #{key.address & 0xFFFFFFFF}{' from server' if key.flags & ANSWER else ''}"
    return f"0x{key.address:08X}"


def _plain(name: str):  # type: ignore[no-untyped-def]
    return lambda key: name if not key.address else f"{name} {key.address}"


_ADDRESS = {
    "i2c": _i2c, "registers": _registers, "modbus": _modbus, "spi": _spi, "bursts": _bursts, "sentence": _sentence,
    "words": _words, "network": _network, "serial": _plain("telegrams"), "clocked": _plain("bursts"),
    "hdlc": _plain("packets"),
}  # fmt: skip
