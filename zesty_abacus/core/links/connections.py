"""Connections of a network, numbered as they come up, and which end of each is the server."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(slots=True)
class _Connection:
    number: int
    is_first_server: bool
    is_known: bool


class Connections:
    """Numbers connections over any number of packets, a batch at a time.

    Of the two ports the server's is the one that the first synchronise packet went to, else the lower one. Where a
    synchronise packet says otherwise than what was taken for a batch before, a new connection begins with it.
    """

    def __init__(self) -> None:
        self._known: dict[bytes, _Connection] = {}
        self._count = 0

    def number(
        self, ends: NDArray[np.uint64], opens: NDArray[np.bool_]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
        """Return server port, number of the connection, and whether it is sent by the server, (n,) each.

        Parameters
        ----------
        ends : uint64 (n, 6)
            Address (two words) and port of the source, then of the target.
        opens : bool (n,)
            Which packets ask for a connection.
        """
        if not len(ends):
            return np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0, np.bool_)
        source, target = ends[:, :3], ends[:, 3:]
        swap = _is_after(source, target)
        ordered = np.where(swap[:, None], np.roll(ends, 3, axis=1), ends)
        keys, first, place = np.unique(ordered, axis=0, return_index=True, return_inverse=True)
        place = place.reshape(-1)
        opened = np.full(len(keys), -1, np.int64)
        rows = np.flatnonzero(opens)[::-1]
        opened[place[rows]] = rows  # backwards, so that the first one of each stays
        numbers, is_first_server = np.empty(len(keys), np.int64), np.empty(len(keys), np.bool_)
        # numbered as they come up
        for key in np.argsort(first, kind="stable"):
            asked = None if opened[key] < 0 else bool(swap[opened[key]])
            found = self._found(keys[key].tobytes(), asked)
            numbers[key], is_first_server[key] = found.number, found.is_first_server
        from_server = is_first_server[place] != swap
        port = np.where(from_server, source[:, 2], target[:, 2]).astype(np.int64)
        return port, numbers[place], from_server

    def _found(self, key: bytes, asked: bool | None) -> _Connection:
        known = self._known.get(key)
        if known is not None and (known.is_known or asked in (None, known.is_first_server)):
            known.is_known |= asked is not None
            return known
        # the end with the lower port is first in order
        made = _Connection(self._count, asked is not False, asked is not None)
        self._known[key] = made
        self._count += 1
        return made


def _is_after(a: NDArray[np.uint64], b: NDArray[np.uint64]) -> NDArray[np.bool_]:
    after = np.zeros(len(a), np.bool_)
    decided = np.zeros(len(a), np.bool_)
    # ports first: the lower one is mostly the server's
    for column in (2, 0, 1):
        after |= ~decided & (a[:, column] > b[:, column])
        decided |= a[:, column] != b[:, column]
    return after
