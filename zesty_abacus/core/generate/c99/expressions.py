"""Steps of expressions as C."""

from __future__ import annotations

from ..carried_message import CarriedValue
from ..errors import CannotCarryError
from ..lowering import Held, Number64, Step, computing_type, is_scaled
from .bits import beyond_its_bits
from .numbers import floating, of_type, type_of

_INFIX = {"add": "+", "subtract": "-", "multiply": "*", "divide": "/"}
_BIT_SIGNS = {"bit_or": "|", "bit_xor": "^", "bit_and": "&"}
_COMPARING = ("==", "!=", "<", "<=", ">", ">=")
_MIRRORED = {"==": "==", "!=": "!=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}
_LIBRARY = {"floor": "floor", "ceil": "ceil", "round": "rint", "sqrt": "sqrt", "exp": "exp", "log": "log",
            "log10": "log10", "sin": "sin", "cos": "cos", "atan2": "atan2", "pow": "power"}  # fmt: skip


class StepWriter:
    """Writes the steps of one message.

    Parameters
    ----------
    value, holds
        What the functions are called that give a field's value, and whether it has one; ``in`` is the struct.
    """

    def __init__(self, value, holds) -> None:  # type: ignore[no-untyped-def]
        self._value = value
        self._holds = holds

    def lines(self, steps: list[Step]) -> list[str]:
        """Return statements that define a variable for each step, and one that says whether it is known."""
        return [line for step in steps for line in self._step(step)]

    def _step(self, step: Step) -> list[str]:
        held = step.held
        if step.operation in ("value", "raw"):
            return self._read(step)
        known = [one.known_name for one in step.arguments if not one.always]
        text, more = self._text(step)
        lines = []
        if step.operation in ("floor_divide", "remainder") and held.kind is not Number64.FLOAT:
            # a division by zero is not made, not only not used
            text = f"{_cast(step.arguments[1], computing_type(step))} != 0 ? {text} : 0"
        lines.append(f"const {type_of(held.kind)} {held.name} = {text};")
        if not held.always:
            conditions = more if step.operation == "if" else [*known, *more]
            lines.append(f"const bool {held.known_name} = {' && '.join(conditions) or 'true'};")
        return lines

    def _read(self, step: Step) -> list[str]:
        held, of = step.held, step.of
        assert of is not None, "it reads something"
        kind = type_of(held.kind)
        if isinstance(of, CarriedValue):
            return [f"const {kind} {held.name} = computed_{of.name};"] + (
                [] if held.always else [f"const bool {held.known_name} = computed_{of.name}_known;"]
            )
        is_raw = step.operation == "raw" or not is_scaled(of)
        read = f"({kind})in->{of.raw}" if is_raw else f"{self._value(of)}(in)"
        known = self._holds(of)
        # no payload gives a number beyond its bits, but a struct may hold one, which runs over when it is reckoned with
        if is_raw and (beyond := beyond_its_bits(of, "in")):
            known = f"!({beyond})" if known == "true" else f"({known}) && !({beyond})"
        return [
            f"const bool {held.known_name} = {known};",
            f"const {kind} {held.name} = {held.known_name} ? {read} : 0;",
        ]

    def _text(self, step: Step) -> tuple[str, list[str]]:
        """Return the expression of a step, and what must hold besides for it to be known."""
        operation, arguments, held = step.operation, step.arguments, step.held
        if operation == "number":
            return self._number(step), []
        if operation == "size":
            return "(int64_t)size", []
        if operation == "nothing":
            return "0", ["false"]
        if operation in _COMPARING:
            return f"{_comparison(operation, *arguments)} ? 1 : 0", []
        if operation in ("and_", "or_"):
            joined = " && " if operation == "and_" else " || "
            return f"({joined.join(_truth(one) for one in arguments)}) ? 1 : 0", []
        if operation == "not_":
            return f"{_truth(arguments[0])} ? 0 : 1", []
        if operation == "if":
            return self._choice(step)
        if operation in ("min", "max"):
            first, second = arguments
            sign = "<=" if operation == "min" else ">="
            kind = type_of(held.kind)
            text = f"{_comparison(sign, first, second)} ? ({kind}){first.name} : ({kind}){second.name}"
            return text, [f"isfinite({held.name})"] if held.kind is Number64.FLOAT else []
        if operation in _BIT_SIGNS or operation in ("bit_not", "left", "right"):
            return _bitwise(step)
        if operation in ("floor_divide", "remainder"):
            return _division(step)
        return _arithmetic(step)

    def _number(self, step: Step) -> str:
        if step.held.kind is Number64.FLOAT:
            return floating(step.number)
        return of_type(int(step.number), type_of(step.held.kind))

    def _choice(self, step: Step) -> tuple[str, list[str]]:
        condition, yes, no = step.arguments
        kind = step.held.kind
        text = f"{_truth(condition)} ? {_cast(yes, kind)} : {_cast(no, kind)}"
        known = [] if condition.always else [condition.known_name]
        if not (yes.always and no.always):
            sides = [one.known_name if not one.always else "true" for one in (yes, no)]
            known.append(f"({_truth(condition)} ? {sides[0]} : {sides[1]})")
        return text, known


def whole_number(held: Held, otherwise: str = "0") -> str:
    """Return a number as int64_t, cut towards zero, ``otherwise`` where there is none or 63 bits do not hold it."""
    if held.kind is Number64.FLOAT:
        return f"whole_of({held.name}, {'true' if held.always else held.known_name}, {otherwise})"
    text = held.name if held.kind is Number64.SIGNED else (
        f"({held.name} <= (uint64_t)INT64_MAX ? (int64_t){held.name} : {otherwise})"
    )  # fmt: skip
    return text if held.always else f"({held.known_name} ? {text} : {otherwise})"


def _truth(held: Held) -> str:
    return f"({held.name} != 0)" if held.kind is not Number64.FLOAT else f"({held.name} != 0.0)"


def _cast(held: Held, kind: Number64) -> str:
    return held.name if held.kind is kind else f"({type_of(kind)}){held.name}"


def _comparison(operation: str, first: Held, second: Held) -> str:
    kinds = first.kind, second.kind
    if Number64.FLOAT in kinds:
        return f"({_cast(first, Number64.FLOAT)} {operation} {_cast(second, Number64.FLOAT)})"
    if first.kind is second.kind:
        return f"({first.name} {operation} {second.name})"
    if first.kind is Number64.SIGNED:
        return f"(compared({first.name}, {second.name}) {operation} 0)"
    return f"(compared({second.name}, {first.name}) {_MIRRORED[operation]} 0)"


def _arithmetic(step: Step) -> tuple[str, list[str]]:
    operation, held = step.operation, step.held
    if held.kind is not Number64.FLOAT:
        kind = computing_type(step)
        names = [_cast(one, kind) for one in step.arguments]
        if operation in _INFIX:
            text = f"{names[0]} {_INFIX[operation]} {names[1]}"
        elif operation == "negate":
            text = f"-{names[0]}" if kind is Number64.SIGNED else f"0U - {names[0]}"
        elif operation == "abs":
            text = f"{names[0]} < 0 ? -{names[0]} : {names[0]}" if kind is Number64.SIGNED else names[0]
        else:
            text = names[0]  # whole numbers are round already
        return (text if kind is held.kind else f"({type_of(held.kind)})({text})"), []
    names = [_cast(one, Number64.FLOAT) for one in step.arguments]
    finite = [f"isfinite({held.name})"]
    if operation in _INFIX:
        return f"{names[0]} {_INFIX[operation]} {names[1]}", finite
    if operation == "negate":
        return f"-{names[0]}", finite
    if operation == "abs":
        return f"fabs({names[0]})", finite
    return f"{_LIBRARY[operation]}({', '.join(names)})", finite


def _division(step: Step) -> tuple[str, list[str]]:
    rest = step.operation == "remainder"
    top, below = step.arguments
    if step.held.kind is Number64.FLOAT:
        name = "float_remainder" if rest else "float_quotient"
        text = f"{name}({_cast(top, Number64.FLOAT)}, {_cast(below, Number64.FLOAT)})"
        return text, [f"isfinite({step.held.name})"]
    kind = computing_type(step)
    names = f"{_cast(top, kind)}, {_cast(below, kind)}"
    if kind is Number64.SIGNED:
        text = f"signed_{'remainder' if rest else 'quotient'}({names})"
    else:
        text = names.replace(", ", " % " if rest else " / ")
    return (text if kind is step.held.kind else f"({type_of(step.held.kind)})({text})"), [f"{_cast(below, kind)} != 0"]


def _whole(held: Held) -> tuple[str, list[str]]:
    """Return a number for an operation on bits, and what must hold: a fraction has none."""
    if held.kind is not Number64.FLOAT:
        return held.name, []
    return f"(is_whole({held.name}) ? (int64_t){held.name} : 0)", [f"is_whole({held.name})"]


def _bitwise(step: Step) -> tuple[str, list[str]]:
    operation, held = step.operation, step.held
    names, more = [], []
    for one in step.arguments:
        name, conditions = _whole(one)
        names.append(name)
        more += conditions
    to = type_of(held.kind)
    if operation in _BIT_SIGNS:
        text = f"(uint64_t){names[0]} {_BIT_SIGNS[operation]} (uint64_t){names[1]}"
        _refuse_mixed(step)
        return (text if held.kind is Number64.UNSIGNED else f"as_signed({text})"), more
    if operation == "bit_not":
        if step.arguments[0].kind is Number64.UNSIGNED:
            more.append(f"{names[0]} <= (uint64_t)INT64_MAX")
        return f"as_signed(~(uint64_t){names[0]})", more
    by = names[1]
    shift = f"({by} >= 0 && {by} < 64 ? {by} : 0)" if step.arguments[1].kind is not Number64.UNSIGNED else (
        f"({by} < 64U ? (int64_t){by} : 0)"
    )  # fmt: skip
    more.append(f"{by} >= 0 && {by} < 64" if step.arguments[1].kind is not Number64.UNSIGNED else f"{by} < 64U")
    if operation == "left":
        if held.kind is Number64.FLOAT:
            raise CannotCarryError("a shift to the left may run over 64 bits.")
        text = f"(uint64_t){names[0]} << {shift}"
        return (text if held.kind is Number64.UNSIGNED else f"as_signed({text})"), more
    if step.arguments[0].kind is Number64.UNSIGNED:
        return f"({to})({names[0]} >> {shift})", more
    return f"({to})signed_right({names[0]}, {shift})", more


def _refuse_mixed(step: Step) -> None:
    """Raise where a negative number meets one above the highest signed one: what that gives depends on each frame."""
    kinds = {one.kind for one in step.arguments}
    if kinds == {Number64.SIGNED, Number64.UNSIGNED} and step.held.kind is Number64.SIGNED:
        raise CannotCarryError("bits of signed and unsigned numbers of 64 bits meet in an expression.")
