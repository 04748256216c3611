"""What a message is called in Python, and the conditions that are asked of its struct."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ...layouts.model import Field, RawSet
from ...layouts.places import Places
from ..carried_fields import CarriedField
from ..message_terms import MessageTerms
from ..pieces import pieces_of

BODY = "    "
_IGNORING = '@np.errstate(all="ignore")'


def raw_dtype(one: CarriedField) -> str:
    """Return the type of a raw number, or of a letter of text and raw bytes, as NumPy calls it."""
    return f"{'int' if one.field.is_signed else 'uint'}{one.bits}" if one.is_number else "uint8"


@dataclass(frozen=True, slots=True)
class Terms(MessageTerms):
    """Names and conditions of one message."""

    @property
    def name(self) -> str:
        """The message's own prefix: ``motion``."""
        return self.message.name

    @property
    def struct(self) -> str:
        """The name of its dataclass: ``Motion``."""
        words = [word[:1].upper() + word[1:] for word in self.name.split("_")]
        # digits beside digits would run together with those of another name
        return "".join(f"_{word}" if word[:1].isdigit() else word for word in words)

    def presence(self, one: CarriedField) -> str:
        """Return the condition on ``struct`` that a field is there, empty if it always is."""
        return "".join(self.presence_conditions(one))

    def holds(self, one: CarriedField) -> str:
        """Return the condition on ``struct`` that a field has a value."""
        conditions = self.held_conditions(one)
        if len(conditions) < 2:
            return conditions[0] if conditions else "np.True_"
        return f"_{self.name}_holds_{one.name}(struct)"

    def _is_there(self, one: CarriedField) -> str:
        return f"{self.has_name(one)}(struct)"

    def _differs(self, one: CarriedField, raw: int) -> str:
        return f"(np.asarray(struct.{one.raw}) != {raw})"

    def _is_a_number(self, one: CarriedField) -> str:
        return f"~np.isnan(_float(struct.{one.raw}, {one.bits}))"

    def _outside(self, one: CarriedField, values: RawSet) -> str:
        return f"~_within(struct.{one.raw}, {spans_text(values)})"


def function(name: str, said: str, body: list[str], arguments: str = "struct", *, quiet: bool = False) -> list[str]:
    """Return the lines of a function; a quiet one leaves overflow and nothing by nothing to what comes out."""
    head = [_IGNORING] if quiet else []
    text = [f'{BODY}"""{docstring(said)}"""'] if said else []
    return ["", "", *head, f"def {name}({arguments}):", *text, *(BODY + line for line in body)]


def pieces_text(places: Places) -> str:
    """Return the pieces of a place as a tuple."""
    return tuple_text(f"({p.byte}, {p.right}, {p.mask}, {p.left})" for p in pieces_of(places))


def octets_text(field: Field) -> str:
    """Return the pieces of each byte of text or raw bytes as a tuple."""
    places = [Places(field.places.bits[k : k + 8]) for k in range(0, len(field.places), 8)]
    return tuple_text(pieces_text(place) for place in places)


def tuple_text(items: Iterable[object]) -> str:
    """Return a tuple of texts."""
    listed = [str(item) for item in items]
    return f"({', '.join(listed)}{',' if len(listed) == 1 else ''})"


def spans_text(raws: RawSet) -> str:
    """Return a set of raw values as pairs."""
    return ", ".join(f"({low}, {high})" for low, high in raws.spans)


def docstring(words: str) -> str:
    """Return a text that a docstring can hold."""
    return words.replace("\\", "/").replace('"""', "'''").replace("\n", " ").strip() or "Nothing is said."


def comment(words: str) -> str:
    """Return a text that a comment can hold."""
    return words.replace("\n", " ")


def text(words: str) -> str:
    """Return a text that stands between quotes."""
    return words.replace("\\", "/").replace('"', "'").replace("\n", " ")
