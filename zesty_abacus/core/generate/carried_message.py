"""What a message is to a program: a struct, its members, what is computed of them, what must agree."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from ..layouts.checks.over_bytes import OverBytes
from ..layouts.model import Check, Computed, Layout
from ..reading.choice import Branch
from .carried_fields import CarriedField
from .errors import CannotCarryError
from .shapes import MovedStruct, Stretch, every_move, every_stretch


@dataclass(frozen=True, slots=True, eq=False)
class CarriedValue:
    """A value that is computed of fields.

    Attributes
    ----------
    name
        Its identifier within the message.
    """

    value: Computed
    name: str


@dataclass(frozen=True, slots=True, eq=False)
class CarriedMessage:
    """A message as languages write it down.

    Attributes
    ----------
    layout
    name
        The identifier of the message, without a prefix.
    fields
        In the order of the layout.
    computed
    checks
        Those that say whether the values of a frame hold, in the order in which they are filled in.
    branch
        The selector that all fields stand under, if they do: frames with another value are of another shape.
    stretch
        Of a message whose parts move, or a struct in one: what stands where. ``fields`` and ``checks`` are all of the
        struct; those of lists and structs in it are their own.
    """

    layout: Layout
    name: str
    fields: tuple[CarriedField, ...]
    computed: tuple[CarriedValue, ...]
    checks: tuple[Check, ...]
    branch: Branch | None
    stretch: Stretch | None = None

    @property
    def moves(self) -> bool:
        """Whether something in it has no fixed place."""
        return self.stretch is not None

    def field(self, field_id: UUID) -> CarriedField:
        """Return the field with an id; raises KeyError if the message has none."""
        found = next((one for one in self.fields if one.field.id == field_id), None)
        if found is None:
            raise KeyError(field_id)
        return found

    def named(self, name: str) -> CarriedField | CarriedValue | None:
        """Return what an expression names, None if it is nothing of the message.

        Raises
        ------
        CannotCarryError
            If two fields of a struct are called so.
        """
        if sum(one.field.name == name for one in self.fields) > 1:
            raise CannotCarryError(f"{name} is the name of two fields, and an expression names it.")
        by_name: dict[str, CarriedField | CarriedValue] = {one.field.name: one for one in self.fields if one.is_number}
        by_name |= {one.value.name: one for one in self.computed}
        return by_name.get(name)

    def takes_size(self, one: CarriedValue) -> bool:
        """Return whether the size of the frame goes into a computed value, or into one that it is computed of."""
        for name in one.value.expression.names:
            found = self.named(name)
            if (found is None and name == "size") or (isinstance(found, CarriedValue) and self.takes_size(found)):
                return True
        return False

    def computed_for(self, one: CarriedValue) -> list[CarriedValue]:
        """Return the computed values that one is computed of, and itself behind them, each once."""
        wanted = {one.name}
        for other in reversed(self.computed[: self.computed.index(one) + 1]):
            if other.name in wanted:
                found = (self.named(name) for name in other.value.expression.names)
                wanted |= {it.name for it in found if isinstance(it, CarriedValue)}
        return [it for it in self.computed if it.name in wanted]

    def selectors_first(self) -> list[CarriedField]:
        """Return the fields in an order in which each selector comes before what it selects."""
        ordered: list[CarriedField] = []

        def take(one: CarriedField) -> None:
            if one not in ordered:
                if one.field.selected is not None:
                    take(self.field(one.field.selected.field))
                ordered.append(one)

        for one in self.fields:
            take(one)
        return ordered

    def structs_that_may_be_absent(self) -> list[MovedStruct]:
        """Return the structs in its struct that stand under a selector."""
        return [one for one in every_move(self.stretch) if isinstance(one, MovedStruct) and one.selected is not None]

    def own_bits(self, check: OverBytes) -> tuple[int, ...]:
        """Return the bits of a check's own field, counted from where it begins; none if the field moves."""
        for stretch in every_stretch(self.stretch):
            if check in stretch.checks:
                return next((one.field.places.bits for one in stretch.fields if one.field.id == check.field), ())
        return self.field(check.field).field.places.bits

    @property
    def address(self) -> int:
        """The address that checks mix in; 0 of a layout that asks for none."""
        return self.layout.applies.address or 0

    @property
    def size_of_all(self) -> int:
        """Bytes that hold every field, and the layout's own size if that is more."""
        return max([self.layout.size, *(one.field.places.size_needed for one in self.fields)])
