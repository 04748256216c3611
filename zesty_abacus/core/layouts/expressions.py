"""Expressions over fields: ``voltage * current``, ``header_words * 4``, ``length == size - 2``.

The language is small on purpose: numbers, names of fields, arithmetic, bit operations, comparisons and a
handful of functions. There is no assignment, no loop and no access to anything but the fields, so a layout
from a stranger can be read without fear. A name that is not a plain word is written in back quotes:
```turn counter` % 16``.

Besides fields, ``size`` is the number of payload bytes of the frame, ``address`` its address and ``item``
the number of the array item, from 0. ``raw(x)`` is the raw value of field ``x`` instead of its value.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache

from lark import Lark, Token, Transformer, UnexpectedInput
from lark.exceptions import VisitError

from ..errors import MisuseError

MAX_LENGTH = 500
"""Characters an expression may have; also bounds its depth."""
SPECIAL_NAMES = ("size", "address", "item")

_GRAMMAR = r"""
?start: either
?either: both | either "or" both -> or_
?both: denial | both "and" denial -> and_
?denial: comparison | "not" denial -> not_
?comparison: bits | bits COMPARE bits -> compare
?bits: exclusive | bits "|" exclusive -> bit_or
?exclusive: common | exclusive "^" common -> bit_xor
?common: shifted | common "&" shifted -> bit_and
?shifted: sum | shifted "<<" sum -> left | shifted ">>" sum -> right
?sum: product | sum "+" product -> add | sum "-" product -> subtract
?product: signed | product "*" signed -> multiply | product "/" signed -> divide
    | product "//" signed -> floor_divide | product "%" signed -> remainder
?signed: atom | "-" signed -> negate | "~" signed -> bit_not
?atom: NUMBER -> number | name | WORD "(" [either ("," either)*] ")" -> call | "(" either ")"
name: WORD | QUOTED
COMPARE: /==|!=|<=|>=|<(?!<)|>(?!>)/
NUMBER: /0[xX][0-9a-fA-F]{1,16}|(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?/
WORD: /(?!(?:and|or|not)\b)[^\W\d]\w*/
QUOTED: /`[^`]+`/
%ignore /[ \t]+/
"""

FUNCTIONS: dict[str, int] = {
    "abs": 1, "min": 2, "max": 2, "floor": 1, "ceil": 1, "round": 1, "sqrt": 1, "exp": 1, "log": 1, "log10": 1,
    "sin": 1, "cos": 1, "atan2": 2, "pow": 2, "if": 3, "raw": 1,
}  # fmt: skip
"""Functions of the language and how many arguments each takes. Angles are in radians."""

_EXACT_FUNCTIONS: dict[str, Callable[..., Fraction]] = {
    "abs": abs,
    "min": min,
    "max": max,
    "floor": lambda x: Fraction(math.floor(x)),
    "ceil": lambda x: Fraction(math.ceil(x)),
    "round": lambda x: Fraction(round(x)),
    "sqrt": lambda x: Fraction(math.sqrt(x)),
    "exp": lambda x: Fraction(math.exp(x)),
    "log": lambda x: Fraction(math.log(x)),
    "log10": lambda x: Fraction(math.log10(x)),
    "sin": lambda x: Fraction(math.sin(x)),
    "cos": lambda x: Fraction(math.cos(x)),
    "atan2": lambda y, x: Fraction(math.atan2(y, x)),
    "pow": lambda x, y: _power(x, y),
}


MAX_POWER = 64
"""Largest exponent, so that no text makes a number that fills memory."""


def _power(base: Fraction, exponent: Fraction) -> Fraction:
    if abs(exponent) > MAX_POWER:
        raise ValueError(f"exponents go to {MAX_POWER}")
    if exponent.denominator == 1:
        return base ** int(exponent)
    return Fraction(math.pow(base, exponent))


class ExpressionError(MisuseError):
    """A text that is no expression, or one that has no value here."""


@dataclass(frozen=True, slots=True)
class Number:
    """A literal."""

    value: Fraction


@dataclass(frozen=True, slots=True)
class Name:
    """A field, or one of :data:`SPECIAL_NAMES`; ``first`` and ``last`` are its place in the text."""

    name: str
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Call:
    """An operation or function and its arguments."""

    operation: str
    arguments: tuple[Node, ...]


Node = Number | Name | Call


class _Builder(Transformer):
    """Turns the parse into nodes; every operation becomes a :class:`Call` of its rule's name."""

    def number(self, items: list[Token]) -> Node:
        text = str(items[0])
        return Number(Fraction(int(text, 16)) if text[:2].lower() == "0x" else Fraction(text))

    def name(self, items: list[Token]) -> Node:
        token = items[0]
        assert token.start_pos is not None and token.end_pos is not None
        return Name(str(token).strip("`"), token.start_pos, token.end_pos)

    def compare(self, items: list) -> Node:
        return Call(str(items[1]), (items[0], items[2]))

    def call(self, items: list) -> Node:
        function, arguments = str(items[0]), tuple(item for item in items[1:] if item is not None)
        if function not in FUNCTIONS:
            raise ExpressionError(f"there is no function {function!r}.", hint=f"There are {', '.join(FUNCTIONS)}.")
        if len(arguments) != FUNCTIONS[function]:
            raise ExpressionError(f"{function} takes {FUNCTIONS[function]} values, not {len(arguments)}.")
        if function == "raw" and not isinstance(arguments[0], Name):
            raise ExpressionError("raw takes the name of a field.")
        return Call(function, arguments)

    def __default__(self, data: str, children: list, meta: object) -> Node:
        return Call(str(data), tuple(children))


_parser = Lark(_GRAMMAR, parser="lalr", maybe_placeholders=True)


@lru_cache(4096)
def _parse(text: str) -> Node:
    if len(text) > MAX_LENGTH:
        raise ExpressionError(f"{len(text)} characters are more than the {MAX_LENGTH} an expression may have.")
    try:
        return _Builder().transform(_parser.parse(text))
    except UnexpectedInput as error:
        column = getattr(error, "column", 0)
        where = f"column {column}" if isinstance(column, int) and column > 0 else "the end"
        raise ExpressionError(
            f"{text!r} stops making sense at {where}.", hint="Write fields, numbers, + - * / % & | ^ << >> and ( )."
        ) from error
    except RecursionError as error:
        raise ExpressionError("it is nested too deeply.") from error
    except VisitError as error:
        if isinstance(error.orig_exc, ExpressionError):
            raise error.orig_exc from error
        raise


class Expression:
    """A checked expression; an immutable value whose JSON form is its text."""

    __slots__ = ("__dict__", "_text")

    def __init__(self, text: str) -> None:
        self._text = text.strip()
        self.tree  # noqa: B018 - a text that is no expression is refused here

    @property
    def text(self) -> str:
        """The text as written."""
        return self._text

    @cached_property
    def tree(self) -> Node:
        """The parsed form."""
        return _parse(self._text)

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Names used, special ones included, each once, in order."""
        return tuple(dict.fromkeys(node.name for node in walk(self.tree) if isinstance(node, Name)))

    def __eq__(self, other: object) -> bool:
        return self._text == other._text if isinstance(other, Expression) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._text)

    def __str__(self) -> str:
        return self._text

    def __repr__(self) -> str:
        return f"Expression({self._text!r})"

    def renamed(self, old: str, new: str) -> Expression:
        """Return the expression with a field called otherwise."""
        text = self._text
        spots = sorted({(n.first, n.last) for n in walk(self.tree) if isinstance(n, Name) and n.name == old})
        for first, last in reversed(spots):
            text = text[:first] + quoted(new) + text[last:]
        return Expression(text) if spots else self


def quoted(name: str) -> str:
    """Return a field name as an expression writes it."""
    plain = re.fullmatch(r"[^\W\d]\w*", name) and name not in ("and", "or", "not") and name not in SPECIAL_NAMES
    return name if plain else f"`{name}`"


def walk(node: Node) -> Iterator[Node]:
    """Yield a node and everything below it."""
    yield node
    if isinstance(node, Call):
        for argument in node.arguments:
            yield from walk(argument)


def evaluate_exactly(
    expression: Expression, values: Mapping[str, Fraction | None], raws: Mapping[str, int] | None = None
) -> Fraction | None:
    """Return the value of an expression of single numbers, exact except for roots, logarithms and angles.

    Parameters
    ----------
    values
        By name; None is a value that is not there, and makes the result None.
    raws
        Raw values by name, for ``raw()``.

    Raises
    ------
    ExpressionError
        If a name is unknown, or the numbers have no result (division by zero, root of a negative number).
    """
    return evaluate_node_exactly(expression.tree, values, raws or {})


def evaluate_node_exactly(
    node: Node, values: Mapping[str, Fraction | None], raws: Mapping[str, int]
) -> Fraction | None:
    """Return the value of a part of an expression; as :func:`evaluate_exactly`."""
    if isinstance(node, Number):
        return node.value
    if isinstance(node, Name):
        if node.name not in values:
            raise ExpressionError(f"there is no value for {node.name!r}.")
        return values[node.name]
    if node.operation == "raw":
        (name,) = node.arguments
        assert isinstance(name, Name)
        return None if raws.get(name.name) is None else Fraction(raws[name.name])
    if node.operation == "if":
        condition = evaluate_node_exactly(node.arguments[0], values, raws)
        return None if condition is None else evaluate_node_exactly(node.arguments[1 if condition else 2], values, raws)
    parts = [evaluate_node_exactly(argument, values, raws) for argument in node.arguments]
    if any(part is None for part in parts):
        return None
    return _apply(node.operation, [part for part in parts if part is not None])


def _apply(operation: str, parts: list[Fraction]) -> Fraction:
    try:
        function = _EXACT_FUNCTIONS.get(operation)
        result = function(*parts) if function is not None else _OPERATIONS[operation](*parts)
        return Fraction(result)
    except (ArithmeticError, ValueError) as error:
        numbers = " and ".join(str(float(part)) for part in parts)
        raise ExpressionError(f"{operation.replace('_', ' ')} of {numbers} has no value.") from error


def _whole(*parts: Fraction) -> list[int]:
    if any(part.denominator != 1 for part in parts):
        raise ValueError("bit operations take whole numbers")
    return [int(part) for part in parts]


def _shift_left(number: Fraction, by: Fraction) -> int:
    whole, places = _whole(number, by)
    if not 0 <= places < 64:
        raise ValueError("shifts go by 0 to 63 places")
    return whole << places


def _shift_right(number: Fraction, by: Fraction) -> int:
    whole, places = _whole(number, by)
    if not 0 <= places < 64:
        raise ValueError("shifts go by 0 to 63 places")
    return whole >> places


_OPERATIONS: dict[str, Callable[..., Fraction | int | bool]] = {
    "or_": lambda a, b: bool(a) or bool(b),
    "and_": lambda a, b: bool(a) and bool(b),
    "not_": lambda a: not a,
    "==": lambda a, b: a == b,
    "!=": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    ">=": lambda a, b: a >= b,
    "bit_or": lambda a, b: _whole(a)[0] | _whole(b)[0],
    "bit_xor": lambda a, b: _whole(a)[0] ^ _whole(b)[0],
    "bit_and": lambda a, b: _whole(a)[0] & _whole(b)[0],
    "bit_not": lambda a: ~_whole(a)[0],
    "left": _shift_left,
    "right": _shift_right,
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "multiply": lambda a, b: a * b,
    "divide": lambda a, b: a / b,
    "floor_divide": lambda a, b: a // b,
    "remainder": lambda a, b: a % b,
    "negate": lambda a: -a,
}
