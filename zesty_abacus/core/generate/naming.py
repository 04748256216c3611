"""Names of people as identifiers of a language: legal, stable over releases, and each only once.

Whoever had a name keeps it: of things that would be called alike the first one that is spelled like its identifier has
it plainly, and each other one gets the first digits of its identity behind, which no edit changes.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass, field
from uuid import UUID

_NOT_PLAIN = re.compile(r"[^a-z0-9]+")
_SPELLED_OUT = {"%": " percent ", "°": " deg ", "µ": " micro ", "Ω": " ohm ", "+": " plus ", "ß": "ss", "&": " and "}
_LONGEST = 48
"""C99 promises that compilers look at 63 letters, and messages come before fields."""


def identifier(text: str) -> str:
    """Return a name in lower case letters, digits and single underscores, never empty and never a digit in front."""
    for sign, word in _SPELLED_OUT.items():
        text = text.replace(sign, word)
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    joined = _NOT_PLAIN.sub("_", plain).strip("_")[:_LONGEST].rstrip("_")
    if not joined:
        # names in other scripts have no letters here; their code points tell them apart
        joined = "_".join(f"u{ord(letter):x}" for letter in text.strip())[:_LONGEST].rstrip("_") or "unnamed"
    return f"n{joined}" if joined[0].isdigit() else joined


@dataclass(slots=True)
class Symbols:
    """Names that are taken in one scope of a language.

    Attributes
    ----------
    taken
        Names that nothing else may have.
    """

    taken: set[str] = field(default_factory=set)

    def give(self, wanted: str, identity: UUID, *forms: str) -> str:
        """Return a name that is free, in all of its forms, and take them.

        Parameters
        ----------
        forms
            What is made of the name, with ``{}`` where it stands; itself if there are none.
        """
        patterns = forms or ("{}",)
        for ending in ("", f"_{identity.hex[:4]}", f"_{identity.hex}"):
            made = {pattern.format(wanted + ending) for pattern in patterns}
            if not made & self.taken:
                self.taken |= made
                return wanted + ending
        raise AssertionError("an identity is given one name")


def in_order_of_claim(named: Iterable[tuple[str, UUID]]) -> list[UUID]:
    """Return identities in the order in which they choose: who is spelled plainly first, else as they stand."""
    listed = list(named)
    return [key for name, key in sorted(listed, key=lambda one: identifier(one[0]) != _as_spelled(one[0]))]


def _as_spelled(name: str) -> str:
    return name.strip().lower().replace(" ", "_")
