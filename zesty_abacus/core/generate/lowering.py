"""Expressions as single steps of known type, which a language writes down one by one.

Whole numbers stay whole as long as 64 bits hold all that can come out, by the bounds that the operations themselves
give; so what is written down never runs over, and gives what decoding gives. What could run over is refused.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from ..expressions.expression import Expression
from ..expressions.operation import HIGHEST, HIGHEST_UNSIGNED, LOWEST, Bounds, Operation, Result, type_between
from ..expressions.operations.registry import operations
from ..expressions.tree import NOTHING, RAW, Call, Name, Node, Number
from ..layouts.fields import FieldKind
from ..layouts.model import Rule
from .carried_fields import CarriedField
from .carried_message import CarriedMessage, CarriedValue
from .errors import CannotCarryError

_SPECIAL: Bounds = (-(1 << 48), 1 << 48)
"""What the size and the address of a frame lie between, where values are decoded."""


class Number64(enum.Enum):
    """What a number is held in."""

    SIGNED = "i"
    UNSIGNED = "u"
    FLOAT = "f"


@dataclass(frozen=True, slots=True)
class Held:
    """A number at one step of an expression.

    Attributes
    ----------
    name
        Of the variable; another variable, ``known_name``, says whether it is there, unless it always is.
    kind
    bounds
        What it lies between if it is whole.
    always
        Whether it is there in every frame.
    """

    name: str
    kind: Number64
    bounds: Bounds | None
    always: bool

    @property
    def known_name(self) -> str:
        """The name of the variable that says whether it is there."""
        return f"{self.name}_known"


@dataclass(frozen=True, slots=True)
class Step:
    """One step.

    Attributes
    ----------
    held
        What it gives.
    operation
        A name of the language of expressions, or ``number``, ``value``, ``raw``, ``size``, ``nothing``.
    arguments
        What it takes.
    of
        The field or computed value that is read, of ``value`` and ``raw``.
    number
        Of ``number``.
    """

    held: Held
    operation: str
    arguments: tuple[Held, ...] = ()
    of: CarriedField | CarriedValue | None = None
    number: Fraction = Fraction(0)


@dataclass(slots=True)
class Steps:
    """The steps of an expression, in order; the last one is its result.

    Attributes
    ----------
    computed
        What computed values before this one are held in, by name; none can be named that is not here.
    knows_size
        Whether the size of the frame is at hand.
    """

    message: CarriedMessage
    prefix: str = "v"
    computed: dict[str, Held] = field(default_factory=dict)
    knows_size: bool = True
    steps: list[Step] = field(default_factory=list)

    def lower(self, expression: Expression) -> Held:
        """Add the steps of an expression and return what its result is held in.

        Raises
        ------
        CannotCarryError
            If something in it is not carried.
        """
        return self._lower(expression.tree, expression)

    def lower_node(self, node: Node, whole: Expression) -> Held:
        """Add the steps of a part of an expression; as :meth:`lower`."""
        return self._lower(node, whole)

    def _lower(self, node: Node, whole: Expression) -> Held:
        if isinstance(node, Number):
            return self._number(node.value)
        if isinstance(node, Name):
            return self._named(node.name, whole)
        if node.operation == RAW:
            inner = node.arguments[0]
            assert isinstance(inner, Name), "raw takes a name"
            return self._raw(inner.name, whole)
        return self._call(node, whole)

    def _add(
        self, operation: str, kind: Number64, bounds: Bounds | None, always: bool, *arguments: Held,
        of: CarriedField | CarriedValue | None = None, number: Fraction = Fraction(0),
    ) -> Held:  # fmt: skip
        held = Held(f"{self.prefix}{len(self.steps)}", kind, bounds, always)
        self.steps.append(Step(held, operation, arguments, of, number))
        return held

    def _number(self, number: Fraction) -> Held:
        bounds = int(number), int(number)
        dtype = type_between(bounds) if number.denominator == 1 else None
        if dtype is None:
            return self._add("number", Number64.FLOAT, None, True, number=number)
        return self._add("number", _kind_of(dtype), bounds, True, number=number)

    def _named(self, name: str, whole: Expression) -> Held:
        found = self.message.named(name)
        if isinstance(found, CarriedValue):
            held = self.computed.get(name)
            if held is None:
                raise CannotCarryError(f"{whole} names {name}, which is computed behind it.")
            return self._add("value", held.kind, held.bounds, held.always, of=found)
        if found is not None:
            return self._value(found)
        if name == "size":
            if not self.knows_size:
                raise CannotCarryError(f"{whole} names the size of the frame, from inside a part of it.")
            return self._add("size", Number64.SIGNED, _SPECIAL, True)
        if name == "address":
            return self._number(Fraction(self.message.address))
        if name == NOTHING:
            return self._add("nothing", Number64.SIGNED, (0, 0), False)
        raise CannotCarryError(f"{whole} names {name}, which is no number here.")

    def _value(self, one: CarriedField) -> Held:
        if is_scaled(one):
            return self._add("value", Number64.FLOAT, None, False, of=one)
        return self._add("value", *_raw_type(one), False, of=one)

    def _raw(self, name: str, whole: Expression) -> Held:
        found = self.message.named(name)
        if not isinstance(found, CarriedField):
            raise CannotCarryError(f"{whole} takes the raw value of {name}, which has none.")
        return self._add("raw", *_raw_type(found), False, of=found)

    def _call(self, node: Call, whole: Expression) -> Held:
        operation = operations()[node.operation]
        arguments = tuple(self._lower(argument, whole) for argument in node.arguments)
        if operation.name not in WRITTEN:
            raise CannotCarryError(f"{whole} uses {operation.name}, which a package adds and no language carries.")
        kind, bounds, always = _result_of(operation, arguments, whole)
        return self._add(operation.name, kind, bounds, always, *arguments)


def is_scaled(one: CarriedField) -> bool:
    """Return whether a field's value is a float, and not its raw number."""
    field = one.field
    if one.has_tens:
        return True
    return field.kind is FieldKind.FLOAT or (field.ratio, field.offset) != (1, 0) or field.is_curved


WRITTEN = frozenset(
    ["add", "subtract", "multiply", "divide", "floor_divide", "remainder", "negate", "abs", "min", "max", "bit_or",
     "bit_xor", "bit_and", "bit_not", "left", "right", "==", "!=", "<", "<=", ">", ">=", "and_", "or_", "not_", "if",
     "floor", "ceil", "round", "sqrt", "pow", "exp", "log", "log10", "sin", "cos", "atan2"]
)  # fmt: skip
"""Operations that languages write down; those of added packages have no meaning here."""
_BITWISE = frozenset(["bit_or", "bit_xor", "bit_and", "bit_not", "left", "right"])
_ALWAYS = frozenset(["==", "!=", "<", "<=", ">", ">=", "and_", "or_", "not_"])


def _raw_type(one: CarriedField) -> tuple[Number64, Bounds]:
    bounds = one.raw_range
    dtype = type_between(bounds)
    assert dtype is not None, "a raw number has at most 64 bits"
    return _kind_of(dtype), bounds


def _kind_of(dtype: np.dtype) -> Number64:
    return {"i": Number64.SIGNED, "u": Number64.UNSIGNED, "f": Number64.FLOAT}[dtype.kind]


def _result_of(
    operation: Operation, arguments: tuple[Held, ...], whole: Expression
) -> tuple[Number64, Bounds | None, bool]:
    """Return what an operation gives: its type, its bounds, and whether it is there wherever its arguments are."""
    if operation.wraps and all(one.bounds is not None for one in arguments):
        # whether 64 bits hold it is known where all frames are looked at, and never for one alone
        assert operation.bounds is not None, "what wraps has bounds"
        between = [one.bounds for one in arguments if one.bounds is not None]
        _refuse_beyond([*between, operation.bounds(between)], whole)
    if operation.name == "left":
        _refuse_left(arguments, whole)
    # the operation itself says what it gives, of one row that stands for all; which value it has does not matter
    said = operation.over_columns([_sample(one) for one in arguments])
    surely = operation.name in _ALWAYS or (said.bounds is not None and operation.name not in _MAY_FAIL)
    always = surely and all(one.always for one in arguments)
    if operation.name in _BITWISE and any(one.bounds is None for one in arguments):
        always = False
    return _kind_of(said.values.dtype), said.bounds, always


_MAY_FAIL = frozenset(["floor_divide", "remainder", "left", "right", *_BITWISE])


def _refuse_beyond(between: list[Bounds], whole: Expression) -> None:
    low, high = min(low for low, _ in between), max(high for _, high in between)
    if type_between((low, high)) is None:
        raise CannotCarryError(f"{whole} may give whole numbers beyond 64 bits.")


def _refuse_left(arguments: tuple[Held, ...], whole: Expression) -> None:
    (low, high), (_, most) = (one.bounds or (LOWEST, HIGHEST) for one in arguments)
    power = 1 << min(max(most, 0), 63)
    _refuse_beyond([(low, high), (1, power), (min(low * power, low), max(high * power, high))], whole)


def _sample(held: Held) -> Result:
    """Return a row that is like any other: inside the bounds, and no zero that could be divided by."""
    if held.bounds is None:
        return Result(np.ones(1), None, None)
    low, high = held.bounds
    dtype = np.uint64 if held.kind is Number64.UNSIGNED else np.int64
    assert low >= LOWEST and high <= HIGHEST_UNSIGNED, "64 bits hold it"
    return Result(np.array([min(max(1, low), high)], dtype), None, held.bounds)


def computing_type(step: Step) -> Number64:
    """Return the type in which whole arguments are taken: the one that holds them and the result.

    Raises
    ------
    CannotCarryError
        If no whole number of 64 bits holds both the lowest and the highest of them.
    """
    between = [one.bounds for one in step.arguments if one.bounds is not None]
    if len(between) < len(step.arguments) or step.held.bounds is None:
        return Number64.FLOAT
    between.append(step.held.bounds)
    dtype = type_between((min(low for low, _ in between), max(high for _, high in between)))
    if dtype is None:
        raise CannotCarryError("signed and unsigned numbers of 64 bits meet in an expression.")
    return Number64.SIGNED if dtype.kind == "i" else Number64.UNSIGNED


def sides_of(message: CarriedMessage, rule: Rule) -> tuple[CarriedField, Node] | None:
    """Return the field that a rule gives a value when a frame is packed, and what it is equal to.

    None where the rule is no equation, or the field has several raw numbers of one value.
    """
    tree = rule.expression.tree
    if not isinstance(tree, Call) or tree.operation != "==":
        return None
    for side, other in (tree.arguments, tuple(reversed(tree.arguments))):
        found = message.named(side.name) if isinstance(side, Name) else None
        if isinstance(found, CarriedField):
            return None if found.field.is_curved else (found, other)
    return None


def equation_of(message: CarriedMessage, rule: Rule, prefix: str = "v") -> tuple[CarriedField, Steps, Held] | None:
    """Return the field of :func:`sides_of`, and the steps of its value.

    Raises
    ------
    CannotCarryError
        If something in the equation is not carried.
    """
    sides = sides_of(message, rule)
    if sides is None:
        return None
    steps = Steps(message, prefix)
    return sides[0], steps, steps.lower_node(sides[1], rule.expression)
