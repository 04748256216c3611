"""I/Q and audio samples in datagrams, demodulated while they come."""

from __future__ import annotations

import contextlib
import queue
import socket
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path

from ..errors import MisuseError
from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..recipes.json_form import recipes_from_file
from ..recipes.model import Recipe
from ..waves.sample_forms import SAMPLE_FORMS, sample_form
from .address import EndpointAddress, check_port
from .clock import SteadyClock
from .datagrams import LARGEST_DATAGRAM, Datagram, DatagramReader, udp_socket
from .demodulating import Demodulator
from .endpoint import Endpoint
from .errors import EndpointError, LinkDownError

_FASTEST_HZ = 1e8
_WAIT_S = 0.05
_MOST_WAITING_BYTES = 128 << 20
_AT_ONCE = 200


class UdpSamples(Endpoint):
    """A UDP socket that samples come to: ``samples=cf32&rate=48000``, and ``recipe=FILE`` if it is known what they are.

    Its lane is known with the recipe: from the beginning, or once the samples have shown what they are.
    """

    def __init__(self, address: EndpointAddress) -> None:
        address.only("listen", "samples", "rate", "recipe", "lane")
        check_port(address)
        named = address.options["samples"]
        form = sample_form(named)
        if form is None:
            raise MisuseError(
                f"samples={named} is not known.", where=str(address), hint=f"Known are {', '.join(SAMPLE_FORMS)}."
            )
        if "rate" not in address.options:
            raise MisuseError("it does not say how many samples a second come.", where=str(address),
                              hint="Write &rate=48000.")  # fmt: skip
        self._rate_hz = address.number("rate", 0.0, 1.0, _FASTEST_HZ)
        self._form, self._recipe = form, _recipe_of(address)
        self._name = address.options.get("lane") or address.short
        super().__init__(address, (_lane(self._name, self._recipe),) if self._recipe is not None else ())
        self._socket: socket.socket | None = None
        self._reading: _Reading | None = None
        self._demodulator: Demodulator | None = None
        self._said: list[str] = []
        self._cut = self._lost_before = 0

    def named(self, name: str) -> None:
        self._name = name or self._name
        super().named(name)

    def open(self) -> None:
        self.close()
        try:
            self._socket, where = udp_socket(self.address)
            self._socket.bind(where)
        except OSError as error:
            self.close()
            raise EndpointError(f"it cannot be opened ({error.strerror or error}).", where=str(self.address)) from error
        self._demodulator = Demodulator(self._form, self._rate_hz, self._recipe, self._on_found)
        self._reading = _Reading(self._socket, self.clock)

    def close(self) -> None:
        if self._reading is not None:
            self._reading.stop()
        if self._socket is not None:
            self._socket.close()
        self._socket = self._reading = self._demodulator = None

    def receive(self, timeout_s: float) -> FrameTable:
        reading, demodulator = self._reading, self._demodulator
        if reading is None or demodulator is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        try:
            tables = self._read(reading, demodulator, timeout_s)
        except MisuseError as error:
            # a recipe that does not suit what comes; whoever receives goes on with other endpoints
            raise EndpointError(str(error), where=str(self.address)) from error
        self.lost = self._lost_before + self._cut
        return FrameTable.joined(tables)

    def _read(self, reading: _Reading, demodulator: Demodulator, timeout_s: float) -> list[FrameTable]:
        tables = []
        for one, lost in reading.waiting(timeout_s):
            if lost != self._lost_before:
                # what was sent in between is not there: the samples before and behind it are two stretches
                tables.append(demodulator.finish())
                self._lost_before = lost
            if len(one.data) % self._form.size:
                # half a sample would turn all that follow into noise
                self._cut += 1
                continue
            tables.append(demodulator.add(one.data, one.time_ns))
        if not tables:
            tables.append(demodulator.idle(self.clock.now_ns()))
        return tables

    def said(self) -> Sequence[str]:
        said, self._said = self._said, []
        return said

    def _on_found(self, recipe: Recipe, score: float, reason: str) -> None:
        self._recipe = recipe
        self.lanes = (_lane(self._name, recipe),)
        self._said.append(f"{self.address} is read as {recipe.speaks} ({score:.0%}): {reason}")


class _Reading:
    """Takes datagrams from a socket on a thread of its own: a look may take longer than the system keeps them."""

    def __init__(self, stream: socket.socket, clock: SteadyClock) -> None:
        self._reader = DatagramReader(stream, LARGEST_DATAGRAM, clock)
        self._came: queue.SimpleQueue[tuple[Datagram, int]] = queue.SimpleQueue()
        self._refused = 0
        self._stopped = threading.Event()
        self._trouble: OSError | EndpointError | None = None
        self._thread = threading.Thread(target=self._run, daemon=True, name="samples")
        self._thread.start()

    def _run(self) -> None:
        while not self._stopped.is_set():
            try:
                for one in self._reader.waiting(_WAIT_S):
                    self._put(one)
            except (OSError, EndpointError) as error:
                self._trouble = error
                return

    def _put(self, one: Datagram) -> None:
        if self._came.qsize() * len(one.data) > _MOST_WAITING_BYTES:
            self._refused += 1
            return
        self._came.put((one, self._reader.lost + self._refused))

    def waiting(self, timeout_s: float) -> Iterator[tuple[Datagram, int]]:
        """Yield what came, each with how many were lost before it; raises what went wrong with the socket."""
        with contextlib.suppress(queue.Empty):
            yield self._came.get(timeout=timeout_s)
            for _ in range(_AT_ONCE):
                yield self._came.get_nowait()
        if self._trouble is not None:
            raise self._trouble

    def stop(self) -> None:
        """End the thread."""
        self._stopped.set()
        self._thread.join()


def _lane(name: str, recipe: Recipe) -> Lane:
    return Lane(name, recipe.protocol, recipe.speaks)


def _recipe_of(address: EndpointAddress) -> Recipe | None:
    file = address.options.get("recipe")
    if not file:
        return None
    found = recipes_from_file(Path(file))
    fit = [one for one in found if one.line is not None and len(one.channels()) == 1]
    if len(fit) != 1:
        raise MisuseError(
            f"{file} holds {len(fit)} recipes for waves of one channel.", where=str(address),
            hint="Give it a file with the one that is meant.",
        )  # fmt: skip
    return fit[0]
