"""Finds the kinds of a capture that a layout asks for, by protocol and address, without looking at all of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from copy import copy

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture, Lane
from ..frames.kind_key import KindKey
from ..layouts.model import Layout, RegisterMap, Space
from ..layouts.windows import window_of
from ..protocols.protocol import Exchange
from ..protocols.registry import protocol_named


class KindCatalogue:
    """The kinds of a capture that carry payload, looked up by what layouts ask for."""

    def __init__(self, capture: Capture) -> None:
        self.capture = capture
        self._at: dict[tuple[str, int], list[int]] = defaultdict(list)
        self._exchanges: dict[tuple[str, Space], list[tuple[Exchange, int]]] = defaultdict(list)
        self._of_protocol: dict[str, list[int]] = defaultdict(list)
        self._windows: dict[int, Exchange] = {}
        for kind, key in enumerate(capture.kinds.keys):
            if key.is_data:
                self._add(kind, key, capture.lanes[key.lane])
        keys = capture.kinds.keys
        self._addresses = {
            protocol: np.array([keys[kind].address for kind in kinds], np.int64)
            for protocol, kinds in self._of_protocol.items()
        }
        orders = {protocol: np.argsort(addresses, kind="stable") for protocol, addresses in self._addresses.items()}
        self._rising = {protocol: (order, self._addresses[protocol][order]) for protocol, order in orders.items()}

    def _add(self, kind: int, key: KindKey, lane: Lane) -> None:
        self._at[lane.protocol, key.address].append(kind)
        self._of_protocol[lane.protocol].append(kind)
        exchange = protocol_named(lane.protocol).exchange_of(key)
        if exchange is not None:
            self._exchanges[lane.protocol, exchange.space].append((exchange, kind))
            self._windows[kind] = exchange

    def of(self, capture: Capture) -> KindCatalogue:
        """Return the same for a capture with the same kinds."""
        same = copy(self)
        same.capture = capture
        return same

    def key(self, kind: int) -> KindKey:
        """Return lane, address and flags of a kind."""
        return self.capture.kinds.keys[kind]

    def lane(self, kind: int) -> Lane:
        """Return the lane of a kind."""
        return self.capture.lanes[self.key(kind).lane]

    def data_kinds(self) -> Iterable[int]:
        """Return the kinds that carry payload."""
        return (kind for kinds in self._of_protocol.values() for kind in kinds)

    def kinds_for(self, layout: Layout) -> list[int]:
        """Return the kinds that a layout asks for by lane, address and way."""
        applies = layout.applies
        if layout.registers is not None:
            found = self._exchanges.get((applies.protocol, layout.registers.space), ())
            kinds = [kind for exchange, kind in found if _is_in_map(layout.registers, exchange)]
            return [kind for kind in kinds if applies.is_for(self.lane(kind).name, applies.protocol)]
        if applies.address is not None and applies.is_for_one_address:
            kinds = self._at.get((applies.protocol, applies.address), [])
        else:
            kinds = [self._of_protocol[applies.protocol][n] for n in self._in_span(layout).tolist()]
        if not kinds:
            return kinds
        keys, lanes, asks_for = self.capture.kinds.keys, applies.lanes, protocol_named(applies.protocol).asks_for
        return [
            kind for kind in kinds
            if asks_for(keys[kind], extended=applies.extended, way=applies.way)
            and (not lanes or self.lane(kind).name in lanes)
        ]  # fmt: skip

    def _in_span(self, layout: Layout) -> NDArray[np.int64]:
        """Return the places, among the kinds of its protocol, whose address a layout for many asks for."""
        applies = layout.applies
        addresses = self._addresses.get(applies.protocol, np.empty(0, np.int64))
        if applies.address is None:
            return np.arange(len(addresses))
        if applies.mask is not None:
            return np.flatnonzero((addresses & applies.mask) == (applies.address & applies.mask))
        last = applies.address if applies.to is None else applies.to
        order, rising = self._rising[applies.protocol] if len(addresses) else (addresses, addresses)
        return order[np.searchsorted(rising, applies.address) : np.searchsorted(rising, last, side="right")]

    def device_of(self, kind: int) -> tuple[int, int, Space] | None:
        """Return lane, device and space of the registers that a kind carries; None if it carries none."""
        exchange = self._windows.get(kind)
        return None if exchange is None else (self.key(kind).lane, exchange.device, exchange.space)

    def as_shown(self, layout: Layout, kind: int) -> Layout:
        """Return a layout as a kind shows it: of a register map, the window that the exchange carries."""
        exchange = self._windows.get(kind)
        if layout.registers is None or exchange is None:
            return layout
        return window_of(layout, exchange.first, self.capture.kind_size(kind))


def _is_in_map(registers: RegisterMap, exchange: Exchange) -> bool:
    return registers.device in (None, exchange.device) and (not registers.count or exchange.first < registers.count)
