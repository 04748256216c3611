"""An expression that is true: ``length == size - 4``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID, uuid4

from ...expressions.expression import Expression
from ...expressions.tree import Call, Name
from ..attribute import NAME, Attribute, an_expression
from ..fields import Field
from ..problems import Said, expression_problems
from ..template import Template, free_name
from .check import Came, Check, CheckedFrames, FrameInHand

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Rule(Check, frozen=True, kw_only=True, omit_defaults=True, tag="rule"):
    """An expression that is true in every good frame."""

    expression: Expression

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("expression", "is true", "length == size", an_expression)
    )  # fmt: skip
    rank: ClassVar[int] = 6

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Rule", "checks", _add),)

    def words(self) -> str:
        return "rule"

    def expressions(self) -> tuple[Expression, ...]:
        return (self.expression,)

    def gives(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        tree = self.expression.tree
        sides = tree.arguments if isinstance(tree, Call) and tree.operation == "==" else ()
        return tuple(known[side.name].id for side in sides if isinstance(side, Name) and side.name in known)

    def asks(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        return tuple(known[name].id for name in self.expression.names if name in known)

    def problems(self, known: Mapping[str, Field]) -> Said:
        yield from expression_problems("expression", self.expression, known)

    def agrees(self, frames: CheckedFrames) -> Came:
        result = frames.evaluate(self.expression)
        return result.values != 0, result.known_rows()

    def fill(self, frame: FrameInHand) -> None:
        frame.solve_equal(self.expression)

    def bears_out(self, layout: Layout) -> tuple[UUID, ...]:
        return tuple(field.id for field in layout.all_fields() if field.name in self.expression.names)


def _add(layout: Layout) -> Layout:
    rule = Rule(id=uuid4(), name=free_name(layout, "length"), expression=Expression(f"size == {layout.size}"))
    return layout.with_item(rule)


CHECK = Rule
