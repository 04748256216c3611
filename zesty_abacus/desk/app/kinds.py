"""What the messages of the open capture are called, and how often they come."""

from __future__ import annotations

from typing import Any

import numpy as np

from .clock import Clock
from .doors import engine
from .kept import Kept
from .reading import Reading

Origin = tuple[str, int, int]
"""Name of the lane, address and flags: what a kind is called by when another capture numbers it otherwise."""


class Kinds:
    """Facts about the kinds of the open capture; they are asked for by their numbers.

    Attributes
    ----------
    capture
        The open capture, None until there is one.
    """

    def __init__(self, reading: Reading, clock: Clock) -> None:
        self._reading, self._clock = reading, clock
        self.capture: Any = None
        self._rates = Kept[float | None]()
        self._are_text = Kept[bool]()
        self._devices = Kept[str]()
        self._letters = Kept[str]()

    def clash(self, kind: int) -> tuple[str, ...]:
        """Return that another layout reads a kind, too, and in what numbers they differ; nothing if none does."""
        layout = self._reading.layout_of(kind)
        found = self._reading.counts.apart.get(layout.id) if layout is not None else None
        return (found.words, *found.differences()) if found is not None else ()

    def is_apart(self, kind: int) -> bool:
        """Return whether another layout reads a kind, too, and says other numbers."""
        layout = self._reading.layout_of(kind)
        return layout is not None and layout.id in self._reading.counts.apart

    def key(self, kind: int) -> engine.KindKey:
        """Return lane, address and flags of a kind."""
        return self.capture.kinds.keys[kind]

    def origin(self, kind: int) -> Origin:
        """Return what a kind is called by in every capture of the trial."""
        key = self.key(kind)
        return self.capture.lanes[key.lane].name, key.address, key.flags

    def by_origin(self) -> dict[Origin, int]:
        """Return the number of each kind in the open capture."""
        return {self.origin(kind): kind for kind in range(len(self.capture.kinds.keys))}

    def protocol(self, kind: int) -> str:
        """Return what the lane of a kind speaks."""
        return self.capture.lanes[self.key(kind).lane].protocol

    def is_text(self, kind: int) -> bool:
        """Return whether the frames of a kind are text; asked of the capture once a kind."""
        return self._are_text.get(self.capture, kind, lambda kind: engine.kind_is_text(self.capture, kind))

    def address(self, kind: int) -> str:
        """Return a kind's address the way its bus writes it."""
        return engine.protocol_named(self.protocol(kind)).kind_text(self.key(kind))

    def address_on(self, lane: str, address: int) -> str:
        """Return an address on a lane the way its bus writes it, also one of which this capture holds no message."""
        protocol = next((one.protocol for one in self.capture.lanes if one.name == lane), "")
        spoken = engine.protocol_named(protocol)
        return spoken.address_text(address, extended=spoken.is_extended(address, len(f"{address:X}")))

    def address_at_device(self, kind: int) -> str:
        """Return the same below the device that it is of, which need not be said again."""
        return engine.protocol_named(self.protocol(kind)).text_at_device(self.key(kind))

    def device(self, kind: int) -> str:
        """Return the device whose registers a kind carries, as its bus calls it; empty if there is none."""
        return self._devices.get(
            self.capture, kind, lambda kind: engine.protocol_named(self.protocol(kind)).device_text(self.key(kind))
        )

    def name(self, kind: int) -> str:
        """Return the message name of a kind, ``errors`` or ``remote``, or nothing if nobody named it."""
        name = self._reading.name(kind)
        if name:
            return name
        flags = self.key(kind).flags
        if flags & engine.ERROR:
            return "error frames"
        return "remote frames" if flags & engine.REMOTE else ""

    def letters(self, kind: int) -> str:
        """Return all that a kind is found by, in small letters: where it is, its name, and its fields with their units.

        Put together once: for thousands of kinds it takes longer than a key may.
        """
        return self._letters.get((self.capture, self._reading.meaning), kind, self._letters_of)

    def _letters_of(self, kind: int) -> str:
        lane = self.capture.lanes[self.key(kind).lane].name
        words = [self.address(kind), lane, self.name(kind) or "unnamed", self.device(kind)]
        for reader in self._reading.readers(kind):
            name = reader.layout.name
            words += [f"{name}.{field.name} {field.unit}" for field in reader.shown.all_fields()]
        return " ".join(words).lower()

    def rate(self, kind: int) -> float | None:
        """Return frames a second in the stretch in hand, first to last; 0 if it was seen once, None if not there."""
        return self._rates.get((self.capture, self._clock.first_ns), kind, self._rate)

    def _rate(self, kind: int) -> float | None:
        order = self.capture.order_of_kind(kind)
        begin = order.count_until(self._clock.first_ns, inclusive=False)
        end = order.count_until(self._clock.last_ns)
        if end - begin < 2:
            return 0.0 if end > begin else None
        rows = np.array([order.row(begin), order.row(end - 1)], np.uint32)
        first, last = self.capture.frames.times(rows).tolist()
        return (end - begin - 1) * 1e9 / (last - first) if last > first else 0.0

    def layout_for_new_field(self, kind: int, name: str = "") -> engine.Layout:
        """Return the layout of a kind as it shows it, or a new empty one; of registers, of all that its device has."""
        layout = self._reading.layout_of(kind)
        if layout is not None:
            return layout
        return engine.layout_to_begin(self.capture, kind, name)

    def name_to_begin(self, kind: int) -> str:
        """Return what a layout of a kind is called until somebody knows better."""
        return engine.name_to_begin(self.capture, kind)
