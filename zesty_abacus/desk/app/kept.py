"""What was worked out once and holds as long as what it is of."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

ValueT = TypeVar("ValueT")


class Kept(Generic[ValueT]):
    """Values by number, all of one thing; with another thing they are worked out anew."""

    def __init__(self) -> None:
        self._of: object = None
        self._values: dict[int, ValueT] = {}

    def get(self, of: object, number: int, make: Callable[[int], ValueT]) -> ValueT:
        """Return the value of a number, made if it is not kept; ``of`` is what all are of, a tuple if it is several."""
        if of != self._of:
            self._of, self._values = of, {}
        if number not in self._values:
            self._values[number] = make(number)
        return self._values[number]
