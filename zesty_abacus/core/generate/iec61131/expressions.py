"""Steps of expressions as structured text: a variable a step, and one that says whether it is known.

A step whose arguments are not known, or that its operation has no result for, is left out by an ``IF``: on a controller
a division by zero or a root of less than nothing may stop the task.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ..carried_fields import CarriedField
from ..carried_message import CarriedValue
from ..errors import CannotCarryError
from ..lowering import Held, Number64, Step, Steps, computing_type, is_scaled
from .routine import indented, joined
from .terms import Terms
from .types import LARGEST, converted, floating, raw_type, type_of, whole

_INFIX = {"add": "+", "subtract": "-", "multiply": "*", "divide": "/"}
_BIT_SIGNS = {"bit_or": "OR", "bit_xor": "XOR", "bit_and": "AND"}
_COMPARING = {"==": "=", "!=": "<>", "<": "<", "<=": "<=", ">": ">", ">=": ">="}
_MIRRORED = {"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}
_LIBRARY = {"sqrt": "SQRT", "exp": "EXP", "log": "LN", "log10": "LOG", "sin": "SIN", "cos": "COS", "atan2": "ATAN2",
            "abs": "ABS"}  # fmt: skip
_ROUNDED = ("floor", "ceil", "round")
_ZERO = {Number64.SIGNED: "LINT#0", Number64.UNSIGNED: "ULINT#0", Number64.FLOAT: "LREAL#0.0"}


@dataclass(slots=True)
class Written:
    """Statements, and the variables that they need."""

    lines: list[str] = field(default_factory=list)
    inside: list[str] = field(default_factory=list)


@dataclass(slots=True)
class _Doing:
    """What a step does: where some conditions hold, statements; and whether the float that comes out is one."""

    text: str
    conditions: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class StepWriter:
    """Writes the steps of one message.

    Attributes
    ----------
    struct
        The variable that is read.
    """

    terms: Terms
    struct: str = "raw"

    def write(self, steps: Steps) -> Written:
        """Return the statements of steps."""
        made = Written()
        for step in steps.steps:
            made.inside.append(f"{step.held.name} : {type_of(step.held.kind)}")
            if not step.held.always:
                made.inside.append(f"{step.held.known_name} : BOOL")
            made.lines += self._step(step)
        return made

    def _step(self, step: Step) -> list[str]:
        if step.operation in ("value", "raw"):
            return self._read(step)
        if step.operation == "if":
            return _choice(step)
        doing = self._doing(step)
        held = step.held
        assigned = [f"{held.name} := {doing.text};"]
        if held.always:
            return assigned
        if held.kind is Number64.FLOAT:
            assigned.append(f"{held.known_name} := ABS({held.name}) <= {LARGEST};")
        conditions = [one.known_name for one in step.arguments if not one.always] + doing.conditions
        return [
            f"{held.known_name} := {joined(conditions)};", f"{held.name} := {_ZERO[held.kind]};",
            f"IF {held.known_name} THEN", *indented(assigned), "END_IF;",
        ]  # fmt: skip

    def _read(self, step: Step) -> list[str]:
        held, of = step.held, step.of
        assert of is not None, "it reads something"
        if isinstance(of, CarriedValue):
            known = [] if held.always else [f"{held.known_name} := computed_{of.name}_known;"]
            return [f"{held.name} := computed_{of.name};", *known]
        if step.operation == "value" and is_scaled(of):
            call = f"{self.terms.value_name(of)}(raw := {self.struct}, known => {held.known_name})"
            return [f"{held.name} := {call};"]
        return self._raw(held, of)

    def _raw(self, held: Held, of: CarriedField) -> list[str]:
        read = f"{held.name} := {converted(f'{self.struct}.{of.raw}', raw_type(of), type_of(held.kind))};"
        conditions = self.terms.holds(of, self.struct)
        if not conditions:
            return [f"{held.known_name} := TRUE;", read]
        return [f"{held.known_name} := {joined(conditions)};", f"{held.name} := {_ZERO[held.kind]};",
                f"IF {held.known_name} THEN", *indented([read]), "END_IF;"]  # fmt: skip

    def _doing(self, step: Step) -> _Doing:
        operation, arguments, held = step.operation, step.arguments, step.held
        if operation == "number":
            return _Doing(_number(step))
        if operation == "size":
            return _Doing("UDINT_TO_LINT(size)")
        if operation == "nothing":
            return _Doing(_ZERO[held.kind], ["FALSE"])
        if operation in _COMPARING:
            return _Doing(_as_number(self._comparison(_COMPARING[operation], *arguments)))
        if operation in ("and_", "or_"):
            joint = " AND " if operation == "and_" else " OR "
            return _Doing(_as_number(joint.join(_truth(one) for one in arguments)))
        if operation == "not_":
            return _Doing(_as_number(f"NOT {_truth(arguments[0])}"))
        if operation in ("min", "max"):
            return self._extreme(step)
        if operation in _BIT_SIGNS or operation in ("bit_not", "left", "right"):
            return self._bitwise(step)
        if operation in ("floor_divide", "remainder"):
            return self._division(step)
        return self._whole_arithmetic(step) if held.kind is not Number64.FLOAT else self._arithmetic(step)

    def _comparison(self, sign: str, first: Held, second: Held) -> str:
        if Number64.FLOAT in (first.kind, second.kind):
            return f"{_cast(first, Number64.FLOAT)} {sign} {_cast(second, Number64.FLOAT)}"
        if first.kind is second.kind:
            return f"{first.name} {sign} {second.name}"
        if first.kind is Number64.UNSIGNED:
            first, second, sign = second, first, _MIRRORED[sign]
        return f"{self.terms.helper('compared')}(one := {first.name}, other := {second.name}) {sign} INT#0"

    def _extreme(self, step: Step) -> _Doing:
        first, second = step.arguments
        kind = step.held.kind
        if first.kind is second.kind is kind:
            return _Doing(f"{step.operation.upper()}({first.name}, {second.name})")
        takes = self._comparison("<=" if step.operation == "min" else ">=", first, second)
        # both sides of a choice are worked out, so neither may run over in the type of the result
        if kind is not Number64.FLOAT:
            _refuse_unless_held(step, kind)
        return _Doing(f"SEL({takes}, {_cast(second, kind)}, {_cast(first, kind)})")

    def _whole_arithmetic(self, step: Step) -> _Doing:
        operation, held = step.operation, step.held
        kind = computing_type(step)
        names = [_cast(one, kind) for one in step.arguments]
        if operation in _INFIX:
            text = f"{names[0]} {_INFIX[operation]} {names[1]}"
        elif operation == "negate":
            text = f"-{names[0]}" if kind is Number64.SIGNED else names[0]
        elif operation == "abs":
            text = f"ABS({names[0]})" if kind is Number64.SIGNED else names[0]
        else:
            text = names[0]  # whole numbers are round already
        return _Doing(converted(text, type_of(kind), type_of(held.kind)))

    def _arithmetic(self, step: Step) -> _Doing:
        operation = step.operation
        names = [_cast(one, Number64.FLOAT) for one in step.arguments]
        if operation in _INFIX:
            guard = [f"({names[1]} <> LREAL#0.0)"] if operation == "divide" else []
            return _Doing(f"{names[0]} {_INFIX[operation]} {names[1]}", guard)
        if operation == "negate":
            return _Doing(f"-{names[0]}")
        if operation in _ROUNDED:
            return _Doing(f"{self.terms.helper(operation)}(number := {names[0]})")
        if operation == "pow":
            return self._power(*names)
        guards = {"sqrt": [f"({names[0]} >= LREAL#0.0)"], "log": [f"({names[0]} > LREAL#0.0)"],
                 "log10": [f"({names[0]} > LREAL#0.0)"], "exp": [f"({names[0]} < LREAL#709.78)"]}  # fmt: skip
        return _Doing(f"{_LIBRARY[operation]}({', '.join(names)})", guards.get(operation, []))

    def _power(self, base: str, exponent: str) -> _Doing:
        is_whole = f"{self.terms.helper('is_whole')}(number := {exponent})"
        has_power = f"({base} > LREAL#0.0) OR ({is_whole} AND (({base} <> LREAL#0.0) OR ({exponent} >= LREAL#0.0)))"
        return _Doing(f"EXPT({base}, {exponent})", [f"(ABS({exponent}) <= LREAL#64.0)", f"({has_power})"])

    def _division(self, step: Step) -> _Doing:
        word = "remainder" if step.operation == "remainder" else "quotient"
        top, below = step.arguments
        if step.held.kind is Number64.FLOAT:
            names = f"top := {_cast(top, Number64.FLOAT)}, below := {_cast(below, Number64.FLOAT)}"
            return _Doing(f"{self.terms.helper(f'float_{word}')}({names})",
                          [f"({_cast(below, Number64.FLOAT)} <> LREAL#0.0)"])  # fmt: skip
        kind = computing_type(step)
        names = f"top := {_cast(top, kind)}, below := {_cast(below, kind)}"
        if kind is Number64.SIGNED:
            text = f"{self.terms.helper(f'signed_{word}')}({names})"
        else:
            text = f"{_cast(top, kind)} {'MOD' if word == 'remainder' else '/'} {_cast(below, kind)}"
        return _Doing(converted(text, type_of(kind), type_of(step.held.kind)),
                      [f"({_cast(below, kind)} <> {_ZERO[kind]})"])  # fmt: skip

    def _bitwise(self, step: Step) -> _Doing:
        operation, held = step.operation, step.held
        names, guards = [], []
        for one in step.arguments:
            name, conditions = self._whole(one)
            names.append(name)
            guards += conditions
        if operation in _BIT_SIGNS:
            _refuse_mixed(step)
            text = f"{_bits(names[0], step.arguments[0])} {_BIT_SIGNS[operation]} {_bits(names[1], step.arguments[1])}"
            return _Doing(f"LWORD_TO_{type_of(held.kind)}({text})", guards)
        if operation == "bit_not":
            if step.arguments[0].kind is Number64.UNSIGNED:
                guards.append(f"({names[0]} <= ULINT#9223372036854775807)")
            return _Doing(f"LWORD_TO_LINT(NOT {_bits(names[0], step.arguments[0])})", guards)
        return self._shifted(step, names, guards)

    def _shifted(self, step: Step, names: list[str], guards: list[str]) -> _Doing:
        held, by = step.held, step.arguments[1]
        kind = "ULINT" if by.kind is Number64.UNSIGNED else "LINT"
        guards.append(f"({names[1]} >= {whole(0, kind)}) AND ({names[1]} < {whole(64, kind)})")
        count = f"{kind}_TO_INT({names[1]})"
        if step.operation == "left":
            if held.kind is Number64.FLOAT:
                raise CannotCarryError("a shift to the left may run over 64 bits.")
            return _Doing(f"LWORD_TO_{type_of(held.kind)}(SHL({_bits(names[0], step.arguments[0])}, {count}))", guards)
        if step.arguments[0].kind is Number64.UNSIGNED:
            text = f"LWORD_TO_ULINT(SHR(ULINT_TO_LWORD({names[0]}), {count}))"
            return _Doing(converted(text, "ULINT", type_of(held.kind)), guards)
        text = f"{self.terms.helper('signed_right')}(number := {names[0]}, count := {count})"
        return _Doing(converted(text, "LINT", type_of(held.kind)), guards)

    def _whole(self, held: Held) -> tuple[str, list[str]]:
        """Return a number for an operation on bits, and what must hold: a fraction has none."""
        if held.kind is not Number64.FLOAT:
            return held.name, []
        return (f"LREAL_TRUNC_LINT({held.name})", [f"{self.terms.helper('is_whole')}(number := {held.name})"])


def _number(step: Step) -> str:
    if step.held.kind is Number64.FLOAT:
        return floating(step.number)
    return whole(int(step.number), type_of(step.held.kind))


def _as_number(condition: str) -> str:
    return f"SEL({condition}, LINT#0, LINT#1)"


def _truth(held: Held) -> str:
    return f"({held.name} <> {_ZERO[held.kind]})"


def _cast(held: Held, kind: Number64) -> str:
    return converted(held.name, type_of(held.kind), type_of(kind))


def _bits(name: str, held: Held) -> str:
    return f"ULINT_TO_LWORD({name})" if held.kind is Number64.UNSIGNED else f"LINT_TO_LWORD({name})"


def _choice(step: Step) -> list[str]:
    condition, yes, no = step.arguments
    held = step.held
    is_known = [] if condition.always else [condition.known_name]
    lines = [f"{held.name} := {_ZERO[held.kind]};"]
    if not held.always:
        lines.append(f"{held.known_name} := FALSE;")
    for head, sides, one in (("IF", [*is_known, _truth(condition)], yes), ("ELSIF", is_known or ["TRUE"], no)):
        known = [f"{held.known_name} := {'TRUE' if one.always else one.known_name};"] if not held.always else []
        # what is not known may lie beyond the type of the result
        taken = [f"{held.name} := {_cast(one, held.kind)};"]
        if not one.always:
            taken = [f"IF {one.known_name} THEN", *indented(taken), "END_IF;"]
        lines += [f"{head} {joined(sides)} THEN", *indented([*taken, *known])]
    return [*lines, "END_IF;"]


def _refuse_unless_held(step: Step, kind: Number64) -> None:
    low, high = {Number64.SIGNED: (-(1 << 63), (1 << 63) - 1), Number64.UNSIGNED: (0, (1 << 64) - 1)}[kind]
    if any(one.bounds is None or one.bounds[0] < low or one.bounds[1] > high for one in step.arguments):
        raise CannotCarryError("signed and unsigned numbers of 64 bits meet in an expression.")


def _refuse_mixed(step: Step) -> None:
    """Raise where a negative number meets one above the highest signed one: what that gives depends on each frame."""
    kinds = {one.kind for one in step.arguments}
    if kinds == {Number64.SIGNED, Number64.UNSIGNED} and step.held.kind is Number64.SIGNED:
        raise CannotCarryError("bits of signed and unsigned numbers of 64 bits meet in an expression.")
