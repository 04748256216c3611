"""Names of people as identifiers of a language: legal, stable over releases, and each only once.

Whoever had a name keeps it: of things that would be called alike the first one that is spelled like its identifier has
it plainly, and each other one gets the first digits of its identity behind, which no edit changes.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
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


Forms = Mapping[str, Sequence[str]]
"""How a language makes symbols: of a ``message`` and of a ``field``, with ``{}`` where the identifier stands."""
STRUCT = "struct"
"""The forms of a language that has structs in structs, so that what moves can be carried, too."""


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


class Members:
    """Gives members of one struct their names.

    Parameters
    ----------
    struct
        What it is called.
    symbols
        Names of the whole program.
    """

    def __init__(self, struct: str, symbols: Symbols, forms: Forms) -> None:
        self.struct, self.symbols, self.forms = struct, symbols, forms
        self._own = Symbols()
        self._patterns = [pattern.format(message=struct, field="{}") for pattern in forms["field"]]

    def give(self, named: Mapping[UUID, str], *members: str) -> dict[UUID, str]:
        """Return the identifier of each thing that has a name.

        Parameters
        ----------
        members
            What members of the struct are called for each, with ``{}`` where the identifier stands.
        """
        given: dict[UUID, str] = {}
        for key in in_order_of_claim((called, key) for key, called in named.items()):
            # within the struct, and among the names of the whole program
            inside = self._own.give(identifier(named[key]), key, *members)
            given[key] = self.symbols.give(inside, key, *self._patterns)
        return given

    def give_structs(self, named: Mapping[UUID, str]) -> dict[UUID, str]:
        """Return the identifier of each struct in it; no function is called by its name but the one of a selector."""
        return {key: self._own.give(identifier(called), key, "{}", "{}_count") for key, called in named.items()}
