"""Endpoints on which a device can be played beside those that are there."""

from __future__ import annotations

import threading
from abc import abstractmethod
from collections.abc import Callable, Sequence

from ..errors import MisuseError
from .byte_device import ByteDevice
from .device_registers import Access, DeviceRegisters
from .device_server import DeviceServer
from .endpoint import Endpoint
from .registry import endpoint_of, lane_and_address

_TURN_S = 0.1


class HostEndpoint(Endpoint):
    """An endpoint whose buses take devices of byte registers."""

    @abstractmethod
    def device_lanes(self) -> tuple[str, ...]:
        """Return the lanes on which a device can be played."""

    @abstractmethod
    def plug(
        self, lane: str, number: int, registers: DeviceRegisters, seen: Callable[[Access], None] | None
    ) -> ByteDevice:
        """Put a device on a lane, in place of one with the same number, and return it."""

    @abstractmethod
    def unplug(self, lane: str, device: ByteDevice) -> None:
        """Take a device off again; the one it stood for comes back."""


class HostedDevice(DeviceServer):
    """A device on a lane of a host.

    Parameters
    ----------
    host
    lane
    number
        Its address on I2C, its select on SPI.
    registers
    seen
        Told of every access.
    is_ours
        Whether nobody else opens the host and takes what comes from it.
    """

    def __init__(
        self, host: HostEndpoint, lane: str, number: int, registers: DeviceRegisters, *,
        seen: Callable[[Access], None] | None = None, is_ours: bool = True,
    ) -> None:  # fmt: skip
        super().__init__(host.address)
        self.where = f"{lane}, device 0x{number:02X}"
        self._host, self._lane, self._number = host, lane, number
        self._registers, self._seen, self._is_ours = registers, seen, is_ours
        self._device: ByteDevice | None = None

    def open(self) -> None:
        """Plug it in; a host of ours is opened first."""
        if self._is_ours:
            self._host.open()
        self._device = self._host.plug(self._lane, self._number, self._registers, self._seen)
        self.counts = self._device.counts

    def serve(self, stopped: threading.Event) -> None:
        """Let the host run until the event is set; it asks the device by itself."""
        while not stopped.is_set():
            if self._is_ours:
                self._host.receive(_TURN_S)
            else:
                stopped.wait(_TURN_S)

    def close(self) -> None:
        """Unplug it, and close a host of ours."""
        device, self._device = self._device, None
        if device is not None:
            self._host.unplug(self._lane, device)
        if self._is_ours:
            self._host.close()


def host_lane(text: str, wanted: Sequence[str], connected: Sequence[Endpoint]) -> tuple[HostEndpoint, str, bool]:
    """Return the host on which a device is to be played, the lane, and whether the host is ours to open.

    Parameters
    ----------
    text
        A lane of a connected endpoint, or an endpoint with or without ``LANE=``.
    wanted
        Lanes that will do where the text names none.
    connected
        Endpoints that are open already.

    Raises
    ------
    MisuseError
        If no device can be played there.
    """
    for one in connected:
        if isinstance(one, HostEndpoint) and text in one.device_lanes():
            return one, text, False
    lane, address = lane_and_address(text)
    host = endpoint_of(address) if ":" in address else None
    if not isinstance(host, HostEndpoint):
        lanes = [name for one in connected if isinstance(one, HostEndpoint) for name in one.device_lanes()]
        raise MisuseError(
            "no device of byte registers can be played there.", where=text,
            hint=f"Write a lane: {', '.join(lanes)}." if lanes else "Write bench:yuzu.",
        )  # fmt: skip
    lanes = list(host.device_lanes())
    found = lane or next((name for name in wanted if name in lanes), "")
    if found not in lanes:
        raise MisuseError(
            f"there is no lane {found!r} for a device." if found else "it does not say on which lane.", where=text,
            hint=f"Write {lanes[0]}={address}; there are {', '.join(lanes)}.",
        )  # fmt: skip
    return host, found, True
