"""One message as structured text: the types of its struct and block, functions, and two function blocks."""

from __future__ import annotations

from ..carried_message import CarriedMessage
from .checks import CheckWriter
from .fields import FieldFunctions
from .frames import FrameBlocks
from .routine import BODY, comment
from .terms import Terms
from .types import raw_type

FORMS = {
    "message": ("{}", "{}_data", "{}_unpack", "{}_pack", "{}_accepts", "{}_checks"),
    "field": ("{message}_{field}", "{message}_has_{field}", "{message}_set_{field}", "{message}_holds_{field}",
              "{message}_good_{field}", "{message}_count_{field}", "{message}_label_{field}"),
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

    def lines(self) -> list[str]:
        """Return all lines of the message."""
        terms = self.terms
        checks = CheckWriter(terms)
        routines = [*FieldFunctions(terms).routines(), *checks.routines(), *FrameBlocks(terms, checks).routines()]
        return [*self._types(), *(line for routine in routines for line in routine.lines())]

    def _types(self) -> list[str]:
        terms = self.terms
        layout = self.message.layout
        unit = "WORD" if terms.unit_bytes == 2 else "BYTE"
        members = [f"{BODY * 2}{self._member(number)}" for number in range(len(self.message.fields))]
        return [
            "", f"(* {comment(layout.name)}: {comment(layout.applies.words())}, {layout.size} bytes *)", "TYPE",
            f"{BODY}{terms.block} : ARRAY[0..{terms.room // terms.unit_bytes - 1}] OF {unit};",
            f"{BODY}{terms.name} : STRUCT", *(members or [f"{BODY * 2}nothing : BYTE;"]), f"{BODY}END_STRUCT;",
            "END_TYPE",
        ]  # fmt: skip

    def _member(self, number: int) -> str:
        one = self.message.fields[number]
        kind = raw_type(one)
        kind = kind if one.is_number else f"ARRAY[0..{one.length - 1}] OF {kind}"
        return f"{one.raw} : {kind}; (* {comment(one.field.name)}: {comment(one.read_as)} *)"
