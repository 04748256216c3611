"""Reads the text of a condition; what it makes of it does not yet know any capture."""

from __future__ import annotations

import re
from fractions import Fraction
from functools import lru_cache

from lark import Token, Transformer, UnexpectedInput, UnexpectedToken
from lark.exceptions import VisitError

from ..expressions.grammar import parser
from ..expressions.tree import Call, ExpressionError, Name, Number
from .tree import AnyNode, At, ConditionError, Member, Quantity, Text, Then

MAX_LENGTH = 2000
"""Letters a condition may have."""
_QUANTITY = re.compile(r"((?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d{1,2})?)[ \t]*(.+)")


class _Builder(Transformer):
    """Turns the parse into nodes; every operation becomes a :class:`Call` of its rule's name."""

    def number(self, items: list[Token]) -> AnyNode:
        text = str(items[0])
        return Number(Fraction(int(text, 16)) if text[:2].lower() == "0x" else Fraction(text))

    def quantity(self, items: list[Token]) -> AnyNode:
        found = _QUANTITY.fullmatch(str(items[0]))
        assert found is not None, "the grammar lets nothing else through"
        return Quantity(Fraction(found[1]), found[2])

    def text(self, items: list[Token]) -> AnyNode:
        return Text(re.sub(r"\\(.)", r"\1", str(items[0])[1:-1]))

    def at(self, items: list[Token]) -> AnyNode:
        text = str(items[0])
        return At(text[text.index("(") + 1 : -1].strip())

    def name(self, items: list[Token]) -> AnyNode:
        token = items[0]
        return Name(str(token).strip("`"), token.start_pos or 0, token.end_pos or 0)

    def member(self, items: list[Name]) -> AnyNode:
        return Member(items[0].name, items[1].name)

    def compare(self, items: list) -> AnyNode:
        return Call(str(items[1]), (items[0], items[2]))

    def then_(self, items: list) -> AnyNode:
        return Then(*items)

    def call(self, items: list) -> AnyNode:
        return Call(str(items[0]), tuple(item for item in items[1:] if item is not None))

    def argument(self, items: list) -> AnyNode:
        return items[0]

    def __default__(self, data: str, children: list, meta: object) -> AnyNode:
        return Call(str(data), tuple(children))


@lru_cache(256)
def parse_condition(text: str) -> AnyNode:
    """Return the tree of a condition.

    Raises
    ------
    ConditionError
        If the text is none; it says at which letter, counted from 1.
    """
    if not text.strip():
        raise ConditionError("there is no condition.", hint='Ask, for example, size == 8 or lane == "bilge".')
    if len(text) > MAX_LENGTH:
        raise ConditionError(f"{len(text)} letters are more than the {MAX_LENGTH} that a condition may have.")
    try:
        return _Builder().transform(parser().parse(text, start="condition"))
    except UnexpectedInput as error:
        raise _misread(text, error) from error
    except RecursionError as error:
        raise ConditionError("the condition is nested too deeply.") from error
    except VisitError as error:
        if isinstance(error.orig_exc, ExpressionError):
            raise error.orig_exc from error
        raise


def _misread(text: str, error: UnexpectedInput) -> ConditionError:
    column = getattr(error, "column", -1)
    if isinstance(error, UnexpectedToken) and error.token.type == "$END":
        return ConditionError("the condition ends too early.", hint=_what_is_missing(text))
    rest = text[column - 1 :]
    word = re.match(r"\w+|\S", rest)
    shown = f" ({word[0][:20]})" if word else ""
    return ConditionError(f"the condition makes no sense at letter {column}{shown}.", hint=_advice(text, column, rest))


def _what_is_missing(text: str) -> str:
    if text.count("(") > text.count(")"):
        return "A closing ) is missing."
    if text.rstrip().endswith(("and", "or", "not")):
        return "Another condition has to follow."
    if re.search(r"\bthen\b", text) and not re.search(r"\bwithin\b", text):
        return "After then it says within how long, as within 50 ms."
    return "Say what it is compared with."


def _advice(text: str, column: int, rest: str) -> str:
    if rest.startswith("=") and not rest.startswith("=="):
        return "Write == to compare."
    if rest.startswith(("'", "“", "”")):
        return 'Texts stand between " and ".'
    if rest.startswith('"') and rest.count('"') == 1:
        return 'The text has no closing ".'
    if rest.startswith("`") and rest.count("`") == 1:
        return "The name has no closing `."
    # of two signs the first alone is one of the language
    if text[max(column - 2, 0) : column] in ("&&", "||") or rest.startswith(("&&", "||", "!")):
        return "Write and, or, not."
    before = re.search(r"([^\W\d]\w*)[ \t]+$", text[: column - 1])
    after = re.match(r"[^\W\d]\w*", rest)
    if before and after and before[1] not in ("and", "or", "not", "then", "within"):
        return f"Names of several words stand in back quotes: `{before[1]} {after[0]}`."
    return "Write comparisons joined by and, or, not."
