"""Register devices in a window: one that is asked, and one that is played."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import going
from .jobs import Jobs
from .live import LiveHere

_HIGHEST_UNIT = 247
_TRIED = 200
"""Registers of each space that an unknown device is asked for."""
_ROUNDS = 3


class RegistersHere(QObject):
    """Polls a map, writes its fields, and serves one.

    Events
    ------
    changed
        A poll or a device began or is over.
    read
        (rows as ``decode`` gives them) a poll brought registers.
    accessed
        (access) somebody asked the device that is played.
    found
        (unit) somebody answers who was not known.
    """

    changed = pyqtSignal()
    read = pyqtSignal(object)
    accessed = pyqtSignal(object)
    found = pyqtSignal(object)

    def __init__(self, live: LiveHere, jobs: Jobs) -> None:
        super().__init__()
        self._live, self._jobs = live, jobs
        self._polling: Any = None
        self._readings: Any = None
        self._server: Any = None
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None
        live.seers.append(self._see)
        live.sending.stopping.connect(self.close)

    # asking

    def lanes(self) -> list[str]:
        """Return the connected lanes behind which a device can be asked."""
        return [lane.name for one in self._connected() if isinstance(one, going.ModbusEndpoint) for lane in one.lanes]

    def device_lanes(self) -> list[str]:
        """Return the connected lanes on which a device of byte registers can be played."""
        return [lane for one in self._connected() if isinstance(one, going.HostEndpoint) for lane in one.device_lanes()]

    def _connected(self) -> Any:
        receiving = self._live.receiving
        return receiving.endpoints if receiving is not None else ()

    def _device_on(self, lane: str) -> Any:
        for one in self._connected():
            if isinstance(one, going.ModbusEndpoint) and any(known.name == lane for known in one.lanes):
                return one
        raise going.EndpointError("no Modbus device is connected.", where=lane,
                                  hint="Connect modbus://HOST:PORT/UNIT first.")  # fmt: skip

    @property
    def is_polling(self) -> bool:
        """Whether a device is asked."""
        return self._polling is not None

    @property
    def counts(self) -> Any:
        """How the poll went so far, None without one."""
        return self._polling.counts if self._polling is not None else None

    def poll(self, layout: Any, lane: str, every: str) -> bool:
        """Ask a device for the registers of a map at a period; return whether it was begun. What is wrong is told."""
        try:
            device = self._device_on(lane)
            self._live.sending.check_may_send(lane)
            every_s = going.duration_ns(every) / 1e9
            self.stop_poll()
            self._readings = going.Readings(layout, device.unit, lane)
            self._polling = going.Polling(device, layout, every_s, self._tell)
        except AbacusError as error:
            self._live.told.emit("wrong", str(error))
            return False
        self.changed.emit()
        return True

    def look_around(self, lane: str) -> None:
        """Ask on a thread which units answer behind a connection, and what they have; :attr:`found` tells each."""
        try:
            device = self._device_on(lane)
            self._live.sending.check_may_send(lane)
        except AbacusError as error:
            self._live.told.emit("wrong", str(error))
            return
        self.stop_poll()

        def work(progress: Any) -> int:
            count, before = 0, device.unit
            try:
                for unit in going.units_that_answer(device, range(1, _HIGHEST_UNIT + 1), progress):
                    device.unit = unit
                    # how far it is counts units; what is in one of them can be cancelled all the same
                    stretches = going.look_for_registers(device, _TRIED, _ROUNDS, progress=progress.quiet())
                    self.found.emit(going.FoundUnit(unit, stretches))
                    count += 1
            finally:
                device.unit = before
            return count

        def done(count: int) -> None:
            if not count:
                self._live.told.emit("wrong", f"Nobody answers on {lane}.")

        self._jobs.start(
            "look around", f"looking who answers on {lane}", work, done,
            lambda words: self._live.told.emit("wrong", words),
        )  # fmt: skip

    def stop_poll(self) -> None:
        """Ask no more."""
        polling, self._polling = self._polling, None
        if polling is not None:
            polling.stop()
            self.changed.emit()

    def _tell(self, sentence: str) -> None:
        self._live.told.emit("wrong" if sentence else "good", sentence or "The device answers again.")

    def _see(self, table: Any, lanes: Any) -> None:
        """Read the registers that a poll brought; called on the thread that takes what comes."""
        readings = self._readings
        if readings is None or self._polling is None:
            return
        number = next((n for n, lane in enumerate(lanes) if lane.name == readings.lane), None)
        mine = going.on_lanes(table, [number]) if number is not None else None
        if mine is None or not len(mine):
            return
        rows = [row for block in readings.of(mine) for row in block.table().to_pylist()]
        if rows:
            self.read.emit(rows)

    def write(self, layout: Any, lane: str, field: str, value: str) -> None:
        """Write a field of a map and read it back, on a thread."""
        told = self._live.told

        def work(_progress: Any) -> Any:
            self._live.sending.check_may_send(lane)
            return going.write_fields(self._device_on(lane), layout, {field: value})

        self._jobs.start(
            "write", f"writing {field}", work,
            lambda _done: told.emit("good", f"{field} is written, and read back as {value}."),
            lambda words: told.emit("wrong", words),
        )  # fmt: skip

    # being one

    @property
    def serves_at(self) -> str:
        """Where the device that is played listens, empty if none is."""
        return self._server.where if self._server is not None else ""

    @property
    def served(self) -> Any:
        """Counts of what the device was asked, None without one."""
        return self._server.counts if self._server is not None else None

    def serve(self, layout: Any, text: str, feeds: Mapping[str, str]) -> bool:
        """Be the device of a map at an endpoint; return whether it was begun. What is wrong is told."""
        self.stop_serving()
        try:
            known = {name: going.parse_feed(words) for name, words in feeds.items() if words.strip()}
            server = going.device_of(layout, known, text, seen=self.accessed.emit, connected=self._connected())
            server.open()
        except AbacusError as error:
            self._live.told.emit("wrong", str(error))
            return False
        self._server = server
        self._stopped.clear()
        self._thread = threading.Thread(target=self._serve, args=(server,), daemon=True, name="device")
        self._thread.start()
        self._live.told.emit("good", f"{layout.name} is served at {server.where}.")
        self.changed.emit()
        return True

    def _serve(self, server: Any) -> None:
        while not self._stopped.is_set():
            try:
                server.serve(self._stopped)
            except AbacusError as error:
                self._live.told.emit("wrong", str(error))
                server.reopen(self._stopped)
        server.close()

    def stop_serving(self) -> None:
        """Be a device no more."""
        server, self._server = self._server, None
        if server is None:
            return
        self._stopped.set()
        if self._thread is not None:
            self._thread.join()
        self.changed.emit()

    def close(self) -> None:
        """End everything: nobody is asked and nobody answered any more."""
        self.stop_poll()
        self.stop_serving()
