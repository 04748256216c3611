"""Names for formats that allow only letters, digits and underscores."""

from __future__ import annotations

import re
import unicodedata

_LONGEST = 120


class Namer:
    """Gives each thing a name of its own that any of these formats allows."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def of(self, name: str) -> str:
        """Return a free identifier for a name."""
        plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
        plain = re.sub(r"\W+", "_", plain).strip("_")[:_LONGEST] or "unnamed"
        plain = plain if plain[0].isalpha() else f"n_{plain}"
        made, number = plain, 2
        while made.lower() in self._taken:
            made, number = f"{plain}_{number}", number + 1
        self._taken.add(made.lower())
        return made


def untaken(name: str, taken: set[str]) -> str:
    """Return a name, with a number if it is taken, and take it."""
    made, number = name, 2
    while made in taken:
        made, number = f"{name} {number}", number + 1
    taken.add(made)
    return made
