"""``bench:yuzu``: the tug as an endpoint. What her controllers send comes as it would on her buses, and what is sent to
her is done and answered.

=========  ======================  ===========================================================
lane       speaks                  answers
=========  ======================  ===========================================================
thruster   CAN                     *Helm lever* moves levers and wheel; *Hook request* is answered by *Hook state*
battery    CAN
shore      Modbus                  requests to unit 1: six input registers
bilge      byte registers on I2C   reads and writes of device 0x5A; her controller reads it
winch      SPI                     transfers with the load cell; her controller reads it
pendant    bursts by radio         a burst of 26 bits of this tug's pendant releases the hook
=========  ======================  ===========================================================

Devices can be played on bilge and winch: others than hers, or in place of them.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from ...core.errors import MisuseError
from ...core.frames import flags as F
from ...core.frames.capture import Lane
from ...core.frames.table import FrameTable
from ...core.live.address import EndpointAddress
from ...core.live.batch import Batch
from ...core.live.byte_device import ByteDevice
from ...core.live.device_registers import Access, DeviceRegisters
from ...core.live.endpoint import Outgoing
from ...core.live.errors import LinkDownError
from ...core.live.hosting import HostEndpoint
from ...core.live.registry import Opens
from ...core.protocols import can
from ..simulator import LANES, START_NS, lane_frames
from .byte_bus import ByteBus
from .hook import ANSWER, REQUEST, Hook
from .registers import CELL_LOAD, SENSOR, ShoreMeter, level_sensor, load_cell
from .world import World

_TICK_S = 0.08
"""Half of what a person takes for at once; every message costs each time."""
_HOOK_EVERY_S = 0.1
_ANSWER_NS = 4_000_000
_DEFAULT_SEED = 7
_HELM = 0x310
_PENDANT_BITS, _PENDANT = 26, 0x2A5C3
_THRUSTER, _BATTERY, _SHORE, _BILGE, _PENDANT_LANE, _WINCH = range(6)
_LEVEL = Outgoing(bytes(4), SENSOR << 16 | 0x10, F.READ)
_LEVEL_EVERY_S = 0.5
_LOAD = Outgoing(bytes((CELL_LOAD, 0, 0, 0)))
_LOAD_EVERY_S = 0.2


class BenchEndpoint(HostEndpoint):
    """The simulated tug."""

    def __init__(self, address: EndpointAddress) -> None:
        address.only("seed")
        if address.place != "yuzu":
            raise MisuseError(f"there is no bench {address.place!r}.", where=str(address), hint="Write bench:yuzu.")
        super().__init__(
            address,
            (
                Lane("thruster", can.NAME, "CAN 500k", 500_000), Lane("battery", can.NAME, "CAN 250k", 250_000),
                Lane("shore", "modbus", "Modbus"), Lane("bilge", "registers", "I2C"),
                Lane("pendant", "bursts", "radio"), Lane("winch", "spi", "SPI"),
            ),
        )  # fmt: skip
        self._seed = int(address.number("seed", _DEFAULT_SEED, 0, 1 << 31))
        self._lock = threading.Lock()
        self._world: World | None = None

    def open(self) -> None:
        world = World(self._seed)
        self._hook, self._meter = Hook(), ShoreMeter(world)
        self._buses = {
            "bilge": ByteBus(_BILGE, level_sensor(world), _LEVEL, _LEVEL_EVERY_S),
            "winch": ByteBus(_WINCH, load_cell(world), _LOAD, _LOAD_EVERY_S),
        }
        self._sent: dict[str, int] = {message.layout.name: 0 for message in world.messages}
        self._answers = Batch()
        self._hook_s = world.now_s
        # the first moment is done before anybody waits for it: the physics are compiled with it
        world.advance(world.now_s + _TICK_S, is_on=True)
        self._zero_ns = self.clock.now_ns() - round(world.now_s * 1e9)
        self._world = world

    def close(self) -> None:
        self._world = None

    def receive(self, timeout_s: float) -> FrameTable:
        until = time.monotonic() + timeout_s
        while True:
            world = self._world
            if world is None:
                raise LinkDownError("it is not running.", where=str(self.address))
            with self._lock:
                answers, self._answers = self._answers.table(), Batch()
            tables = [answers] if len(answers) else []
            now_s = (self.clock.now_ns() - self._zero_ns) / 1e9
            # the tug advances without the lock, so that whoever sends does not wait for her
            if now_s - world.now_s >= _TICK_S:
                tables += self._advanced(world, now_s)
            if tables or time.monotonic() >= until:
                return FrameTable.joined(tables).by_time().compact()
            time.sleep(min(_TICK_S / 8, max(until - time.monotonic(), 0)))

    def _advanced(self, world: World, now_s: float) -> list[FrameTable]:
        before = world.now_s
        physics = world.advance(now_s, is_on=self._hook.is_closed)
        if physics is None:
            return []
        tables = []
        for number, lane in enumerate(LANES):
            table = lane_frames(lane, world.messages, physics, (before, world.now_s), self._seed, self._sent)
            table.time_ns[:] += self._zero_ns - START_NS
            table.lane[:] = number
            tables.append(table)
        batch = Batch()
        while self._hook_s < world.now_s:
            with self._lock:
                state = self._hook.state(world.pull_kn)
            self._add(batch, state, round(self._hook_s * 1e9) + self._zero_ns, _THRUSTER)
            self._hook_s += _HOOK_EVERY_S
        for bus in self._buses.values():
            bus.asked_until(world.now_s, self._zero_ns, batch)
        return [*tables, batch.table().by_time()]

    def _add(self, batch: Batch, frame: Outgoing, time_ns: int, lane: int) -> None:
        batch.add(time_ns, frame.payload, frame.address, frame.flags | F.RECEIVED, lane)

    def send(self, frame: Outgoing) -> None:
        with self._lock:
            world = self._world
            if world is None:
                raise LinkDownError("it is not running.", where=str(self.address))
            answer = self._answer(world, frame)
            if answer is not None:
                self._add(self._answers, answer, self.clock.now_ns() + _ANSWER_NS, frame.lane)

    def device_lanes(self) -> tuple[str, ...]:
        return tuple(lane.name for lane in self.lanes if lane.protocol in ("registers", "spi"))

    def plug(
        self, lane: str, number: int, registers: DeviceRegisters, seen: Callable[[Access], None] | None
    ) -> ByteDevice:
        if self._world is None:
            raise LinkDownError("it is not running.", where=str(self.address))
        return self._buses[lane].plug(number, registers, seen)

    def unplug(self, lane: str, device: ByteDevice) -> None:
        self._buses[lane].unplug(device)

    def _answer(self, world: World, frame: Outgoing) -> Outgoing | None:
        if frame.lane == _THRUSTER and frame.address == _HELM:
            world.put_levers(frame.payload)
        elif frame.lane == _THRUSTER and frame.address == REQUEST:
            return self._hook.state(world.pull_kn) if self._hook.asked(frame.payload, world.pull_kn) else None
        elif frame.lane == _SHORE and not frame.flags & F.ANSWER:
            return self._meter.answer(frame)
        elif frame.lane in (_BILGE, _WINCH):
            return self._buses[self.lanes[frame.lane].name].answer(frame)
        elif frame.lane == _PENDANT_LANE and _is_ours(frame):
            self._hook.pressed(world.pull_kn)
        return None


def _is_ours(frame: Outgoing) -> bool:
    """Whether a burst is of this tug's pendant: 26 bits, the first 18 of them its number."""
    bits = int.from_bytes(frame.payload[:4].ljust(4, b"\0"), "big")
    return frame.address == _PENDANT_BITS and bits >> 14 == _PENDANT


OPENS = Opens("bench", "bench:yuzu", BenchEndpoint)

__all__ = ["ANSWER", "OPENS", "BenchEndpoint"]
