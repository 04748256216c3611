"""The text of an expression: ``voltage * current``, ``header_words * 4``, ``length == size - 2``.

The language is small on purpose: numbers, names of fields, arithmetic, bit operations, comparisons and a
handful of functions. There is no assignment, no loop and no access to anything but the fields, so a layout
from a stranger can be read without fear. A name that is not a plain word is written in back quotes:
```turn counter` % 16``.

Besides fields, ``size`` is the number of payload bytes of the frame, ``address`` its address and ``item``
the number of the array item, from 0. ``raw(x)`` is the raw value of field ``x`` instead of its value.
"""

from __future__ import annotations

import re
from fractions import Fraction
from functools import cached_property, lru_cache

from lark import Token, Transformer, UnexpectedInput
from lark.exceptions import VisitError

from .grammar import parser
from .operations.registry import functions
from .tree import NOTHING, RAW, Call, ExpressionError, Name, Node, Number, walk

MAX_LENGTH = 500
"""Characters an expression may have; also bounds its depth."""
SPECIAL_NAMES = ("size", "address", "item", NOTHING)


class _Builder(Transformer):
    """Turns the parse into nodes; every operation becomes a :class:`Call` of its rule's name."""

    def number(self, items: list[Token]) -> Node:
        text = str(items[0])
        return Number(Fraction(int(text, 16)) if text[:2].lower() == "0x" else Fraction(text))

    def name(self, items: list[Token]) -> Node:
        token = items[0]
        assert token.start_pos is not None and token.end_pos is not None
        return Name(str(token).strip("`"), token.start_pos, token.end_pos)

    def text(self, items: list[Token]) -> Node:
        raise ExpressionError("a text stands where a number is meant.")

    def quantity(self, items: list[Token]) -> Node:
        raise ExpressionError(f"{items[0]} has a unit.", hint="In a layout numbers are in the unit of their field.")

    def then_(self, items: list) -> Node:
        raise ExpressionError("then is for conditions about frames.")

    def at(self, items: list[Token]) -> Node:
        raise ExpressionError("at is for conditions about frames.", hint="Make a field of these bits.")

    def member(self, items: list[Name]) -> Node:
        raise ExpressionError(f"{items[0].name}.{items[1].name} is of another message.", hint="Write the field alone.")

    def argument(self, items: list) -> Node:
        return items[0]

    def compare(self, items: list) -> Node:
        return Call(str(items[1]), (items[0], items[2]))

    def call(self, items: list) -> Node:
        function, arguments = str(items[0]), tuple(item for item in items[1:] if item is not None)
        known = {name: operation.takes for name, operation in functions().items()} | {RAW: 1}
        if function not in known:
            raise ExpressionError(f"there is no function {function!r}.", hint=f"There are {', '.join(sorted(known))}.")
        if len(arguments) != known[function]:
            raise ExpressionError(f"{function} takes {known[function]} values, not {len(arguments)}.")
        if function == RAW and not isinstance(arguments[0], Name):
            raise ExpressionError("raw takes the name of a field.")
        return Call(function, arguments)

    def __default__(self, data: str, children: list, meta: object) -> Node:
        return Call(str(data), tuple(children))


_PLAIN = re.compile(r"(?P<number>\d{1,18})|(?P<word>(?!(?:and|or|not)\b)[^\W\d]\w*)")


@lru_cache(4096)
def _parse(text: str) -> Node:
    # most are one number or one name, as the bounds of a check; the parser takes a fifth of a second to make
    if plain := _PLAIN.fullmatch(text):
        return Number(Fraction(text)) if plain["number"] else Name(text, 0, len(text))
    if len(text) > MAX_LENGTH:
        raise ExpressionError(f"{len(text)} characters are more than the {MAX_LENGTH} an expression may have.")
    try:
        return _Builder().transform(parser().parse(text, start="expression"))
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
