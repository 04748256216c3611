"""Layouts of every sort of field and check, from a seed: what generated code is compared with the codec over."""

from __future__ import annotations

import random
from collections.abc import Iterator
from fractions import Fraction
from uuid import UUID

from zesty_abacus.core.layouts.model import (
    AddressKey,
    Applies,
    Carry,
    Complement,
    Computed,
    Counter,
    Coverage,
    Crc,
    CurvePoint,
    Expression,
    Field,
    FieldKind,
    Group,
    Layout,
    NamedValue,
    RawSet,
    Repeat,
    Rule,
    Run,
    Selected,
    Sum,
    Xor,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.validate import check_layout

K = FieldKind
_NUMBERS = (K.UNSIGNED, K.SIGNED, K.SIGN_MAGNITUDE, K.ONES_COMPLEMENT, K.GRAY, K.BCD, K.BCD_BYTES, K.FLOAT)
_RATIOS = (Fraction(1), Fraction(1), Fraction(1, 10), Fraction(3, 7), Fraction(-5, 2), Fraction(10),
           Fraction(1, 1 << 40), Fraction(355, 113), Fraction(10**15 + 1, 3))  # fmt: skip
_OFFSETS = (Fraction(0), Fraction(0), Fraction(-40), Fraction(5463, 20), Fraction(1, 3))
_WIDTHS = [1, 2, 3, 5, 7, 8, 9, 12, 16, 24, 31, 32, 33, 63, 64]
_RULES = (
    "a == 3", "a + 1 == b", "raw(b) & 0x0F == a", "size - 2 == a", "a < b or b >= 2", "not (a == b)", "a // 3 == b % 5",
    "if(a > 7, b, a * 2) != 9", "round(a / 3) == b", "min(a, b) <= max(a, -b)", "(a << 2) ^ b > 12", "abs(a - b) > 2",
    "a - 1 == b", "b * 3 == a", "a * 0.5 == b", "b == a / 7", "b // 2 == a",
    "sqrt(a) < 11", "a * 0.5 + b >= 4", "~a & 0xFF == b", "b >> 2 == a", "address == a", "floor(b / 4) == a",
    "-raw(a) < -raw(b)", "abs(-raw(b)) == raw(b)", "-size + raw(a) > 2",
)  # fmt: skip


class Maker:
    """Makes layouts from one source of chance."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)

    def identity(self) -> UUID:
        return UUID(int=self.chance.getrandbits(128), version=4)

    def layouts(self, count: int) -> Iterator[Layout]:
        """Yield so many layouts that validation has nothing against."""
        made = 0
        while made < count:
            layout = self._layout(made)
            if not check_layout(layout):
                yield layout
                made += 1

    def _layout(self, number: int) -> Layout:
        size = self.chance.randint(2, 24)
        free = list(range(size * 8))
        fields: list[Field] = []
        for place in range(self.chance.randint(1, 7)):
            if (field := self._field(f"{'abcdefg'[place]}", free)) is not None:
                fields.append(field)
        fields = self._selected(fields)
        checks = tuple(self._checks(fields, free, size))
        applies = Applies(address=self.chance.randint(0, 0x7FF))
        if self.chance.random() < 0.15:
            applies = Applies(
                address=5, sizes=RawSet([(size - 1, size + 1)]), pattern=self.chance.choice(["", "?1", "5? ??"])
            )
        parts = tuple(self._parts(fields)) if not applies.sizes and self.chance.random() < 0.3 else ()
        return new_layout(
            f"Message {number}", applies, size, fields, checks=checks, computed=self._computed(fields), parts=parts
        )

    def _parts(self, fields: list[Field]) -> Iterator[object]:
        """Yield parts whose places can be told: a string, an array of so many items, one that a field counts."""
        chance = self.chance
        if chance.random() < 0.4:
            text = Field(id=self.identity(), name="tail", places=Places(()), kind=chance.choice([K.TEXT, K.BYTES]))
            yield Run(id=self.identity(), name="tail", field=text, length=Expression(str(chance.randint(1, 6))))
        counting = [one for one in fields if one.kind is K.UNSIGNED and len(one.places) <= 3
                    and (one.ratio, one.offset) == (1, 0) and not one.is_curved and not one.selected
                    and not one.unavailable and not one.errors]  # fmt: skip
        free = list(range(32))
        items = [made for place in range(chance.randint(1, 2)) if (made := self._field("xy"[place], free))]
        amount = counting[0].name if counting and chance.random() < 0.7 else str(chance.randint(1, 4))
        yield Group(id=self.identity(), name="cells", size=4, repeat=Repeat.COUNT, amount=Expression(amount),
                    align=chance.choice([1, 1, 2]), fields=tuple(items))  # fmt: skip

    def _places(self, width: int, free: list[int]) -> Places | None:
        if len(free) < width:
            return None
        if self.chance.random() < 0.3:
            bits = self.chance.sample(free, width)
        else:
            first = self.chance.randrange(0, len(free) - width + 1)
            bits = sorted(free[first : first + width], key=lambda bit: (bit // 8, -(bit % 8)))
            if self.chance.random() < 0.5:
                bits.sort(key=lambda bit: (-(bit // 8), -(bit % 8)))
        for bit in bits:
            free.remove(bit)
        return Places(bits)

    def _field(self, name: str, free: list[int]) -> Field | None:
        chance = self.chance
        kind = chance.choice([*_NUMBERS, K.UNSIGNED, K.SIGNED, K.FLAG, K.NAMES, K.BITS, K.TEXT, K.BYTES])
        widths = {K.FLAG: [1], K.FLOAT: [16, 32, 64], K.BCD: [4, 8, 12, 32, 64], K.BCD_BYTES: [8, 16, 64],
                  K.TEXT: [8, 24, 40], K.BYTES: [8, 16, 72]}.get(kind, _WIDTHS)  # fmt: skip
        width = chance.choice(widths)
        width = max(width, 2) if kind in (K.SIGN_MAGNITUDE, K.ONES_COMPLEMENT) else width
        places = self._places(width, free)
        if places is None:
            return None
        field = Field(id=self.identity(), name=name, places=places, kind=kind, inverted=chance.random() < 0.3)
        return self._with_meaning(field)

    def _with_meaning(self, field: Field) -> Field:
        chance, told = self.chance, {}
        low, high = field.raw_range()
        if field.kind.is_number and chance.random() < 0.6:
            told = {"ratio": chance.choice(_RATIOS), "offset": chance.choice(_OFFSETS)}
        if field.kind.is_number and chance.random() < 0.12:
            told["polynomial"] = tuple(Fraction(chance.randint(-9, 9), 4) for _ in range(chance.randint(1, 4)))
        elif field.kind.is_number and chance.random() < 0.12:
            xs = sorted(chance.sample(range(-50, 400), 4))
            told["table"] = tuple(CurvePoint(Fraction(x), Fraction(chance.randint(-90, 90), 7)) for x in xs)
        if field.kind in (K.NAMES, K.UNSIGNED, K.SIGNED) and (field.kind is K.NAMES or chance.random() < 0.2):
            raws = sorted(chance.sample(range(low, min(high, low + 40) + 1), min(3, high - low + 1)))
            told["names"] = tuple(NamedValue(raw, f"name {n}") for n, raw in enumerate(raws))
        if field.kind is K.BITS:
            told["names"] = (NamedValue(0, "lowest"),)
        if field.raw_is_number and field.kind not in (K.FLAG, K.BITS) and chance.random() < 0.25:
            one = chance.randint(low, high)
            told["unavailable"] = RawSet([(min(one, high), min(one + 2, high))])
        if field.raw_is_number and chance.random() < 0.1:
            told["errors"] = RawSet.of(chance.randint(low, high))
        if field.kind.is_number and chance.random() < 0.2:
            told["low"], told["high"] = Fraction(-3), Fraction(1000, 3)
        import msgspec

        return msgspec.structs.replace(field, **told)

    def _selected(self, fields: list[Field]) -> list[Field]:
        """Let some fields stand under an earlier one; of a few it stands behind them in the layout."""
        import msgspec

        usable = [one for one in fields if one.raw_is_number and one.kind is not K.FLOAT]
        if not usable or self.chance.random() < 0.5:
            return fields
        made = list(fields)
        for place, field in enumerate(fields):
            selector = self.chance.choice(usable)
            if fields.index(selector) < place and self.chance.random() < 0.6:
                low, high = selector.raw_range()
                values = RawSet([(low, (low + high) // 2)]) if self.chance.random() < 0.6 else RawSet.of(high)
                made[place] = msgspec.structs.replace(field, selected=Selected(selector.id, values))
        if self.chance.random() < 0.3:
            made.reverse()
        return made

    def _checks(self, fields: list[Field], free: list[int], size: int) -> Iterator[object]:
        chance = self.chance
        if chance.random() < 0.35:
            yield from self._over_bytes(fields, free, size)
        names = {one.name for one in fields if one.raw_is_number}
        if {"a", "b"} <= names and chance.random() < 0.6:
            yield Rule(id=self.identity(), name="rule", expression=Expression(chance.choice(_RULES)))
        twins = [(a, b) for a in fields for b in fields
                 if a is not b and len(a.places) == len(b.places) and a.raw_is_number and b.raw_is_number]  # fmt: skip
        if twins and chance.random() < 0.4:
            one, other = chance.choice(twins)
            yield Complement(id=self.identity(), name="twin", field=one.id, of=other.id)
        whole = [one for one in fields if one.kind is K.UNSIGNED]
        if whole and chance.random() < 0.2 and len(whole[0].places) > 1:
            yield Counter(id=self.identity(), name="count", field=whole[0].id)

    def _over_bytes(self, fields: list[Field], free: list[int], size: int) -> Iterator[object]:
        chance = self.chance
        width = chance.choice([4, 8, 8, 16, 32])
        places = self._places(width, free)
        if places is None:
            return
        kind = chance.choice([K.UNSIGNED, K.UNSIGNED, K.UNSIGNED, K.SIGNED, K.GRAY])
        fields.append(Field(id=self.identity(), name="held", places=places, kind=kind, inverted=chance.random() < 0.2))
        coverage = Coverage(
            first=Expression(chance.choice(["0", "0", "1"])),
            end=Expression(chance.choice(["size", "size - 1", str(size)])),
        )
        if chance.random() < 0.3:
            bits = chance.sample(range(size * 8), chance.choice([8, 16, 8 * (size // 2)]))
            coverage = Coverage(places=Places(bits))
        if chance.random() < 0.25:
            import msgspec

            coverage = msgspec.structs.replace(
                coverage, key_before="5AC3", key_after="01", address_bytes=chance.choice([0, 2, 4]),
                address_low_first=chance.random() < 0.5, keys=(AddressKey(5, "AABB"),),
            )  # fmt: skip
        told = {"id": self.identity(), "name": "over bytes", "field": fields[-1].id, "coverage": coverage}
        sort = chance.choice(["crc", "sum", "xor"])
        if sort == "crc":
            bits = chance.choice([width, 8, 5, 64, 16])
            yield Crc(**told, width=bits, polynomial=chance.getrandbits(bits), start=chance.getrandbits(bits),
                      final=chance.getrandbits(bits), reflect_in=chance.random() < 0.5,
                      reflect_out=chance.random() < 0.5)  # fmt: skip
        elif sort == "sum":
            halves = chance.random() < 0.2
            yield Sum(
                **told, word_bytes=1 if halves else chance.choice([1, 2, 4]), low_byte_first=chance.random() < 0.5,
                start=chance.choice([0, 7, 255]), carry=chance.choice(list(Carry)), word_bits=4 if halves else 8,
                negated=chance.choice(["none", "ones", "twos"]),
            )  # fmt: skip
        else:
            yield Xor(**told, start=chance.choice([0, 0x5A]), word_bits=chance.choice([4, 8]))

    def _computed(self, fields: list[Field]) -> tuple[Computed, ...]:
        names = {one.name for one in fields if one.raw_is_number}
        if not {"a", "b"} <= names or self.chance.random() < 0.6:
            return ()
        first = Computed(id=self.identity(), name="sum", expression=Expression("a + b * 0.5"))
        second = Computed(id=self.identity(), name="more", expression=Expression("if(sum > 10, sum - size, raw(a))"))
        third = Computed(id=self.identity(), name="apart", expression=Expression("raw(b) + 1"))
        fourth = Computed(id=self.identity(), name="last", expression=Expression("apart / 2 + sum * 0"))
        return first, second, third, fourth
