"""One message as C: its struct and what is declared of it, and the functions that are defined."""

from __future__ import annotations

from ..carried import CarriedMessage
from .checks import CheckWriter
from .declared import Declarations
from .expressions import StepWriter
from .fields import FieldFunctions
from .frames import FrameFunctions
from .moving import Movement, inner_messages, is_row, payloads_in
from .reading import Reading
from .terms import Terms, comment
from .writing import Writing

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
    outer
        What writes the message that it is a struct in; None of a message.
    """

    def __init__(self, message: CarriedMessage, prefix: str, outer: MessageWriter | None = None) -> None:
        self.message = message
        self.outer = outer
        self.terms = Terms(message, prefix)

    def declarations(self) -> list[str]:
        """Return the lines of the header."""
        inner = [Terms(one, self.terms.prefix) for one in inner_messages(self.message.stretch)]
        made = [line for terms in inner for line in Declarations(terms, is_inner=True).lines()]
        return [*made, *Declarations(self.terms).lines()]

    def definitions(self) -> list[str]:
        """Return the lines of the source."""
        inner = [MessageWriter(one, self.terms.prefix, self) for one in inner_messages(self.message.stretch)]
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
        if message.moves and not is_row(message):
            is_payload = self.outer is None or message.name in payloads_in(self.outer.message.stretch)
            movement = Movement(terms, steps, is_payload)
            by_id = {check.id: name for check, name in zip(message.checks, names, strict=True)}
            lines += Reading(terms, movement, by_id).lines()
            lines += Writing(terms, movement, checks).lines()
        if self.outer is None:
            lines += FrameFunctions(terms, steps, checks, self._rounds(steps, checks)).lines()
        return lines

    def _rounds(self, steps: StepWriter, checks: CheckWriter) -> int:
        every = [self.message, *inner_messages(self.message.stretch)]
        takes = [Writing(Terms(one, self.terms.prefix), Movement(self.terms, steps, True), checks).takes_rounds()
                 for one in every if one.moves]  # fmt: skip
        return _ROUNDS if any(takes) else 1
