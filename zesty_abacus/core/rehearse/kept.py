"""How well the times of what is sent are kept."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

_MOST_MEASURED = 100_000


@dataclass(slots=True)
class Kept:
    """How planned times were kept.

    Attributes
    ----------
    sent
    late_s
        How much later than planned each of the first frames went out, in seconds.
    """

    sent: int = 0
    late_s: list[float] = field(default_factory=list)

    def add(self, late_s: float) -> None:
        """Count a frame."""
        self.sent += 1
        if len(self.late_s) < _MOST_MEASURED:
            self.late_s.append(late_s)

    def words(self) -> str:
        """Say how exact the times were."""
        if len(self.late_s) < 2:
            return f"{self.sent} sent"
        half, most = np.percentile(self.late_s, [50, 99]) * 1e3
        return f"{self.sent} sent; late by {half:.2f} ms in the middle, {most:.2f} ms at the 99th percentile"
