"""When a field of a message has a value, said once for all languages; each puts the conditions into its own words."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass

from ..layouts.fields import FieldKind
from ..layouts.model import RawSet
from .carried_fields import CarriedField, Form
from .carried_message import CarriedMessage, CarriedValue
from .errors import CannotCarryError
from .shapes import MovedStruct


@dataclass(frozen=True, slots=True)
class MessageTerms(ABC):
    """Names of one message, and the conditions that are asked of its struct."""

    message: CarriedMessage

    @property
    @abstractmethod
    def name(self) -> str:
        """The message's own prefix."""

    def value_name(self, one: CarriedField | CarriedValue) -> str:
        """Return the function that gives a value."""
        return f"{self.name}_{one.name}"

    def has_name(self, one: CarriedField) -> str:
        """Return the function that says whether a field is there."""
        return f"{self.name}_has_{one.name}"

    def has_member(self, struct: MovedStruct) -> str:
        """Return the function that says whether a struct in the struct is there."""
        return f"{self.name}_has_{struct.member}"

    def can_be_set(self, one: CarriedField) -> bool:
        """Return whether a value can be put in: along a curve several raw numbers may have it."""
        return one.is_number and not one.field.is_curved

    def presence_conditions(self, one: CarriedField) -> list[str]:
        """Return the condition that a field is there, none if it always is."""
        return [self._is_there(one)] if one.field.selected is not None else []

    def held_conditions(self, one: CarriedField) -> list[str]:
        """Return the conditions that a field has a value: it is there, readable, a number, available and no fault."""
        field = one.field
        conditions = self.presence_conditions(one)
        if one.form is Form.WRITTEN:
            return [*conditions, self._is_written(one), *self._outside_all(one)]
        if one.unreadable is not None:
            conditions.append(self._differs(one, one.unreadable))
        if field.kind is FieldKind.FLOAT:
            conditions.append(self._is_a_number(one))
        return conditions + self._outside_all(one)

    def _outside_all(self, one: CarriedField) -> list[str]:
        return [self._outside(one, raws) for raws in (one.field.unavailable, one.field.errors) if raws]

    def _is_written(self, one: CarriedField) -> str:
        """Return the condition that a number in characters was one, of a language that carries such."""
        raise CannotCarryError(f"{one.field.name} is written in characters, which is not carried yet.")

    @abstractmethod
    def _is_there(self, one: CarriedField) -> str:
        """Return the condition that a field that another one selects is there."""

    @abstractmethod
    def _differs(self, one: CarriedField, raw: int) -> str:
        """Return the condition that the raw number of a field is another one."""

    @abstractmethod
    def _is_a_number(self, one: CarriedField) -> str:
        """Return the condition that a float field is no NaN."""

    @abstractmethod
    def _outside(self, one: CarriedField, values: RawSet) -> str:
        """Return the condition that the raw number of a field is in no span of a set."""
