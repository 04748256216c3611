"""Steps of expressions as NumPy."""

from __future__ import annotations

from collections.abc import Callable

from ..carried_fields import CarriedField
from ..carried_message import CarriedValue
from ..errors import CannotCarryError
from ..lowering import Held, Number64, Step, computing_type, is_scaled

_TYPES = {Number64.SIGNED: "np.int64", Number64.UNSIGNED: "np.uint64", Number64.FLOAT: "np.float64"}
_INFIX = {"add": "+", "subtract": "-", "multiply": "*", "divide": "/"}
_BIT_SIGNS = {"bit_or": "|", "bit_xor": "^", "bit_and": "&"}
_COMPARING = ("==", "!=", "<", "<=", ">", ">=")
_LIBRARY = {"floor": "np.floor", "ceil": "np.ceil", "round": "np.rint", "sqrt": "np.sqrt", "exp": "np.exp",
            "log": "np.log", "log10": "np.log10", "sin": "np.sin", "cos": "np.cos", "atan2": "np.arctan2"}  # fmt: skip


class StepWriter:
    """Writes the steps of one message.

    Parameters
    ----------
    value, holds
        Expressions of ``struct`` for a field's value, and for whether it has one.
    """

    def __init__(self, value: Callable[[CarriedField], str], holds: Callable[[CarriedField], str]) -> None:
        self._value = value
        self._holds = holds

    def lines(self, steps: list[Step]) -> list[str]:
        """Return statements that give a variable for each step, and one that says whether it is known."""
        return [line for step in steps for line in self._step(step)]

    def _step(self, step: Step) -> list[str]:
        held = step.held
        if step.operation in ("value", "raw"):
            return self._read(step)
        text, more = self._text(step)
        lines = [f"{held.name} = {text}"]
        if not held.always:
            known = [] if step.operation == "if" else [one.known_name for one in step.arguments if not one.always]
            lines.append(f"{held.known_name} = {' & '.join([*known, *more]) or 'np.True_'}")
        return lines

    def _read(self, step: Step) -> list[str]:
        held, of = step.held, step.of
        assert of is not None, "it reads something"
        if isinstance(of, CarriedValue):
            known = [] if held.always else [f"{held.known_name} = computed_{of.name}_known"]
            return [f"{held.name} = computed_{of.name}", *known]
        is_raw = step.operation == "raw" or not is_scaled(of)
        read = (
            f"np.asarray(struct.{of.raw}).astype({_TYPES[held.kind]})" if is_raw else f"np.asarray({self._value(of)})"
        )
        return [f"{held.name} = {read}", f"{held.known_name} = np.asarray({self._holds(of)})"]

    def _text(self, step: Step) -> tuple[str, list[str]]:
        """Return the expression of a step, and what must hold besides for it to be known."""
        operation, arguments, held = step.operation, step.arguments, step.held
        if operation == "number":
            return f"{_TYPES[held.kind]}({_literal(step)})", []
        if operation == "size":
            return "np.int64(size)", []
        if operation == "nothing":
            return "np.int64(0)", ["np.False_"]
        if operation in _COMPARING:
            return f"({arguments[0].name} {operation} {arguments[1].name}).astype(np.int64)", []
        if operation in ("and_", "or_"):
            sign = " & " if operation == "and_" else " | "
            return f"({sign.join(f'({one.name} != 0)' for one in arguments)}).astype(np.int64)", []
        if operation == "not_":
            return f"({arguments[0].name} == 0).astype(np.int64)", []
        if operation == "if":
            return _choice(step)
        if operation in _BIT_SIGNS or operation in ("bit_not", "left", "right"):
            return _bitwise(step)
        if operation in ("floor_divide", "remainder"):
            return _division(step)
        return _arithmetic(step)


def _literal(step: Step) -> str:
    if step.held.kind is not Number64.FLOAT:
        return str(int(step.number))
    try:
        return repr(float(step.number))
    except OverflowError:
        return "np.inf" if step.number > 0 else "-np.inf"


def _cast(held: Held, kind: Number64) -> str:
    return held.name if held.kind is kind else f"{held.name}.astype({_TYPES[kind]})"


def _choice(step: Step) -> tuple[str, list[str]]:
    condition, yes, no = step.arguments
    kind = step.held.kind
    text = f"np.where({condition.name} != 0, {_cast(yes, kind)}, {_cast(no, kind)})"
    known = [] if condition.always else [condition.known_name]
    if not (yes.always and no.always):
        sides = [one.known_name if not one.always else "True" for one in (yes, no)]
        known.append(f"np.where({condition.name} != 0, {sides[0]}, {sides[1]})")
    return text, known


def _arithmetic(step: Step) -> tuple[str, list[str]]:
    operation, held = step.operation, step.held
    kind = Number64.FLOAT if held.kind is Number64.FLOAT else computing_type(step)
    names = [_cast(one, kind) for one in step.arguments]
    if operation in ("min", "max"):
        kind, names = held.kind, [one.name for one in step.arguments]
        sign = "<=" if operation == "min" else ">="
        casts = [_cast(one, kind) for one in step.arguments]
        text = f"np.where({names[0]} {sign} {names[1]}, {casts[0]}, {casts[1]})"
    elif operation in _INFIX:
        text = f"{names[0]} {_INFIX[operation]} {names[1]}"
    elif operation == "negate":
        text = f"-{names[0]}"
    elif operation == "abs":
        text = f"np.abs({names[0]})"
    elif kind is not Number64.FLOAT:
        text = names[0]  # whole numbers are round already
    elif operation == "pow":
        text = f"np.where(np.abs({names[1]}) <= 64, np.power({names[0]}, {names[1]}), np.nan)"
    else:
        text = f"{_LIBRARY[operation]}({', '.join(names)})"
    if held.kind is Number64.FLOAT:
        return text, [f"np.isfinite({held.name})"]
    return (text if kind is held.kind else f"({text}).astype({_TYPES[held.kind]})"), []


def _division(step: Step) -> tuple[str, list[str]]:
    function = "np.remainder" if step.operation == "remainder" else "np.floor_divide"
    top, below = step.arguments
    if step.held.kind is Number64.FLOAT:
        text = f"{function}({_cast(top, Number64.FLOAT)}, {_cast(below, Number64.FLOAT)})"
        return text, [f"np.isfinite({step.held.name})"]
    kind = computing_type(step)
    divisor = _cast(below, kind)
    text = f"{function}({_cast(top, kind)}, np.where({below.name} != 0, {divisor}, {_TYPES[kind]}(1)))"
    return (text if kind is step.held.kind else f"{text}.astype({_TYPES[step.held.kind]})"), [f"({below.name} != 0)"]


def _bitwise(step: Step) -> tuple[str, list[str]]:
    operation, held = step.operation, step.held
    more = [f"_is_whole({one.name})" for one in step.arguments if one.kind is Number64.FLOAT]
    names = [f"_as_whole({one.name})" if one.kind is Number64.FLOAT else one.name for one in step.arguments]
    view = "" if held.kind is Number64.UNSIGNED else ".view(np.int64)"
    if operation in _BIT_SIGNS:
        kinds = {one.kind for one in step.arguments}
        if kinds == {Number64.SIGNED, Number64.UNSIGNED} and held.kind is Number64.SIGNED:
            raise CannotCarryError("bits of signed and unsigned numbers of 64 bits meet in an expression.")
        text = f"_wide({names[0]}) {_BIT_SIGNS[operation]} _wide({names[1]})"
        return (f"({text}){view}" if view else text), more
    if operation == "bit_not":
        if step.arguments[0].kind is Number64.UNSIGNED:
            more.append(f"({names[0]} <= {(1 << 63) - 1})")
        return f"(~_wide({names[0]})).view(np.int64)", more
    by = names[1]
    more.append(f"({by} >= 0) & ({by} < 64)")
    shift = f"np.clip({by}, 0, 63)"
    if operation == "left":
        if held.kind is Number64.FLOAT:
            raise CannotCarryError("a shift to the left may run over 64 bits.")
        text = f"_wide({names[0]}) << _wide({shift})"
        return (f"({text}){view}" if view else text), more
    first = step.arguments[0].kind
    kind = Number64.UNSIGNED if first is Number64.UNSIGNED else Number64.SIGNED
    text = f"{names[0]} >> {shift}.astype({_TYPES[kind]})"
    return (text if kind is held.kind else f"({text}).astype({_TYPES[held.kind]})"), more
