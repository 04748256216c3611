"""What is written is read again, whatever the language lets move: random layouts, and values without their counts."""

from __future__ import annotations

from dataclasses import dataclass, field
from random import Random
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.codec.frames import decoded_of
from tests.codec.test_moving import cell
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.layouts.model import (
    Applies,
    Coverage,
    ElementCase,
    Elements,
    Expression,
    FieldKind,
    Group,
    Packed,
    RawSet,
    Repeat,
    Run,
    Selected,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

ANY = Applies(protocol="serial")
NONE = Places(())


@dataclass
class Said:
    """Values as they are given, and what is to be read of them."""

    given: dict = field(default_factory=dict)
    once: dict = field(default_factory=dict)
    arrays: dict = field(default_factory=dict)

    def value(self, name, value, read=None):
        self.given[name] = value
        self.once[name] = value if read is None else read


class Voyage:
    """Makes up a layout and, part by part, what says values for it: functions of what is said so far."""

    def __init__(self, dice: Random):
        self.dice = dice
        self.count = 0

    def name(self, word):
        self.count += 1
        return f"{word}{self.count}"

    def block(self, depth, *, least=0):
        """Return fields with scattered bits, the bytes they take, parts behind them, and what says their values."""
        dice = self.dice
        widths = [dice.randint(1, 12) for _ in range(dice.randint(least, 2))]
        kinds = [dice.choice(list(PARTS)) for _ in range(dice.randint(0, 3))] if depth else []
        bits = list(range(-(-(sum(widths) + 8 * len(kinds)) // 8) * 8))
        if dice.random() < 0.5:
            dice.shuffle(bits)
        places = [Places(tuple(bits.pop() for _ in range(width))) for width in widths + [8] * len(kinds)]
        values = [new_field(self.name("value"), where) for where in places[: len(widths)]]
        heads = [new_field(self.name("head"), where) for where in places[len(widths) :]]
        parts, sayings = [], []
        for kind, head in zip(kinds, heads, strict=True):
            part, says = PARTS[kind](self, depth - 1, head)
            parts.append(part)
            sayings.append(says)

        def say(said, *, absent=False):
            for one in values:
                if absent:
                    said.once[one.name] = "absent"
                else:
                    said.value(one.name, dice.randrange(2 ** len(one.places)))
            for says in sayings:
                says(said, absent=absent)

        size = max((one.places.size_needed for one in (*values, *heads)), default=0)
        return (*values, *heads), max(size, least), tuple(parts), say

    def settings(self):
        return {"id": uuid4(), "align": self.dice.choice([1, 1, 1, 2])}


# parts: each makes itself of a head, which says how much there is of it or whether, and a function that says values


def once(voyage, depth, head):
    """A group that a flag may leave out, or that begins where the head says."""
    fields, size, parts, say = voyage.block(depth, least=1)
    how = voyage.dice.choice(["plain", "optional", "moved", "limited"])
    settings = voyage.settings()
    if how == "optional":
        settings["selected"] = Selected(head.id, RawSet.of(voyage.dice.randint(1, 255)))
    elif how == "moved":
        settings |= {"start": Expression(f"{head.name} + {voyage.dice.randint(0, 2)}"), "align": 1}
    elif how == "limited":
        settings["limit"] = Expression(head.name)
    group = Group(name=voyage.name("group"), size=size, fields=fields, parts=parts, **settings)

    def says(said, *, absent):
        say(said, absent=absent or (how == "optional" and voyage.dice.random() < 0.4))

    return group, says


def array(voyage, depth, head):
    """Items by count, by bytes, with a check of their own now and then."""
    fields, size, parts, say = voyage.block(depth, least=1)
    repeat = voyage.dice.choice([Repeat.COUNT, Repeat.COUNT, Repeat.BYTES])
    amount = head.name
    if repeat is Repeat.COUNT:
        amount = voyage.dice.choice(AMOUNTS).format(head.name)
    checks = ()
    if voyage.dice.random() < 0.3:
        sum_field = new_field(voyage.name("check"), at(f"B{size}"))
        fields, size = (*fields, sum_field), size + 1
        coverage = Coverage(end=Expression("size"))
        checks = (Xor(id=uuid4(), name=voyage.name("xor"), field=sum_field.id, coverage=coverage),)
    group = Group(name=voyage.name("array"), size=size, fields=fields, parts=parts, repeat=repeat, checks=checks,
                  amount=Expression(amount), **voyage.settings())  # fmt: skip

    def says(said, *, absent):
        if not absent:
            items = [Said(arrays=said.arrays) for _ in range(2 * voyage.dice.randint(1, 2))]
            for item in items:
                say(item)
            said.given[group.name] = [item.given for item in items]
            said.arrays.setdefault(group.name, []).extend(item.once for item in items)

    return group, says


def until(voyage, depth, head):
    """Items up to a byte that none begins with."""
    inside = new_field(voyage.name("value"), at("B0"))
    group = Group(name=voyage.name("list"), size=1, fields=(inside,), repeat=Repeat.UNTIL, end="FF",
                  **voyage.settings())  # fmt: skip

    def says(said, *, absent):
        if not absent:
            items = [{inside.name: voyage.dice.randrange(255)} for _ in range(voyage.dice.randint(0, 3))]
            said.given[group.name] = items
            said.arrays.setdefault(group.name, []).extend(items)

    return group, says


def packed(voyage, depth, head):
    """Numbers without gaps."""
    inside = new_field(voyage.name("value"), NONE)
    bits = voyage.dice.choice([1, 3, 4, 5, 8, 12, 13])
    part = Packed(name=voyage.name("packed"), bits=bits, field=inside, repeat=Repeat.COUNT,
                  amount=Expression(head.name), low_first=voyage.dice.random() < 0.5, **voyage.settings())  # fmt: skip

    def says(said, *, absent):
        if not absent:
            numbers = [voyage.dice.randrange(2**bits) for _ in range(voyage.dice.randint(0, 9))]
            said.given[part.name] = numbers
            said.arrays.setdefault(part.name, []).extend({inside.name: number} for number in numbers)

    return part, says


def run(voyage, depth, head):
    """Bytes with a length, or up to an end."""
    inside = new_field(voyage.name("bytes"), NONE, FieldKind.BYTES)
    how = voyage.dice.choice([{"length": Expression(head.name)}, {"end": "0D0A"}])
    part = Run(name=voyage.name("run"), field=inside, **how, **voyage.settings())

    def says(said, *, absent):
        content = bytes(voyage.dice.randrange(32, 256) for _ in range(voyage.dice.randint(0, 6)))
        if absent:
            said.once[inside.name] = "absent"
        else:
            said.value(inside.name, content.hex(" "), content)

    return part, says


def elements(voyage, depth, head):
    """Type, length and value, as many bytes as the head says."""
    inside = new_field(voyage.name("value"), at("B1 B0"))
    case = ElementCase(id=uuid4(), name=voyage.name("case"), types=RawSet.of(7), fields=(inside,))
    part = Elements(
        name=voyage.name("elements"), head=2, type=new_field(voyage.name("type"), at("B0")), cases=(case,),
        length=new_field(voyage.name("length"), at("B1")), extra=voyage.dice.choice([0, -2]),
        amount=Expression(head.name), **voyage.settings(),
    )  # fmt: skip

    def says(said, *, absent):
        if not absent:
            values = [voyage.dice.randrange(65536) for _ in range(voyage.dice.randint(0, 3))]
            said.given[part.name] = [[case.name, {inside.name: value}] for value in values]
            said.arrays.setdefault(case.name, []).extend({inside.name: value} for value in values)

    return part, says


PARTS = {"once": once, "array": array, "until": until, "packed": packed, "run": run, "elements": elements}
AMOUNTS = (
    "{}",
    "{} + 1",
    "{} - 3",
    "{} * 2",
    "{} // 2",
    "({} + 3) // 4",
    "{} & 0x3F",
    "7 - {}",
    "if({0} > 5, {0} - 5, 0)",
)


@given(st.integers(0, 2**32))
def test_what_is_written_is_read_again(seed):
    voyage = Voyage(Random(seed))
    fields, size, parts, say = voyage.block(2, least=1)
    layout = new_layout("m", ANY, size, fields, parts=parts)
    assert check_layout(layout) == []
    said = Said()
    say(said)
    payload = encode_message(layout, said.given).payload
    decoded = decoded_of(layout, payload)
    once = {column.field.name: cell(column, 0) for column in decoded.columns.values()}
    assert {name: once[name] for name in said.once} == said.once, payload.hex()
    items = {
        array.name: [{c.field.name: cell(c, row) for c in array.columns.values()} for row in range(len(array))]
        for array in decoded.arrays.values()
    }
    for name, wanted in said.arrays.items():
        assert len(items.get(name, [])) == len(wanted), (name, payload.hex())
        found = [{key: one[key] for key in other} for one, other in zip(items.get(name, []), wanted, strict=True)]
        assert found == wanted, (name, payload.hex())
    assert decoded.cut is None or not decoded.cut.any(), payload.hex()


# single structures


def pack(amount, width=8):
    count = new_field("count", at("B0" if width == 8 else "B0 B1"))
    cells = Group(id=uuid4(), name="cells", size=1, fields=(new_field("cell", at("B0")),), repeat=Repeat.COUNT,
                  amount=Expression(amount))  # fmt: skip
    return new_layout("pack", ANY, width // 8, [count], parts=(cells,))


@pytest.mark.parametrize(
    ("amount", "count"),
    [("count // 2", 8), ("(count + 3) // 4", 13), ("count & 0x3F", 4), ("7 - count", 3), ("sqrt(count)", 16),
     ("if(count < 9, count, 2 * count)", 4), ("256 // (count + 1)", 51), ("count ^ 1", 5)],
)  # fmt: skip
def test_a_count_is_worked_out_whatever_says_it(amount, count):
    payload = encode_message(pack(amount), {"cells": [1, 2, 3, 4]}).payload
    assert payload == bytes([count, 1, 2, 3, 4])


def test_a_wide_count_is_found_by_halves_and_one_that_cannot_be_is_told():
    assert encode_message(pack("count // 1000", 16), {"cells": [1, 2]}).payload[:2].hex() == f"{2000:04x}"
    with pytest.raises(EncodeError, match="cells has 3"):
        encode_message(pack("count * 2"), {"cells": [1, 2, 3]})


def test_parts_in_a_group_begin_where_it_says_counted_from_the_group():
    inner = Group(id=uuid4(), name="inner", size=1, fields=(new_field("depth", at("B0")),), start=Expression("where"))
    outer = Group(id=uuid4(), name="outer", size=1, fields=(new_field("where", at("B0")),), parts=(inner,))
    layout = new_layout("m", ANY, 3, [new_field("lead", at("B0..B2"))], parts=(outer,))
    assert encode_message(layout, {"lead": 1, "depth": 9}).payload.hex(" ") == "00 00 01 01 09"
    assert encode_message(layout, {"lead": 1, "where": 3, "depth": 9}).payload.hex(" ") == "00 00 01 03 00 00 09"


def test_parts_in_a_group_stand_at_steps_counted_from_the_group():
    inner = Group(id=uuid4(), name="inner", size=1, fields=(new_field("depth", at("B0")),), align=4)
    outer = Group(id=uuid4(), name="outer", size=1, fields=(new_field("mark", at("B0")),), parts=(inner,))
    layout = new_layout("m", ANY, 1, [new_field("lead", at("B0"))], parts=(outer,))
    payload = encode_message(layout, {"lead": 1, "mark": 2, "depth": 9}).payload
    assert payload.hex(" ") == "01 02 00 00 00 09"
    assert cell(next(c for c in decoded_of(layout, payload).columns.values() if c.field.name == "depth"), 0) == 9


def test_what_cannot_be_written_says_in_which_item_it_stands():
    inside = Group(id=uuid4(), name="marks", size=1, fields=(new_field("mark", at("B0")),), repeat=Repeat.COUNT,
                   amount=Expression("marks_there"))  # fmt: skip
    numbers = Packed(id=uuid4(), name="samples", bits=4, field=new_field("sample", NONE), repeat=Repeat.COUNT,
                     amount=Expression("samples_there"))  # fmt: skip
    rows = Group(
        id=uuid4(), name="rows", size=2, repeat=Repeat.COUNT, amount=Expression("count"), parts=(inside, numbers),
        fields=(new_field("marks_there", at("B0")), new_field("samples_there", at("B1"))),
    )  # fmt: skip
    layout = new_layout("m", ANY, 1, [new_field("count", at("B0"))], parts=(rows,))
    good = {"marks": [1], "samples": [1, 2]}
    for wrong, sentence in (
        ({"marks": [1, 300]}, "rows[1].marks[1].mark: 300 does not fit: it holds 0 to 255."),
        ({"samples": [0, 0, 16]}, "rows[1].samples[2].sample: 16 does not fit: it holds 0 to 15."),
        ({"samples": ["x"]}, "rows[1].samples[0].sample: 'x' is no value for it."),
        ({"marks_there": -1}, "rows[1].marks_there: -1 does not fit: it holds 0 to 255."),
    ):
        with pytest.raises(EncodeError) as told:
            encode_message(layout, {"rows": [good, good | wrong]})
        assert told.value.sentence == sentence
    encoded = encode_message(layout, {"rows": [good, {"marks": [1.25], "samples": [1, 2.25]}]})
    assert set(encoded.losses) == {"rows[1].marks[0].mark", "rows[1].samples[1].sample"}
    with pytest.raises(EncodeError) as told:
        encode_message(layout, {"count": 999})
    assert told.value.sentence == "count: 999 does not fit: it holds 0 to 255."
