"""Layouts whose parts move, from a seed: lists, text lines, strings, labels and packed numbers in one another."""

from __future__ import annotations

import random
from collections.abc import Iterator
from fractions import Fraction
from uuid import UUID

from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Coverage,
    Crc,
    ElementCase,
    Elements,
    Expression,
    Field,
    FieldKind,
    Group,
    Labels,
    Layout,
    NamedValue,
    Packed,
    Part,
    RawSet,
    Repeat,
    Run,
    Selected,
    Sum,
    TextLine,
    Xor,
)
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.validate import check_layout

K = FieldKind
_RATIOS = Fraction(1), Fraction(1), Fraction(1, 10), Fraction(-5, 2), Fraction(3, 7)
_DEEPEST = 2


class MovingMaker:
    """Makes layouts from one source of chance."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self._numbers = iter(range(1 << 30))

    def layouts(self, count: int) -> Iterator[Layout]:
        """Yield so many layouts that validation has nothing against."""
        made = 0
        while made < count:
            layout = self._layout(made)
            if not check_layout(layout):
                yield layout
                made += 1

    def identity(self) -> UUID:
        return UUID(int=self.chance.getrandbits(128), version=4)

    def _called(self, word: str) -> str:
        return f"{word} {next(self._numbers)}"

    def _is(self, share: float) -> bool:
        return self.chance.random() < share

    def _layout(self, number: int) -> Layout:
        fields = [self._field(0), self._field(1, kind=K.UNSIGNED)]
        parts, counting = self._parts(fields, depth=0)
        fields += counting
        size = max(field.places.size_needed for field in fields)
        checks, computed = self._around(fields, parts, size)
        applies = Applies(address=self.chance.randint(0, 0x7FF), pattern=self.chance.choice(["", "", "5? ??"]))
        if checks and applies.pattern:
            applies = Applies(address=5)
        return Layout(id=self.identity(), name=f"Message {number}", applies=applies, size=size, fields=tuple(fields),
                      parts=parts, checks=checks, computed=computed)  # fmt: skip

    def _around(self, fields: list[Field], parts: tuple[Part, ...], size: int):
        checks: list[object] = []
        if self._is(0.4):
            first = fields[0]
            over = Coverage(first=Expression(str(first.places.size_needed)), end=Expression("size"))
            if first.kind is K.UNSIGNED and (first.ratio, first.offset) == (1, 0):
                checks.append(Xor(id=self.identity(), name="held", field=first.id, coverage=over))
        computed = ()
        if self._is(0.4):
            twice = Expression(f"`{fields[1].name}` * 2 + size")
            computed = (Computed(id=self.identity(), name="made", expression=twice),)
        return tuple(checks), computed

    def _field(self, byte: int, *, kind: FieldKind | None = None) -> Field:
        if kind is not None:
            return self._placed(self._called("n"), byte, 1, kind)
        chosen = self.chance.choice([K.UNSIGNED, K.SIGNED, K.GRAY, K.BCD])
        return self._placed(self._called("f"), byte, 1, chosen)

    def _placed(self, name: str, byte: int, width: int, kind: FieldKind) -> Field:
        places = parse_places(" ".join(f"B{byte + k}" for k in range(width)))
        ratio = self.chance.choice(_RATIOS) if kind is K.SIGNED else Fraction(1)
        return Field(id=self.identity(), name=name, places=places, kind=kind, ratio=ratio)

    # parts

    def _parts(self, fields: list[Field], *, depth: int) -> tuple[tuple[Part, ...], list[Field]]:
        """Return parts, and the fields that say how many or whether, which stand behind the given ones."""
        byte = max(field.places.size_needed for field in fields)
        counting: list[Field] = []
        parts: list[Part] = []
        for _ in range(self.chance.randint(1, 3 - depth)):
            made, said = self._part(byte + len(counting), depth, to_the_end=False)
            counting += said
            parts.append(made)
        if self._is(0.4):
            made, said = self._part(byte + len(counting), depth, to_the_end=True)
            counting += said
            parts.append(made)
        return tuple(parts), counting

    def _part(self, byte: int, depth: int, *, to_the_end: bool) -> tuple[Part, list[Field]]:
        makers = [self._run, self._line, self._group, self._packed, self._elements, self._labels]
        if depth < _DEEPEST:
            makers += [self._once, self._array_of_parts]
        part, counting = self.chance.choice(makers)(byte, depth, to_the_end)
        if not counting and self._is(0.25) and depth == 0:
            flag = Field(id=self.identity(), name=self._called("flag"), places=parse_places(f"B{byte}"))
            import msgspec

            return msgspec.structs.replace(part, selected=Selected(flag.id, RawSet([(1, 100)]))), [flag]
        return part, counting

    def _named(self, word: str) -> dict:
        return {"id": self.identity(), "name": self._called(word)}

    def _said(self, byte: int) -> tuple[Expression, list[Field]]:
        field = Field(id=self.identity(), name=self._called("count"), places=parse_places(f"B{byte}"))
        return Expression(f"`{field.name}`"), [field]

    def _run(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        if self._is(0.3):
            field = self._column(digits=4)
            return Run(**self._named("digits"), field=field, length=Expression("4")), []
        kind = self.chance.choice([K.TEXT, K.BYTES])
        field = Field(id=self.identity(), name=self._called("text"), kind=kind)
        if to_the_end:
            return Run(**self._named("rest"), field=field), []
        if self._is(0.3):
            return Run(**self._named("run"), field=field, end=self.chance.choice(["00", "0D0A"])), []
        if self._is(0.3):
            return Run(**self._named("run"), field=field, length=Expression(str(self.chance.randint(1, 6)))), []
        said, counting = self._said(byte)
        return Run(**self._named("run"), field=field, length=said), counting

    def _labels(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        field = Field(id=self.identity(), name=self._called("name"), kind=K.TEXT)
        return Labels(**self._named("labels"), field=field, pointers=self._is(0.5)), []

    def _column(self, digits: int = 0) -> Field:
        named = {"id": self.identity(), "name": self._called("column")}
        if digits:
            base = self.chance.choice([16, 16, 2])
            return Field(**named, base=base, digits=digits, kind=self.chance.choice([K.UNSIGNED, K.SIGNED]))
        sort = self.chance.choice(["text", "names", "decimal", "decimal", "float", "hex", "binary"])
        if sort == "text":
            return Field(**named, kind=K.TEXT)
        if sort == "names":
            return Field(**named, kind=K.NAMES, names=(NamedValue(ord("A"), "valid"), NamedValue(7, "seven")))
        scale = {"ratio": self.chance.choice(_RATIOS), "offset": self.chance.choice([Fraction(0), Fraction(-40)])}
        if sort == "float":
            return Field(**named, kind=K.FLOAT, **scale)
        kind = self.chance.choice([K.UNSIGNED, K.SIGNED])
        if sort == "decimal":
            return Field(**named, kind=kind, digits=self.chance.choice([0, 0, 5]), **scale)
        base = 16 if sort == "hex" else self.chance.choice([2, 8])
        return Field(**named, kind=kind, base=base, digits=self.chance.choice([0, 4]), **scale)

    def _line(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        columns = tuple(self._column() for _ in range(self.chance.randint(1, 4)))
        marks = {"begins": self.chance.choice(["", "$", "!:"]), "ends": self.chance.choice(["*", "\r\n"])}
        told: dict = {"separator": self.chance.choice([",", ";"]), "quote": self.chance.choice(["", '"'])}
        if self._is(0.35):
            repeat = self.chance.choice([Repeat.COUNT, Repeat.TO_END])
            said, counting = self._said(byte) if repeat is Repeat.COUNT else (None, [])
            told |= {"repeat": repeat, "amount": said}
            return TextLine(**self._named("rows"), columns=columns, **marks, **told), counting
        return TextLine(**self._named("line"), columns=columns, goes_on=self._is(0.15), **marks, **told), []

    def _group(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        fields = (self._field(0), self._placed(self._called("wide"), 1, 2, K.SIGNED))
        repeat = Repeat.TO_END if to_the_end else self.chance.choice([Repeat.COUNT, Repeat.BYTES, Repeat.UNTIL])
        told: dict = {"size": self.chance.choice([3, 4]), "fields": fields, "repeat": repeat}
        counting: list[Field] = []
        if repeat is Repeat.UNTIL:
            told["end"] = self.chance.choice(["FFFF", "00"])
        elif repeat is Repeat.COUNT and self._is(0.3):
            told["amount"] = Expression(str(self.chance.randint(1, 4)))
        elif repeat is not Repeat.TO_END:
            told["amount"], counting = self._said(byte)
        if self._is(0.3):
            check = self._placed(self._called("check"), 3, 1, K.UNSIGNED)
            told |= {"size": 4, "fields": (*fields, check)}
            over = Coverage(end=Expression("size - 1"))
            made = self.chance.choice([Xor, Sum])
            told["checks"] = (made(id=self.identity(), name=self._called("holds"), field=check.id, coverage=over),)
        if self._is(0.3):
            value = Expression(f"`{fields[1].name}` * 0.5 + raw(`{fields[0].name}`)")
            told["computed"] = (Computed(id=self.identity(), name=self._called("half"), expression=value),)
        return Group(**self._named("items"), **told), counting

    def _once(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        fields = [self._field(0)]
        parts, counting = self._parts(fields, depth=depth + 1) if self._is(0.6) else ((), [])
        fields += counting
        size = max(field.places.size_needed for field in fields)
        told: dict = {"align": self.chance.choice([1, 1, 2])}
        said: list[Field] = []
        if self._is(0.3):
            told["limit"], said = self._said(byte)
        if self._is(0.3):
            check = self._placed(self._called("check"), size, 2, K.UNSIGNED)
            over = Coverage(first=Expression("0"), end=Expression("size"))
            told["checks"] = (Crc(id=self.identity(), name=self._called("crc"), field=check.id, coverage=over, width=16,
                                  polynomial=0x1021, start=0xFFFF),)  # fmt: skip
            fields.append(check)
            size += 2
        return Group(**self._named("part"), size=size, fields=tuple(fields), parts=parts, **told), said

    def _array_of_parts(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        fields = [self._field(0)]
        parts, counting = self._parts(fields, depth=depth + 1)
        fields += counting
        size = max(field.places.size_needed for field in fields)
        repeat = Repeat.TO_END if to_the_end else self.chance.choice([Repeat.COUNT, Repeat.BYTES])
        said, outside = (None, []) if repeat is Repeat.TO_END else self._said(byte)
        return Group(**self._named("records"), size=size, fields=tuple(fields), parts=parts, repeat=repeat,
                     amount=said), outside  # fmt: skip

    def _packed(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        bits = self.chance.choice([1, 3, 4, 12, 20])
        kind = self.chance.choice([K.UNSIGNED, K.SIGNED]) if bits > 1 else K.UNSIGNED
        field = Field(id=self.identity(), name=self._called("cell"), kind=kind, ratio=self.chance.choice(_RATIOS))
        repeat = Repeat.TO_END if to_the_end else self.chance.choice([Repeat.COUNT, Repeat.BYTES])
        said, counting = (None, []) if repeat is Repeat.TO_END else self._said(byte)
        return Packed(**self._named("cells"), field=field, bits=bits, repeat=repeat, amount=said,
                      low_first=self._is(0.5)), counting  # fmt: skip

    def _elements(self, byte: int, depth: int, to_the_end: bool) -> tuple[Part, list[Field]]:
        kind = Field(id=self.identity(), name=self._called("type"), places=parse_places("B0"))
        length = Field(id=self.identity(), name=self._called("length"), places=parse_places("B1"))
        cases = []
        for number in range(1, self.chance.randint(2, 4)):
            fields = [self._field(0)]
            parts, counting = self._parts(fields, depth=_DEEPEST) if self._is(0.4) else ((), [])
            cases.append(ElementCase(id=self.identity(), name=self._called("case"), types=RawSet.of(number),
                                     fields=(*fields, *counting), parts=parts))  # fmt: skip
        told: dict = {"ends": RawSet.of(0)} if self._is(0.5) else {}
        if self._is(0.3):
            told["alone"] = RawSet.of(9)
        counting = []
        if not to_the_end:
            told["amount"], counting = self._said(byte)
        told |= {"head": self.chance.choice([2, 2, 4]), "extra": self.chance.choice([0, 0, -2])}
        return Elements(**self._named("options"), type=kind, length=length, cases=tuple(cases), **told), counting
