"""One message as C: its struct and what is declared of it, and the functions that are defined."""

from __future__ import annotations

from ..carried import CarriedMessage
from .checks import CheckWriter
from .declared import Declarations
from .expressions import StepWriter
from .fields import FieldFunctions
from .frames import FrameFunctions
from .terms import Terms, comment

FORMS = {
    "message": ("{}", "{}_unpack", "{}_pack", "{}_accepts", "{}_checks"),
    "field": ("{message}_{field}", "{message}_has_{field}", "{message}_set_{field}", "{message}_holds_{field}",
              "{message}_good_{field}", "{message}_count_{field}"),
}  # fmt: skip
"""The symbols that are made of a message and of each of its fields."""


class MessageWriter:
    """Writes one message.

    Attributes
    ----------
    terms
        What it is called.
    """

    def __init__(self, message: CarriedMessage, prefix: str) -> None:
        self.message = message
        self.terms = Terms(message, prefix)

    def declarations(self) -> list[str]:
        """Return the lines of the header."""
        return Declarations(self.terms).lines()

    def definitions(self) -> list[str]:
        """Return the lines of the source."""
        terms = self.terms
        steps = StepWriter(terms.value_name, terms.holds)
        names = tuple(f"{terms.name}_checks_{number}" for number in range(len(self.message.checks)))
        presence = {one.name: terms.presence(one) for one in self.message.fields}
        checks = CheckWriter(self.message, terms.struct, names, steps, presence)
        return [
            "", f"/* {comment(self.message.layout.name)} */", "", *FieldFunctions(terms, steps).lines(),
            *checks.functions(), *FrameFunctions(terms, steps, checks).lines(),
        ]  # fmt: skip
