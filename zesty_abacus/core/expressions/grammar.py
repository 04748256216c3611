"""The grammar of the language: expressions of layouts, and conditions, which are expressions about frames."""

from __future__ import annotations

from functools import cache

from lark import Lark

_JOINING = r"(?:and|or|not|then|within)\b"
_NUMBER = r"(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?"
_SYMBOL = r"[^\W\d_]*[°Ω]?[^\W\d_]+(\^-?\d)?"
_UNIT = "|".join(
    [
        r"1\/min",
        # before a number or a name it is the remainder of a division
        rf"%(?![ \t]*(?!{_JOINING})[\w(`.])",
        rf"(?!{_JOINING})(?![eE][+-]?\d){_SYMBOL}([\/·*]{_SYMBOL})*",
        rf"°([\/]{_SYMBOL})?",
    ]
)
_QUANTITY = rf"(?!0[xX]){_NUMBER}[ \t]*({_UNIT})"

# One grammar with two beginnings: what holds for an expression in a layout holds for the same words in a condition.
_GRAMMAR = r"""
?expression: either
?condition: either | condition "then" either "within" signed -> then_
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
?atom: NUMBER -> number | QUANTITY -> quantity | TEXT -> text | AT -> at
    | name | name "." name -> member
    | WORD "(" [argument ("," argument)*] ")" -> call | "(" condition ")"
?argument: either
name: WORD | QUOTED
COMPARE: /==|!=|<=|>=|<(?!<)|>(?!>)/
NUMBER: /0[xX][0-9a-fA-F]{1,16}|(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?/
// a number with a unit
QUANTITY.2: /%QUANTITY%/
TEXT: /"([^"\\]|\\.)*"/
AT.2: /at[ \t]*\([ \t]*[BRbr]\d[^()]*\)/
WORD: /(?!(?:and|or|not)\b)[^\W\d]\w*/
QUOTED: /`[^`]+`/
%ignore /[ \t]+/
"""


@cache
def parser() -> Lark:
    """Return the parser; making it takes a fifth of a second."""
    return Lark(
        _GRAMMAR.replace("%QUANTITY%", _QUANTITY),
        parser="lalr",
        maybe_placeholders=True,
        start=["expression", "condition"],
    )
