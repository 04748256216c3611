"""Whose the bits of a kind are, for every view that draws them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .doors import engine
from .reading import Reading


class Owners:
    """Says which field owns a bit, by the layout in hand or by all that share the kind."""

    def __init__(self, reading: Reading) -> None:
        self._reading = reading

    def in_hand(self, kind: int, size: int) -> NDArray[np.int16]:
        """Return which field of the layout in hand owns each bit of a kind, -1 for none; int16 (size * 8,).

        Fields are numbered as :meth:`Layout.all_fields` lists them.
        """
        layout = self._reading.layout_of(kind)
        if layout is None or not layout.moves:
            made: NDArray[np.int16] = engine.owned_bits(layout, size)
            return made
        # of a layout that moves they come with the count of explained bits, from another thread
        counted = self._reading.counts.counted
        found = counted[kind].owners if kind < len(counted) else np.zeros(0, np.int16)
        return np.pad(found[: size * 8], (0, max(size * 8 - len(found), 0)), constant_values=-1)

    def by_all(self, kind: int, size: int) -> NDArray[np.int16]:
        """Return the same by all layouts that share a kind: which bits any of them owns."""
        owners = self.in_hand(kind, size)
        for reader in self._reading.readers(kind)[1:]:
            owners = np.where(owners < 0, engine.owned_bits(reader.shown, size), owners)
        return owners

    def name(self, kind: int, number: int) -> str:
        """Return the name of the field that owns a bit, as :meth:`in_hand` numbers it."""
        layout = self._reading.layout_of(kind)
        fields = list(layout.all_fields()) if layout is not None else []
        return fields[number].name if 0 <= number < len(fields) else "reserved" if number >= 0 else "no field"
