"""``bench:yuzu``: the tug as an endpoint. What her controllers send comes as it would on her buses, and what is sent to
her is done and answered.

=========  ======================  ===========================================================
lane       speaks                  answers
=========  ======================  ===========================================================
thruster   CAN                     *Helm lever* moves levers and wheel; *Hook request* is answered by *Hook state*
battery    CAN
shore      Modbus                  requests to unit 1: six input registers
bilge      byte registers on I2C   reads and writes of device 0x5A
pendant    bursts by radio         a burst of 26 bits of this tug's pendant releases the hook
=========  ======================  ===========================================================
"""

from __future__ import annotations

import threading
import time

from ...core.errors import MisuseError
from ...core.frames import flags as F
from ...core.frames.capture import Lane
from ...core.frames.table import FrameTable
from ...core.live.address import EndpointAddress
from ...core.live.batch import Batch
from ...core.live.clock import SteadyClock
from ...core.live.endpoint import Endpoint, Outgoing
from ...core.live.errors import LinkDownError
from ...core.live.registry import Opens
from ...core.protocols import can
from ..simulator import LANES, START_NS, lane_frames
from .hook import ANSWER, REQUEST, Hook
from .registers import LevelSensor, ShoreMeter
from .world import World

_TICK_S = 0.08
"""Half of what a person takes for at once; every message costs each time."""
_HOOK_EVERY_S = 0.1
_ANSWER_NS = 4_000_000
_DEFAULT_SEED = 7
_HELM = 0x310
_PENDANT_BITS, _PENDANT = 26, 0x2A5C3
_THRUSTER, _BATTERY, _SHORE, _BILGE, _PENDANT_LANE = range(5)


class BenchEndpoint(Endpoint):
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
                Lane("pendant", "bursts", "radio"),
            ),
        )  # fmt: skip
        self._seed = int(address.number("seed", _DEFAULT_SEED, 0, 1 << 31))
        self._lock = threading.Lock()
        self._clock = SteadyClock()
        self._world: World | None = None

    def open(self) -> None:
        world = World(self._seed)
        self._hook, self._meter, self._sensor = Hook(), ShoreMeter(world), LevelSensor(world)
        self._sent: dict[str, int] = {message.layout.name: 0 for message in world.messages}
        self._answers = Batch()
        self._hook_s = world.now_s
        # the first moment is done before anybody waits for it: the physics are compiled with it
        world.advance(world.now_s + _TICK_S, is_on=True)
        self._zero_ns = self._clock.now_ns() - round(world.now_s * 1e9)
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
            now_s = (self._clock.now_ns() - self._zero_ns) / 1e9
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
        return [*tables, batch.table()]

    def _add(self, batch: Batch, frame: Outgoing, time_ns: int, lane: int) -> None:
        batch.add(time_ns, frame.payload, frame.address, frame.flags | F.RECEIVED, lane)

    def send(self, frame: Outgoing) -> None:
        with self._lock:
            world = self._world
            if world is None:
                raise LinkDownError("it is not running.", where=str(self.address))
            answer = self._answer(world, frame)
            if answer is not None:
                self._add(self._answers, answer, self._clock.now_ns() + _ANSWER_NS, frame.lane)

    def _answer(self, world: World, frame: Outgoing) -> Outgoing | None:
        if frame.lane == _THRUSTER and frame.address == _HELM:
            world.put_levers(frame.payload)
        elif frame.lane == _THRUSTER and frame.address == REQUEST:
            return self._hook.state(world.pull_kn) if self._hook.asked(frame.payload, world.pull_kn) else None
        elif frame.lane == _SHORE and not frame.flags & F.ANSWER:
            return self._meter.answer(frame)
        elif frame.lane == _BILGE:
            return self._sensor.answer(frame)
        elif frame.lane == _PENDANT_LANE and _is_ours(frame):
            self._hook.pressed(world.pull_kn)
        return None


def _is_ours(frame: Outgoing) -> bool:
    """Whether a burst is of this tug's pendant: 26 bits, the first 18 of them its number."""
    bits = int.from_bytes(frame.payload[:4].ljust(4, b"\0"), "big")
    return frame.address == _PENDANT_BITS and bits >> 14 == _PENDANT


OPENS = Opens("bench", "bench:yuzu", BenchEndpoint)

__all__ = ["ANSWER", "OPENS", "BenchEndpoint"]
