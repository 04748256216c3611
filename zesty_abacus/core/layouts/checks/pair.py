"""A message that another one answers; whether it was is told of both, frame by frame, where they are put together."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID, uuid4

import msgspec
import numpy as np

from ...errors import MisuseError
from ..attribute import NAME, Attribute, field_named, name_of_field, optional_whole
from ..fields import Field
from ..problems import Said
from ..template import Template, free_name
from .check import Came, Check, CheckedFrames

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Matched(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A field of the message that asks, and the field of the answer that has the same raw value.

    ``theirs`` is empty where it is called the same.
    """

    field: UUID
    theirs: str = ""


class Pair(Check, frozen=True, kw_only=True, omit_defaults=True, tag="pair"):
    """The message asks, and another one answers.

    It is named, not referred to: names are what people agree on before the other layout is there.

    Attributes
    ----------
    answer
        Name of the message that answers, on the same lane.
    match
        What tells which answer belongs to which question; nothing where the next one does.
    within_ms
        What comes later is no answer any more; None is any time.
    """

    answer: str
    match: tuple[Matched, ...] = ()
    within_ms: int | None = None

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("answer", "answered by", "name of a message"),
        Attribute("match", "matched by", "number, unit = device", lambda text, layout: _read_match(text, layout),
                  writer=lambda value, item, layout: _match_text(value, item, layout)),
        Attribute("within_ms", "within ms", "any time", optional_whole),
    )  # fmt: skip
    spoils: ClassVar[bool] = False
    compares: ClassVar[str] = "messages"
    rank: ClassVar[int] = 7

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Answered by another message", "checks", _add),)

    def words(self) -> str:
        return "answered"

    def fields(self) -> tuple[UUID, ...]:
        return tuple(one.field for one in self.match)

    def bears_out(self, layout: Layout) -> tuple[UUID, ...]:
        # it is not told by the frames of one message
        return ()

    def problems(self, known: Mapping[str, Field]) -> Said:
        if not self.answer.strip():
            yield "answer", f"{self.name} does not say which message answers."
        if self.within_ms is not None and not 0 < self.within_ms <= 86_400_000:
            yield "within_ms", f"{self.name} waits for 1 ms to a day, not {self.within_ms} ms."

    def agrees(self, frames: CheckedFrames) -> Came:
        count = len(frames.matrix)
        return np.ones(count, np.bool_), np.zeros(count, np.bool_)


def _read_match(text: str, layout: Layout) -> tuple[Matched, ...]:
    found = []
    for part in text.split(","):
        ours, equals, theirs = (word.strip() for word in part.partition("="))
        if not ours and not equals:
            continue
        if equals and not theirs:
            raise MisuseError(f"{part.strip()!r} does not say by what.", hint="Write a field: number, unit = device.")
        found.append(Matched(field_named(ours, layout), "" if theirs == ours else theirs))
    return tuple(found)


def _match_text(value: tuple[Matched, ...], item: Pair, layout: Layout) -> str:
    said = []
    for one in value:
        name = name_of_field(one.field, item, layout)
        said.append(f"{name} = {one.theirs}" if one.theirs else name)
    return ", ".join(said)


def _add(layout: Layout) -> Layout:
    words = "transaction", "sequence", "number", "token"
    field = next((one for one in layout.fields if any(word in one.name.lower() for word in words)), None)
    match = () if field is None else (Matched(field.id),)
    answer = f"{layout.name} answer"
    return layout.with_item(Pair(id=uuid4(), name=free_name(layout, "answered"), answer=answer, match=match))


CHECK = Pair
