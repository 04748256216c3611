"""One message as C: its struct and what is declared of it, and the functions that are defined."""

from __future__ import annotations

from ..carried_message import CarriedMessage
from .checks import CheckWriter
from .declared import Declarations
from .expressions import StepWriter
from .fields import FieldFunctions
from .frames import FrameFunctions
from .moving import inner_messages
from .reading import Reading
from .terms import Terms, comment
from .writing import Writing, takes_rounds

FORMS = {
    "message": ("{}", "struct {}", "{}_unpack", "{}_pack", "{}_accepts", "{}_checks", "{}_read", "{}_write"),
    "struct": ("struct {}", "{}_checks", "{}_read", "{}_write"),
    "field": ("{message}_{field}", "{message}_has_{field}", "{message}_set_{field}", "{message}_holds_{field}",
              "{message}_good_{field}", "{message}_count_{field}"),
}  # fmt: skip
"""The symbols that are made of a message, of a struct in one, and of each of its fields."""
_ROUNDS = 3
"""A count in text, the length that it makes, a check over both."""


class MessageWriter:
    """Writes one message.

    Attributes
    ----------
    terms
        What it is called.
    is_inner
        Whether it is a struct in another one, which is not unpacked by itself.
    """

    def __init__(self, message: CarriedMessage, prefix: str, *, is_inner: bool = False) -> None:
        self.message = message
        self.is_inner = is_inner
        self.terms = Terms(message, prefix)

    def declarations(self) -> list[str]:
        """Return the lines of the header."""
        inner = [Terms(one, self.terms.prefix) for one in inner_messages(self.message.stretch)]
        made = [line for terms in inner for line in Declarations(terms, is_inner=True).lines()]
        return [*made, *Declarations(self.terms).lines()]

    def definitions(self) -> list[str]:
        """Return the lines of the source."""
        inner = [MessageWriter(one, self.terms.prefix, is_inner=True) for one in inner_messages(self.message.stretch)]
        made = [line for writer in inner for line in writer.own_definitions()]
        return ["", f"/* {comment(self.message.layout.name)} */", "", *made, *self.own_definitions()]

    def own_definitions(self) -> list[str]:
        """Return the lines of the source without those of structs in the struct."""
        terms, message = self.terms, self.message
        steps = StepWriter(terms.value_name, terms.holds)
        names = tuple(f"{terms.name}_checks_{number}" for number in range(len(message.checks)))
        presence = {one.name: terms.presence(one) for one in message.fields}
        checks = CheckWriter(message, terms.struct, names, steps, presence)
        lines = [*FieldFunctions(terms, steps).lines(), *checks.functions()]
        if message.moves:
            by_id = {check.id: name for check, name in zip(message.checks, names, strict=True)}
            lines += Reading(terms, steps, by_id).lines()
            lines += Writing(terms, steps, checks).lines()
        if not self.is_inner:
            every = (message, *inner_messages(message.stretch))
            rounds = _ROUNDS if any(takes_rounds(one) for one in every) else 1
            lines += FrameFunctions(terms, steps, checks, rounds).lines()
        return lines
