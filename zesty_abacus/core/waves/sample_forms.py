"""How samples lie in bytes, by the names that SigMF gives these forms (SigMF 1.x, core:datatype)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class SampleForm:
    """One form of samples.

    Attributes
    ----------
    dtype
        Of one number.
    parts
        2 for in-phase and quadrature, else 1.
    scale, offset
        ``physical = value * scale + offset``; full scale is 1.
    """

    dtype: str
    parts: int
    scale: float = 1.0
    offset: float = 0.0

    @property
    def size(self) -> int:
        """Bytes of one sample."""
        return np.dtype(self.dtype).itemsize * self.parts

    def values(self, data: bytes) -> NDArray:
        """Return whole samples in some bytes: (n,), or (n, 2) of in-phase and quadrature."""
        whole = np.frombuffer(data, np.dtype(self.dtype), len(data) // self.size * self.parts)
        return whole.reshape(-1, 2) if self.parts == 2 else whole


SAMPLE_FORMS: Mapping[str, SampleForm] = {
    "cf32_le": SampleForm("<f4", 2), "cf32_be": SampleForm(">f4", 2),
    "ci16_le": SampleForm("<i2", 2, 2.0**-15), "ci16_be": SampleForm(">i2", 2, 2.0**-15),
    "ci8": SampleForm("i1", 2, 2.0**-7), "cu8": SampleForm("u1", 2, 2.0**-7, -127.5 / 128),
    "rf32_le": SampleForm("<f4", 1), "rf32_be": SampleForm(">f4", 1),
    "ri16_le": SampleForm("<i2", 1, 2.0**-15), "ri16_be": SampleForm(">i2", 1, 2.0**-15),
    "ri8": SampleForm("i1", 1, 2.0**-7), "ru8": SampleForm("u1", 1, 2.0**-7, -127.5 / 128),
}  # fmt: skip


def sample_form(name: str) -> SampleForm | None:
    """Return the form of a name, None if there is none; without an ending the lowest byte comes first."""
    return SAMPLE_FORMS.get(name) or SAMPLE_FORMS.get(f"{name}_le")
