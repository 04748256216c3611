"""What names and selectors mean while a frame is written: of one stretch, and of those around it."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING
from uuid import UUID

from ..expressions.exactly import evaluate_exactly
from ..expressions.expression import Expression
from ..expressions.tree import ExpressionError
from ..layouts.model import Selected
from ..layouts.numbers import format_exact
from .encode import EncodeError
from .solving import Known, raw_giving
from .workings import Workings

if TYPE_CHECKING:
    from .spots import Spot


class WritingScope:
    """The fields that are known in a stretch of a frame, its own before those of the stretches around it.

    Attributes
    ----------
    outer
        The stretch around it, None for the whole frame.
    path
        Where it stands, in front of the names of its fields.
    spots
        Where each field is written that is known here, by id.
    workings
        What was worked out for columns, of the whole frame.
    """

    def __init__(self, outer: WritingScope | None, path: str, workings: Workings | None, *, own_names: bool) -> None:
        self.outer = outer
        self.path = path
        self.spots: dict[UUID, Spot] = {}
        self.workings: Workings = outer.workings if outer is not None else workings or Workings()
        self._own_names = own_names

    def spot(self, field_id: UUID) -> Spot | None:
        """Return where a field is written, here or in a region around; None if it is not known."""
        if field_id in self.spots:
            return self.spots[field_id]
        return self.outer.spot(field_id) if self.outer is not None else None

    def names(self) -> tuple[Known, dict[str, int]]:
        """Return values and raw numbers by name."""
        known, raws = self.outer.names() if self.outer is not None and not self._own_names else ({}, {})
        for spot in self.spots.values():
            if spot.is_number:
                raw, value = spot.numbers()
                known[spot.field.name] = value
                if raw is not None:
                    raws[spot.field.name] = raw
        return known, raws

    def evaluate(self, expression: Expression, **special: int) -> Fraction:
        """Return the value of an expression here."""
        known, raws = self.names()
        try:
            found = evaluate_exactly(expression, known | {name: Fraction(v) for name, v in special.items()}, raws)
        except ExpressionError as error:
            raise EncodeError(str(error), where=f"{self.path}{expression}") from error
        if found is None and not self.workings.is_settled:
            return Fraction(0)  # it names a column that is being worked out, and is asked for again
        if found is None:
            raise EncodeError(f"{expression} has no value.", where=self.path)
        return found

    def spot_named(self, name: str) -> Spot | None:
        """Return where the field of this name is written that is nearest."""
        for spot in self.spots.values():
            if spot.field.name == name:
                return spot
        return self.outer.spot_named(name) if self.outer is not None and not self._own_names else None

    def make_true(self, expression: Expression, wanted: int, what: str, *, at_least: bool = False) -> None:
        """Set the one free field of an expression so that it gives ``wanted``; otherwise check that it does.

        ``at_least`` allows the next larger number that the field can reach.
        """
        free = [spot for name in expression.names if (spot := self.spot_named(name)) and not spot.is_given]
        if len(free) == 1:
            raw = raw_giving(expression, free[0].field, wanted, *self.names(), at_least=at_least)
            if raw is not None:
                free[0].settle(raw)
                return
        given = self.evaluate(expression)
        if given != wanted and not (at_least and given >= wanted):
            raise EncodeError(f"{expression} gives {format_exact(given)}, but {what} {wanted}.", where=self.path or "")

    def selects(self, selected: Selected) -> bool:
        """Return whether what stands under a selector is in the frame as it is now.

        As when decoding, a selector that says it has no value selects nothing, nor does one that is not there itself.
        """
        spot = self.spot(selected.field)
        if spot is None:
            raise EncodeError("a selector is not there.", where=self.path)
        raw, _ = spot.numbers()
        field = spot.field
        says_nothing = raw is None or raw in field.unavailable or raw in field.errors
        above = field.selected
        return not says_nothing and raw in selected.values and (above is None or self.selects(above))

    def let_be_there(self, selected: Selected) -> None:
        """Give a selector that is free a value with which something is there."""
        spot = self.spot(selected.field)
        if spot is None or spot.is_given or spot.region.keeps_checks:
            return
        if spot.field.selected is not None:
            spot.region.let_be_there(spot.field.selected)
        telling = selected.values.lowest_outside(spot.field.unavailable, spot.field.errors)
        spot.settle(selected.values.spans[0][0] if telling is None else telling)
