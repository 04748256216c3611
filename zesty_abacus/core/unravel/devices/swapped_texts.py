"""Text whose characters stand the wrong way round in each register: ``aHbruo r`` for ``Harbour``."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from msgspec.structs import replace as changed
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ..finding import Said
from ..questions.texts import texts
from ..seen import Seen

_LEAST_BYTES = 6
_ODD = re.compile(rb"[a-z][A-Z]|\x00[^\x00]|[A-Za-z] [,.;:]")
"""What hardly any text has: a capital behind a small letter, something behind the filling, a blank before a comma."""


def swapped_texts(seen: Seen, free: NDArray[np.bool_]) -> Iterator[Said]:
    """Yield the texts among free bits, bool (size * 8,), that read better with the bytes of registers turned round."""
    size = seen.size // 2 * 2
    order = np.arange(size) ^ 1
    turned = replace(seen, matrix=np.ascontiguousarray(seen.matrix[:, order]))
    whole = free[: size * 8].reshape(-1, 8)[order].reshape(-1)
    for one in texts(turned, whole):
        numbers = sorted({bit // 8 for bit in one.bits})
        if numbers[0] % 2:
            numbers = numbers[1:]
        numbers = numbers[: len(numbers) // 2 * 2]
        if len(numbers) < _LEAST_BYTES or _oddness(turned, numbers) >= _oddness(seen, numbers):
            continue
        bits = byte_bits(number ^ 1 for number in numbers)
        reason = f"{one.reason} The two bytes of each register stand the other way round."
        yield changed(one, bits=bits, reason=reason)


def _oddness(seen: Seen, numbers: list[int]) -> int:
    """Return how much is odd in the texts of a first, a middle and a last frame."""
    rows = {0, len(seen) // 2, len(seen) - 1}
    return sum(len(_ODD.findall(bytes(seen.matrix[row, numbers]))) for row in rows)
