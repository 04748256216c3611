"""A second, slow way to read layouts that move: one frame, one byte at a time, sharing no code with the codec."""

from __future__ import annotations

from fractions import Fraction

from zesty_abacus.core.expressions.exactly import evaluate_exactly
from zesty_abacus.core.layouts.model import Elements, Group, Repeat, Run, TextLine

from .oracle import raw_bits


class Read:
    """What a frame holds: raw numbers and bytes by name, arrays as lists of the same, and whether it was cut."""

    def __init__(self):
        self.once = {}
        self.arrays = {}
        self.cut = False


def read_frame(layout, payload: bytes) -> Read:
    """Read a frame of unsigned, unscaled fields."""
    read = Read()
    read.cut = len(payload) < layout.size
    scope = {"size": len(payload)}
    _fields(layout.fields, payload, 0, len(payload), scope, read.once)
    _parts(layout.parts, payload, 0, layout.size, len(payload), scope, read.once, read)
    return read


def _fields(fields, payload, start, limit, scope, into):
    part = payload[start : max(start, limit)]
    for field in fields:
        if field.selected is not None and scope.get(field.selected.field) not in field.selected.values:
            into[field.name] = "absent"
        elif len(part) < field.places.size_needed:
            into[field.name] = "short"
        else:
            raw = raw_bits(field.places.bits, part)
            into[field.name] = raw
            scope[field.name] = scope[field.id] = raw


def _number(expression, scope):
    names = {name: Fraction(value) for name, value in scope.items() if isinstance(name, str)}
    return int(evaluate_exactly(expression, {n: names.get(n) for n in expression.names}) or 0)


def _parts(parts, payload, origin, cursor, limit, scope, into, read):
    for part in parts:
        begin = cursor
        if part.start is not None:
            begin = origin + _number(part.start, scope)
        while (begin - origin) % part.align:
            begin += 1
        if part.selected is not None and scope.get(part.selected.field) not in part.selected.values:
            _mark_absent(part, into)
            continue
        cursor = _one(part, payload, begin, limit, scope, into, read)
    return cursor


def _mark_absent(part, into):
    if isinstance(part, Group) and part.repeat is Repeat.ONCE:
        into.update({field.name: "absent" for field in part.fields})
        for inner in part.parts:
            _mark_absent(inner, into)
    elif isinstance(part, Run):
        into[part.field.name] = "absent"


def _one(part, payload, begin, limit, scope, into, read):
    if isinstance(part, Run):
        return _run(part, payload, begin, limit, scope, into, read)
    if isinstance(part, Elements):
        return _elements(part, payload, begin, limit, scope, read)
    assert isinstance(part, Group), TextLine
    if part.repeat is Repeat.ONCE:
        return _item(part, payload, begin, limit, scope, into, read)
    return _array(part, payload, begin, limit, scope, read)


def _item(part, payload, begin, limit, scope, into, read):
    if limit - begin < part.size:
        read.cut = True
    _fields(part.fields, payload, begin, limit, scope, into)
    return _parts(part.parts, payload, begin, begin + part.size, limit, scope, into, read)


def _array(part, payload, begin, limit, scope, read):
    amount = _number(part.amount, scope) if part.amount is not None else 0
    items = read.arrays.setdefault(part.name, [])
    place = begin
    if part.repeat is Repeat.COUNT:
        for _ in range(amount):
            if place >= limit:
                read.cut = True
                break
            items.append({})
            place = _item(part, payload, place, limit, dict(scope), items[-1], read)
        return begin + amount * part.size if not part.parts else place
    end = min(limit, begin + amount) if part.repeat is Repeat.BYTES else limit - amount
    whole = begin + amount // part.size * part.size
    if part.repeat is Repeat.BYTES and begin < whole > limit and not part.parts:
        read.cut = True
        end = whole
        while place < min(end, limit):
            items.append({})
            place = _item(part, payload, place, limit, dict(scope), items[-1], read)
        return begin + amount
    while place + part.size <= end:
        items.append({})
        place = _item(part, payload, place, limit, dict(scope), items[-1], read)
    return begin + amount if part.repeat is Repeat.BYTES else place


def _run(part, payload, begin, limit, scope, into, read):
    rest = payload[begin:limit]
    if part.length is not None:
        length = _number(part.length, scope)
        into[part.field.name] = rest[:length] if len(rest) >= length and begin <= limit else "short"
        read.cut |= into[part.field.name] == "short"
        return max(min(begin + length, limit), begin)
    if part.end:
        found = rest.find(bytes.fromhex(part.end))
        if found < 0 or begin > limit:
            into[part.field.name], read.cut = "short", True
            return max(limit, begin)
        into[part.field.name] = rest[:found]
        return begin + found + len(part.end) // 2
    into[part.field.name] = rest if begin <= limit else "short"
    read.cut |= begin > limit
    return max(limit, begin)


def _elements(part, payload, begin, limit, scope, read):
    listed = read.arrays.setdefault(part.name, [])
    place = begin
    while place < limit:
        head = payload[place:limit]
        if len(head) >= part.type.places.size_needed:
            kind = raw_bits(part.type.places.bits, head)
            if kind in part.alone:
                listed.append({part.type.name: kind, part.length.name: "absent"})
                for case in part.cases:
                    if kind in case.types:
                        inner = {}
                        _fields(case.fields, b"", 0, 0, dict(scope), inner)
                        read.arrays.setdefault(case.name, []).append(inner)
                place += part.type.places.size_needed
                continue
            if kind in part.ends:
                return place + part.type.places.size_needed
        if len(head) < part.head:
            read.cut = True
            return limit
        length = raw_bits(part.length.places.bits, head)
        size = length * part.length_unit + part.extra
        if size < 0:
            return place
        value = payload[place + part.head : min(limit, place + part.head + size)]
        read.cut |= len(value) < size
        listed.append({part.type.name: kind, part.length.name: length})
        for case in part.cases:
            if kind in case.types:
                inner = {}
                _fields(case.fields, value, 0, len(value), dict(scope), inner)
                read.arrays.setdefault(case.name, []).append(inner)
        place += part.head + len(value)
    return place
