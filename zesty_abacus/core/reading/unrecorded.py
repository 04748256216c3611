"""A layout to begin with, of a message that nobody recorded: what papers say is typed in before it is seen."""

from __future__ import annotations

from dataclasses import dataclass

from ..errors import MisuseError
from ..layouts.address_spans import with_span
from ..layouts.model import Applies, Layout, RegisterMap, new_layout
from ..protocols import by_hand
from ..protocols.registry import protocol_named, protocols
from ..protocols.spaces import Space

_USUAL_BYTES = {"can": 8, "iso11783": 8, "lin": 8}
_OF_SPACES = {"modbus": (Space.HOLDING, Space.INPUT, Space.COILS, Space.DISCRETE), "registers": (Space.BYTES,)}
"""Protocols whose messages are exchanges about registers: what is laid out is the device."""
_MOST_DEVICE = 1023


@dataclass(frozen=True, slots=True)
class MessageSort:
    """What is laid out: a message of a protocol, or the registers of a device.

    Attributes
    ----------
    protocol
    space
        Of a device; None of a message.
    """

    protocol: str
    space: Space | None = None

    @property
    def words(self) -> str:
        """Return what it is called."""
        title = protocol_named(self.protocol).title
        if self.space is None:
            return title
        return self.space.words if self.space is Space.BYTES else f"{title}, {self.space.words}"

    @property
    def asked(self) -> str:
        """Return what says which one it is, with an example."""
        spoken = protocol_named(self.protocol)
        title, example = (spoken.address_title, spoken.address_example) if self.space is None else ("device", "1")
        return f"{title}, such as {example}"

    def begun(self, text: str) -> Layout:
        """Return an empty layout of the message at an address, or of a device.

        Raises
        ------
        MisuseError
            If the text is no address, or none at all: a layout of any address would read everything.
        """
        text = text.strip()
        if not text:
            raise MisuseError("nothing says which one it is.", hint=f"Give its {self.asked}.")
        if self.space is not None:
            device = _device(text)
            applies, registers = Applies(protocol=self.protocol), RegisterMap(device=device, space=self.space)
            return new_layout(f"Device {device} {self.space.words}", applies, 0, registers=registers)
        applies = with_span(Applies(protocol=self.protocol), text)
        return new_layout(f"Message {text}", applies, _USUAL_BYTES.get(self.protocol, 0))


def _device(text: str) -> int:
    try:
        device = int(text, 0)
    except ValueError:
        device = -1
    if not 0 <= device <= _MOST_DEVICE:
        raise MisuseError(
            f"{text[:40]!r} is no device.", hint=f"Write a number from 0 to {_MOST_DEVICE}, as 1 or 0x5A."
        )
    return device


def message_sorts() -> list[MessageSort]:
    """Return all sorts, CAN first, then by what they are called."""
    sorts = [MessageSort(name) for name in protocols() if name not in {*_OF_SPACES, by_hand.NAME}]
    sorts += [MessageSort(name, space) for name, spaces in _OF_SPACES.items() for space in spaces]
    return sorted(sorts, key=lambda sort: (sort.protocol != "can", sort.words.lower()))
