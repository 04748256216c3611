"""The steps that gather the bits of fields, in the form that the kernels take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

READ_UNSIGNED, READ_SIGNED, READ_SIGN_MAGNITUDE, READ_ONES_COMPLEMENT, READ_BCD, READ_BCD_BYTES, READ_GRAY = range(7)
"""How the gathered bits become a whole number."""


class Step(NamedTuple):
    """One shift and mask. ``swapped`` reads the word with its first byte highest."""

    word: int
    swapped: bool
    right: int
    mask: int
    left: int


@dataclass(frozen=True, slots=True, eq=False)
class NumberSteps:
    """The steps of several number fields as columns, the form the kernel takes.

    Attributes
    ----------
    first : int64 (fields + 1,)
        Field ``f`` has steps ``first[f] .. first[f + 1] - 1``.
    word, swapped, right, mask, left
        One entry a step.
    width : int64 (fields,)
    reading : int64 (fields,)
        How the bits become a whole number: one of the ``READ_`` constants.
    inverted : bool (fields,)
        Every bit is turned round first.
    scaled : bool (fields,)
        Whether a float64 value column is wanted beside the raw one, and one rounding makes it.
    times, plus, over : float64 (fields,)
        ``value = (raw * times + plus) / over``; whole numbers that no raw number makes larger than 2**53.
    """

    first: NDArray[np.int64]
    word: NDArray[np.int64]
    swapped: NDArray[np.bool_]
    right: NDArray[np.uint64]
    mask: NDArray[np.uint64]
    left: NDArray[np.uint64]
    width: NDArray[np.int64]
    reading: NDArray[np.int64]
    inverted: NDArray[np.bool_]
    scaled: NDArray[np.bool_]
    times: NDArray[np.float64]
    plus: NDArray[np.float64]
    over: NDArray[np.float64]
