"""One message as Python: a dataclass, and functions over single payloads or arrays of them."""

from __future__ import annotations

from ..carried_message import CarriedMessage
from .checks import CheckFunctions
from .declared import dataclass_lines, names_lines
from .expressions import StepWriter
from .fields import FieldFunctions
from .frames import FrameFunctions
from .terms import Terms

FORMS = {
    "message": ("{}_unpack", "{}_pack", "_{}_accepts", "_{}_checks"),
    "field": ("{message}_{field}", "{message}_has_{field}", "_{message}_holds_{field}", "{message}_set_{field}"),
}  # fmt: skip
"""The symbols that are made of a message and of each of its fields."""


class MessageWriter:
    """Writes one message.

    Attributes
    ----------
    terms
        What it is called.
    """

    def __init__(self, message: CarriedMessage) -> None:
        self.message = message
        self.terms = Terms(message)

    def lines(self) -> list[str]:
        """Return all lines of the message."""
        terms = self.terms
        steps = StepWriter(lambda one: f"{terms.value_name(one)}(struct)", terms.holds)
        parts = FieldFunctions(terms, steps), CheckFunctions(terms, steps), FrameFunctions(terms, steps)
        return [*dataclass_lines(terms), *names_lines(terms), *(line for part in parts for line in part.lines())]
