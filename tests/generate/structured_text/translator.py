"""Structured text as Python, a function each, with every type looked at on the way."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lark import Lark, Token, Tree

from . import running
from .running import BITS, INTEGERS, LITERAL, FaultError

_WORDS = """
ABSTRACT ACTION AND ARRAY AT BY CASE CLASS CONFIGURATION CONSTANT CONTINUE DO ELSE ELSIF EN ENO EXIT EXTENDS
FALSE FINAL FOR FROM FUNCTION FUNCTION_BLOCK F_EDGE GOTO IF IMPLEMENTS INITIAL_STEP INTERFACE INTERNAL
INTERVAL METHOD MOD NAMESPACE NON_RETAIN NOT NULL OF ON OR OVERLAP OVERRIDE PRIORITY PRIVATE PROGRAM PROPERTY
PROTECTED PUBLIC READ_ONLY READ_WRITE REF REF_TO REPEAT RESOURCE RETAIN RETURN R_EDGE SINGLE STEP STRUCT SUPER
TASK THEN THIS TO TRANSITION TRUE TYPE UNTIL USING VAR WHILE WITH XOR LEFT RIGHT MID LEN CONCAT INSERT DELETE
REPLACE FIND MUX LIMIT MOVE ADD SUB MUL DIV GT GE EQ LE LT NE SEL MIN MAX ABS SQRT LN LOG EXP SIN COS TAN EXPT
TRUNC SHL SHR ROL ROR
"""
KEYWORDS = frozenset(_WORDS.split())
"""Words of the language and names of its own functions, which nothing else may have."""
_MATH = ("SQRT", "EXP", "LN", "LOG", "SIN", "COS", "ATAN2", "EXPT")
_PARSER = Lark.open("grammar.lark", rel_to=__file__, parser="lalr")
SECTIONS = ("VAR_INPUT", "VAR_IN_OUT", "VAR_OUTPUT", "VAR")


@dataclass
class Unit:
    """A function or block as others call it: types by name, a section at a time."""

    name: str
    returns: str
    variables: dict[str, dict[str, str]] = field(default_factory=lambda: {section: {} for section in SECTIONS})
    defaults: dict[str, int] = field(default_factory=dict)

    def type_of(self, name: str) -> str:
        for section in self.variables.values():
            if name in section:
                return section[name]
        if name == self.name and self.returns:
            return self.returns
        raise FaultError(f"{self.name} has no {name}")


class Program:
    """A text that can be run: its functions by name, in small letters."""

    def __init__(self, *texts: str) -> None:
        self.types: dict[str, Any] = {}
        self.units: dict[str, Unit] = {}
        trees = [_PARSER.parse(text) for text in texts]
        for tree in trees:
            self._declare(tree)
        lines: list[str] = []
        for one in (one for tree in trees for one in tree.find_pred(_is_unit)):
            lines += _Body(self, self.units[_low(one.children[0])], one.children[-1]).lines()
        self.space: dict[str, Any] = {**vars(running), "program": self}
        exec(compile("\n".join(lines), "structured text", "exec"), self.space)

    def _declare(self, tree: Tree) -> None:
        for one in tree.find_data("type_declaration"):
            name, shape = _name(one.children[0]), one.children[1]
            if shape.data == "structure":
                said: Any = {_name(member.children[0]): self.kind(member.children[1]) for member in shape.children}
            elif shape.data == "enumeration":
                said = ("enumeration", {_name(it.children[0]): int(it.children[1]) for it in shape.children})
            else:
                said = self.kind(shape)
            self._new(name, self.types, said)
        for one in tree.find_pred(_is_unit):
            unit = Unit(_name(one.children[0]), _low(one.children[1]) if one.data == "function" else "")
            self._new(unit.name, self.units, unit)
            for section in one.find_data("section"):
                word = str(section.children[0].children[0]).upper()
                for variable in section.children[1:]:
                    name, kind, first = variable.children
                    self._new(_name(name), unit.variables[word], self.kind(kind))
                    if first is not None:
                        unit.defaults[_low(name)] = int(first)
            taken = [name for section in unit.variables.values() for name in section]
            if len(taken) != len(set(taken)):
                raise FaultError(f"{unit.name} has a variable twice")

    def _new(self, name: str, where: dict[str, Any], what: Any) -> None:
        if name in where or (where is not self.types and where is not self.units and name in self.units):
            raise FaultError(f"{name} stands there twice")
        where[name] = what

    def kind(self, tree: Tree) -> str:
        """Return a type as one word; an array as ``item*count``."""
        if tree.data == "named":
            return _low(tree.children[0])
        low, high, item = tree.children
        if int(low) != 0:
            raise FaultError("an array begins with 0 here")
        return f"{_low(item)}*{int(high) + 1}"

    def resolved(self, kind: str) -> str:
        """Return what a name of an array type stands for."""
        found = self.types.get(kind)
        return found if isinstance(found, str) else kind

    def new(self, kind: str) -> Any:
        """Return a variable as it is at first."""
        kind = self.resolved(kind)
        item, star, count = kind.partition("*")
        if star:
            return [self.new(item) for _ in range(int(count))]
        if kind in self.units:
            unit = self.units[kind]
            return running.Record(kind, self._variables(unit))
        found = self.types.get(kind)
        if isinstance(found, dict):
            return running.Record(kind, {name: self.new(one) for name, one in found.items()})
        found = self.types.get(kind)
        if isinstance(found, dict):
            return running.Record(kind, {name: self.new(one) for name, one in found.items()})
        if found is not None or kind.upper() in INTEGERS or kind.upper() in BITS:
            return 0
        return {"bool": False, "lreal": 0.0, "string": ""}[kind]

    def member(self, kind: str, name: str) -> str:
        """Return the type of a member of a struct, or of what a block gives."""
        if kind in self.units:
            return self.units[kind].variables["VAR_OUTPUT"][name]
        return self.types[kind][name]

    def _variables(self, unit: Unit) -> dict[str, Any]:
        named = (one for section in SECTIONS if section != "VAR_IN_OUT" for one in unit.variables[section].items())
        return {name: self.new(kind) for name, kind in named}

    def call(
        self, name: str, given: dict[str, Any], instance: running.Record | None = None
    ) -> tuple[Any, dict[str, Any]]:
        """Run a function or block; return what it returns, and its outputs."""
        unit = self.units[name]
        held = instance.held if instance is not None else self._variables(unit)
        wanted = {**unit.variables["VAR_INPUT"], **unit.variables["VAR_IN_OUT"]}
        if missing := set(wanted) - set(given) - set(unit.defaults):
            raise FaultError(f"{name} is not given {missing}")
        held |= unit.defaults
        for one, value in given.items():
            held[one] = value if one in unit.variables["VAR_IN_OUT"] else running.copied(value)
        if unit.returns:
            held[name] = self.new(unit.returns)
        self.space[f"run_{name}"](held)
        return held.get(name), {one: held[one] for one in unit.variables["VAR_OUTPUT"]}


def _is_unit(tree: Tree) -> bool:
    return tree.data in ("function", "function_block")


def _low(token: Any) -> str:
    return str(token).lower()


def _name(token: Any) -> str:
    if str(token).upper() in KEYWORDS or str(token).upper() in INTEGERS or str(token).upper() in BITS:
        raise FaultError(f"{token} is a word of the language")
    return _low(token)


class _Body:
    """Writes the statements of one function or block."""

    def __init__(self, program: Program, unit: Unit, body: Tree) -> None:
        self.program, self.unit, self.body = program, unit, body

    def lines(self) -> list[str]:
        return [f"def run_{self.unit.name}(v):", *self._block(self.body, 1)]

    def _block(self, body: Tree, depth: int) -> list[str]:
        pad = "    " * depth
        lines = [pad + "pass"]
        for one in body.children:
            lines += [pad + line for line in getattr(self, f"_{one.data}")(*one.children)]
        return lines

    def _nested(self, body: Tree) -> list[str]:
        return self._block(body, 1)

    def _assign(self, target: Tree, value: Tree) -> list[str]:
        text, kind = self.value(value)
        return [self._stored(target, self._fitting(text, kind, self._target(target)[1]))]

    def _stored(self, target: Tree, text: str) -> str:
        name = _low(target.children[0])
        if name in self.unit.variables["VAR_INPUT"]:
            raise FaultError(f"{self.unit.name} writes its input {name}")
        place, _ = self._target(target)
        return f"{place} = copied({text})" if not place.startswith("item(") else (
            f"put({place.removeprefix('item(').removesuffix(')')}, copied({text}))")  # fmt: skip

    def _target(self, target: Tree) -> tuple[str, str]:
        name = _low(target.children[0])
        text, kind = f"v[{name!r}]", self.unit.type_of(name)
        for part in target.children[1:]:
            kind = self.program.resolved(kind)
            if part.data == "member":
                member = _low(part.children[0])
                text, kind = f"{text}[{member!r}]", self.program.member(kind, member)
            else:
                index, of = self.value(part.children[0])
                if of != LITERAL and of not in map(str.lower, INTEGERS):
                    raise FaultError(f"an index is {of}")
                text, kind = f"item({text}, {index})", kind.partition("*")[0]
        return text, kind

    def _fitting(self, text: str, kind: str, to: str) -> str:
        """Return a value for a variable; a literal without a type takes that of the variable."""
        if kind == LITERAL and to.upper() in INTEGERS:
            return f"held({to.upper()!r}, {text})"
        if self.program.resolved(kind) != self.program.resolved(to):
            raise FaultError(f"{self.unit.name}: {text} is {kind}, not {to}")
        return text

    def _invoke(self, name: Token, arguments: Tree) -> list[str]:
        instance = _low(name)
        kind = self.unit.type_of(instance)
        given, taken = self._arguments(self.program.units[kind], arguments)
        if taken:
            raise FaultError("outputs of blocks are read behind the call")
        return [f"program.call({kind!r}, {{{given}}}, v[{instance!r}])"]

    def _arguments(self, unit: Unit, arguments: Tree) -> tuple[str, list[tuple[str, Tree]]]:
        given, taken = [], []
        for one in (it for it in arguments.children if it is not None):
            if one.data == "plain":
                raise FaultError(f"{unit.name} is called without names")
            name = _low(one.children[0])
            if one.data == "taken":
                if self._target(one.children[1])[1] != unit.variables["VAR_OUTPUT"][name]:
                    raise FaultError(f"{name} of {unit.name} goes to another type")
                taken.append((name, one.children[1]))
                continue
            text, kind = self.value(one.children[1])
            to = unit.variables["VAR_INPUT"].get(name) or unit.variables["VAR_IN_OUT"][name]
            given.append(f"{name!r}: {self._fitting(text, kind, to)}")
        return ", ".join(given), taken

    def _leave(self) -> list[str]:
        return ["return"]

    def _choice(self, *parts: Tree) -> list[str]:
        lines, word = [], "if"
        pairs = list(parts)
        while pairs:
            one = pairs.pop(0)
            if isinstance(one, Tree) and one.data == "otherwise":
                lines += ["else:", *self._nested(one.children[0])]
                continue
            lines += [f"{word} {self._condition(one)}:", *self._nested(pairs.pop(0))]
            word = "elif"
        return lines

    def _condition(self, tree: Tree) -> str:
        text, kind = self.value(tree)
        if kind != "bool":
            raise FaultError(f"{text} is no condition")
        return text

    def _count(self, name: Token, first: Tree, last: Tree, step: Tree | None, body: Tree) -> list[str]:
        counter = _low(name)
        kind = self.unit.type_of(counter)
        ends = [self._fitting(*self.value(one), kind) for one in (first, last)]
        by = int("".join(map(str, step.children))) if step is not None else 1
        return [f"for v[{counter!r}] in range({ends[0]}, {ends[1]} + {1 if by > 0 else -1}, {by}):",
                *self._nested(body)]  # fmt: skip

    def _repeat(self, condition: Tree, body: Tree) -> list[str]:
        return [f"while {self._condition(condition)}:", *self._nested(body)]

    # ---- expressions ----

    def value(self, tree: Tree) -> tuple[str, str]:
        """Return an expression as Python, and its type."""
        return getattr(self, f"_of_{tree.data}")(*tree.children)

    def _of_literal(self, token: Token) -> tuple[str, str]:
        kind, *rest = str(token).split("#")
        if kind.upper() in BITS:
            number = int(rest[-1], 16)
            if number >> BITS[kind.upper()]:
                raise FaultError(f"{token} is too long")
            return str(number), kind.lower()
        if kind.upper() == "LREAL":
            return f"({float(rest[0])!r})", "lreal"
        return f"({running.held(kind.upper(), int(rest[0]))})", kind.lower()

    def _of_constant(self, token: Token) -> tuple[str, str]:
        kind, name = _low(token).split("#")
        return str(self.program.types[kind][1][name]), kind

    def _of_integer(self, token: Token) -> tuple[str, str]:
        return str(int(token)), LITERAL

    def _of_text(self, token: Token) -> tuple[str, str]:
        import re

        plain = re.sub(r"\$(\$|'|[0-9A-F]{2})",
                       lambda it: it[1] if len(it[1]) == 1 else chr(int(it[1], 16)), str(token)[1:-1])  # fmt: skip
        return repr(plain.encode("latin-1").decode()), "string"

    def _of_read(self, target: Tree) -> tuple[str, str]:
        name = _low(target.children[0])
        if name in ("true", "false"):
            return name.title(), "bool"
        return self._target(target)

    def _of_negative(self, inner: Tree) -> tuple[str, str]:
        text, kind = self.value(inner)
        return (f"(-{text})", kind) if kind in ("lreal", LITERAL) else (f"held({kind.upper()!r}, -{text})", kind)

    def _of_not_(self, inner: Tree) -> tuple[str, str]:
        text, kind = self.value(inner)
        if kind == "bool":
            return f"(not {text})", kind
        return f"({text} ^ {(1 << BITS[kind.upper()]) - 1})", kind

    def _bitwise(self, sign: str, word: str, parts: tuple[Tree, ...]) -> tuple[str, str]:
        texts, kinds = zip(*(self.value(part) for part in parts), strict=True)
        if len(set(kinds)) != 1 or (kinds[0] != "bool" and kinds[0].upper() not in BITS):
            raise FaultError(f"{word} of {kinds} in {self.unit.name}")
        # conditions are worked out all of them, as a controller may do
        joint = f" {sign} "
        return f"({joint.join(texts)})", kinds[0]

    def _of_or_(self, *parts: Tree) -> tuple[str, str]:
        return self._bitwise("|", "OR", parts)

    def _of_xor_(self, *parts: Tree) -> tuple[str, str]:
        return self._bitwise("^", "XOR", parts)

    def _of_and_(self, *parts: Tree) -> tuple[str, str]:
        return self._bitwise("&", "AND", parts)

    def _pair(self, first: tuple[str, str], second: Tree) -> tuple[str, str, str]:
        (one, kind), (other, to) = first, self.value(second)
        if kind == LITERAL != to:
            return self._fitting(one, kind, to), other, to
        return one, self._fitting(other, to, kind) if kind != to else other, kind

    def _of_relation(self, *parts: Any) -> tuple[str, str]:
        first, sign, second = parts
        one, other, kind = self._pair(self.value(first), second)
        if str(sign) not in ("=", "<>") and kind in ("bool", *map(str.lower, BITS)):
            raise FaultError(f"{kind} has no order here")
        return f"({one} {({'=': '==', '<>': '!='}).get(str(sign), str(sign))} {other})", "bool"

    def _of_sum(self, *parts: Any) -> tuple[str, str]:
        return self._folded(parts, {"+": "{0} + {1}", "-": "{0} - {1}"}, {"+": "{0} + {1}", "-": "{0} - {1}"})

    def _of_product(self, *parts: Any) -> tuple[str, str]:
        return self._folded(parts, {"*": "{0} * {1}", "/": "divided({2!r}, {0}, {1})", "MOD": "rest({2!r}, {0}, {1})"},
                            {"*": "{0} * {1}", "/": "float_divided({0}, {1})"})  # fmt: skip

    def _folded(self, parts: tuple[Any, ...], whole: dict[str, str], floats: dict[str, str]) -> tuple[str, str]:
        text, kind = self.value(parts[0])
        for sign, part in zip(parts[1::2], parts[2::2], strict=True):
            one, other, kind = self._pair((text, kind), part)
            if kind == "lreal":
                text = f"({floats[str(sign).upper()].format(one, other)})"
            elif kind == LITERAL:
                text = f"({one} {sign} {other})"
            elif kind.upper() in INTEGERS:
                text = f"held({kind.upper()!r}, {whole[str(sign).upper()].format(one, other, kind.upper())})"
            else:
                raise FaultError(f"{sign} of {kind} in {self.unit.name}")
        return text, kind

    def _of_call(self, name: Token, arguments: Tree) -> tuple[str, str]:
        if _low(name) in self.program.units:
            unit = self.program.units[_low(name)]
            if not unit.returns:
                raise FaultError(f"{name} is a block, and has to be made first")
            given, taken = self._arguments(unit, arguments)
            outs = ", ".join(f"({out!r}, lambda value: {self._setting(target)})" for out, target in taken)
            return f"called(program, {unit.name!r}, {{{given}}}, [{outs}])", unit.returns
        return self._standard(str(name).upper(), [one.children[0] for one in arguments.children if one is not None])

    def _setting(self, target: Tree) -> str:
        if len(target.children) > 1:
            raise FaultError("an output goes to a plain variable here")
        return f"v.__setitem__({_low(target.children[0])!r}, value)"

    def _standard(self, name: str, arguments: list[Tree]) -> tuple[str, str]:
        values = [self.value(one) for one in arguments]
        if name in ("SHL", "SHR"):
            (bits, kind), (by, of) = values
            if kind.upper() not in BITS or (of != LITERAL and of.upper() not in INTEGERS):
                raise FaultError(f"{name} of {kind} by {of}")
            return f"{'shifted' if name == 'SHL' else 'shifted_down'}({bits}, {by}, {BITS[kind.upper()]})", kind
        if name == "SEL":
            (which, flag), (no, kind), (yes, other) = values
            if flag != "bool" or kind != other:
                raise FaultError(f"SEL of {flag}, {kind} and {other}")
            return f"({yes} if {which} else {no})", kind
        if name in ("MIN", "MAX"):
            (one, kind), (other, to) = values
            if kind != to:
                raise FaultError(f"{name} of {kind} and {to}")
            return f"{name.lower()}({one}, {other})", kind
        if name == "ABS":
            text, kind = values[0]
            return (f"abs({text})", kind) if kind == "lreal" else (f"held({kind.upper()!r}, abs({text}))", kind)
        if name in _MATH:
            if any(kind != "lreal" for _, kind in values):
                raise FaultError(f"{name} of {values}")
            return f"library({name!r}, {', '.join(text for text, _ in values)})", "lreal"
        if name.startswith("LREAL_TRUNC_"):
            to = name.removeprefix("LREAL_TRUNC_")
            return f"cut({self._fitting(*values[0], 'lreal')}, {to!r})", to.lower()
        kind, _, to = name.partition("_TO_")
        text = self._fitting(*values[0], kind.lower())
        return f"converted({text}, {kind!r}, {to!r})", to.lower()
