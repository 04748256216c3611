"""Guesses from the first lines of a text table what its columns mean."""

from __future__ import annotations

import itertools
import re
from functools import lru_cache

from ..frames.flags import flags_of_direction
from .columns import Columns, cells_before_tail, split_line
from .time_guess import NUMBER, most, named_unit, numeric, rising, time_unit, times_written_out, written_out

_SEPARATORS = "\t;,|"
_PAIRS = r"[0-9A-Fa-f]{2}([ :-][0-9A-Fa-f]{2})+"
"""Bytes in hex that stand apart."""
_PAIRS_OF_A_TIME = 3
"""``12-05-26`` and ``08:30`` are pairs as well."""
_IDENTIFIER = r"0x[0-9A-Fa-f]{1,8}|[0-9A-Fa-f]{1,8}h|[0-9A-Fa-f]{3}|[0-9A-Fa-f]{8}"
_MOST_CELLS = 200
_MANY = 0.2
_SENTENCE = re.compile(r"[$!][0-9A-Z]{2,},.*\*[0-9A-Fa-f]{2}[\s\"]*$")
"""How a line of IEC 61162-1 ends, whatever stands before it."""


_OWN_NAMES = ("time_ns", "lane", "address")
"""What the columns of a table of frames begin with that this program writes."""


@lru_cache(maxsize=2)  # the formats of a table ask the same one after another
def guess_columns(head: str) -> Columns | None:
    """Guess separator, decimal sign, head lines and what each column is; None if this is no table."""
    lines = [line for line in head.splitlines() if line.strip()][:200]
    if lines and (
        lines[0].lstrip().startswith(("{", "[{")) or most([bool(_SENTENCE.search(line)) for line in lines], some=True)
    ):
        # rows of JSON and sentences have separators as well
        return None
    if len(lines) == 1 and (empty := _without_rows(lines[0])) is not None:
        return empty
    # where nothing is separated there is one column, which only a table with commas may have
    there = [one for one in (*_SEPARATORS, " ") if one == "," or any(one in line for line in lines)]
    made = [one for separator in there if (one := _with_separator(lines, separator)) is not None]
    best = max(made, key=_likely)[1] if made else None
    if best is not None and best.separator != " " and best.of_role("payload"):
        return best
    tail = _with_tail(lines)
    if tail is None:
        return best
    if best is None or not (best.of_role("payload") or best.of_role("byte")):
        return tail
    # what passes rows over to find one that fits is none
    return best if best.head_lines <= tail.head_lines else tail


def _likely(made: tuple[float, Columns]) -> tuple[bool, float]:
    """Order what a table may be: bytes with blanks between them are many columns, or one payload if there is one."""
    score, columns = made
    return columns.separator != " " and bool(columns.of_role("payload")), score


def _without_rows(line: str) -> Columns | None:
    """Return the columns of a table of frames in which nothing stands yet, by their names; None if it is none."""
    names = tuple(split_line(line, ","))
    # cells that could be anything leave it to the names
    roles = _roles(names, [["00"]] * len(names), ".")
    if not {"time", "payload"} <= set(roles) or any(re.fullmatch(NUMBER, name) for name in names):
        return None
    return Columns(separator=",", head_lines=1, names=names, roles=roles, time_unit=time_unit(names, roles, []))


def columns_named(names: tuple[str, ...], cells: list[list[str]]) -> Columns | None:
    """Return what named columns with some cells mean; None if they are not those of frames."""
    roles = _roles(names, cells, ".")
    if not {"payload", "byte"} & set(roles):
        return None
    return Columns(names=names, roles=roles, time_unit=time_unit(names, roles, cells), base=_base(names, roles, cells))


def _base(names: tuple[str, ...], roles: tuple[str, ...], cells: list[list[str]]) -> int:
    """Return the base of addresses: what their name says; digits alone are decimal, unless each is a single one.

    Those of a table that this program wrote are decimal, also where those that are looked at happen to be small.
    """
    said = [re.sub("[^a-z]", " ", name.lower()).split() for name, role in zip(names, roles, strict=True)
            if role == "address"]  # fmt: skip
    for word in itertools.chain(*said):
        if word in _BASES:
            return _BASES[word]
    words = [cell for number, role in enumerate(roles) if role == "address" for cell in cells[number]]
    are_digits = all(re.fullmatch(r"\d+", word) for word in words)
    is_own = names[:3] == _OWN_NAMES
    return 10 if are_digits and (is_own or any(int(word) > 9 for word in words)) else 16


def _with_separator(lines: list[str], separator: str) -> tuple[float, Columns] | None:
    rows = [split_line(line, separator) for line in lines]
    widths = [len(row) for row in rows]
    usual = max(set(widths[len(widths) // 2 :] or [0]), key=widths.count, default=0)
    if usual < 1 or (usual == 1 and separator != ","):
        return None
    first = _first_of_data(rows, usual)
    fits = [len(row) == usual for row in rows[first:-1]] if first is not None else []
    # anything can be cut at blanks, so there every row has to fit
    if first is None or not (most(fits) if separator != " " else all(fits)):
        return None
    data = rows[first:-1] or rows[first:]
    decimal = "," if separator != "," and any(re.fullmatch(r"[+-]?\d+,\d+", c) for row in data for c in row) else "."
    head = [_with_one_time(row) for row in rows[:first]]
    names = _names(head, usual)
    cells = [[row[n] for row in data if len(row) == usual] for n in range(usual)]
    is_named = any(len(row) == usual for row in head)
    if separator == " " and not is_named and (_end_in_bytes(cells) or _says_words(cells)):
        return None
    roles = _roles(names, cells, decimal)
    unit, rate = time_unit(names, roles, cells), None
    base = _base(names, roles, cells)
    byte_cells = [c for n, r in enumerate(roles) if r == "byte" for c in cells[n] if c]
    plain = bool(byte_cells) and all(c.isdigit() for c in byte_cells) and any(len(c) != 2 for c in byte_cells)
    numbers = sum(role != "ignore" for role in roles)
    # a cell that still holds another separator was cut at the wrong one
    mixed = sum(any(set(cell) & (set(";\t|") - {separator}) for cell in column) for column in cells)
    # columns that say nothing speak against it: digits behind a decimal comma look like cells as well
    score = numbers - 0.5 * (usual - numbers) + (0.2 if separator != " " else 0) - 3 * mixed
    return score, Columns(separator=separator, decimal=decimal, head_lines=first, names=names,
                          roles=roles, time_unit=unit, rate_hz=rate, base=base,
                          byte_base=10 if plain else 16)  # fmt: skip


def _first_of_data(rows: list[list[str]], width: int) -> int | None:
    """Return the first row of data: numbers stand in a head, too, behind a word where data begin with none."""
    fits = [number for number, row in enumerate(rows) if len(row) == width and _is_data(row)]
    begins = [rows[number][0][:1].isalpha() for number in fits]
    usual = sum(begins) * 2 > len(begins)
    return next((number for number, word in zip(fits, begins, strict=True) if word == usual), None)


def _end_in_bytes(cells: list[list[str]]) -> bool:
    """Return whether the last columns are bytes in hex, which look like numbers wherever they have no letter."""
    is_byte = re.compile("[0-9A-Fa-f]{2}").fullmatch
    last = list(itertools.takewhile(lambda column: all(map(is_byte, column)), reversed(cells)))
    return len(last) > 1 and any(re.search("[A-Fa-f]", cell) for column in last for cell in column)


def _says_words(cells: list[list[str]]) -> bool:
    """Return whether a word stands behind the time, so that numbers in it have none of their own."""
    if len(cells) < 2 or not (rising(cells[0], ".") or times_written_out(cells[0])):
        return False
    return most([bool(re.match("[A-Za-z]", cell)) for cell in cells[1]], some=True)


def _with_tail(lines: list[str]) -> Columns | None:
    """Return the columns of rows that end in bytes, however many each has, behind cells of which one is an address."""
    rows = [cells_before_tail(line, _MOST_CELLS) for line in lines]
    before = [_cells_before_bytes(row) for row in rows]
    first = next((number for number, row in enumerate(rows) if before[number] < len(row)), len(rows))
    width = _width_before_bytes(rows[first:], before[first:])
    while first and len(rows[first - 1]) == width and _is_data(rows[first - 1]):
        first -= 1  # frames without bytes are no head
    data, sizes = rows[first:-1] or rows[first:], before[first:-1] or before[first:]
    # what stands before the bytes may look like one
    if width < 2 or not most([size <= width <= len(row) for size, row in zip(sizes, data, strict=True)]):
        return None
    fitting = [row for row in data if len(row) >= width]
    tails = [row[width:] for row in fitting]
    has_lane = any(_all_look([row[number] for row in fitting], r"[A-Za-z]+\d+") for number in range(width))
    if (
        not has_lane
        and len({len(tail) for tail in tails}) == 1
        and not any(re.search("[A-Fa-f]", byte) for byte in itertools.chain(*tails))
    ):
        return None  # columns of numbers of two digits
    heads = map(_with_one_time, reversed(rows[:first]))
    named = next((row for row in heads if len(row) == width + 1), None)
    names = tuple(named or (*(f"column {number + 1}" for number in range(width)), "payload"))
    cells = [[row[number] for row in fitting] for number in range(width)]
    roles = _roles_before_tail(names, cells, tails)
    if "address" not in roles:
        return None
    base = _base(names, roles, cells) if named else 16
    return Columns(separator=" ", head_lines=first, names=names, roles=roles, base=base, tail=True,
                   time_unit=time_unit(names, roles, cells))  # fmt: skip


def _width_before_bytes(rows: list[list[str]], before: list[int]) -> int:
    """Return how many cells stand before the bytes: the most that many rows have, since a size may look like a byte."""
    width = max((size for size in set(before) if before.count(size) >= _MANY * len(before)), default=0)
    counted = [row[width:] for row in rows if len(row) > width]
    is_size = bool(counted) and all(tail[0].isdigit() and int(tail[0]) == len(tail) - 1 for tail in counted)
    return width + is_size


def _cells_before_bytes(row: list[str]) -> int:
    behind = itertools.takewhile(re.compile("[0-9A-Fa-f]{2}").fullmatch, reversed(row))
    return len(row) - sum(1 for _ in behind)


def _roles_before_tail(names: tuple[str, ...], cells: list[list[str]], tails: list[list[str]]) -> tuple[str, ...]:
    known = _roles(names, [*cells, [" ".join(tail) for tail in tails]], ".")
    roles = ["ignore" if role == "channel" else role for role in known[:-1]]
    looks = {
        "size": lambda column: all(cell == str(len(tail)) for cell, tail in zip(column, tails, strict=True)),
        "address": lambda column: _all_look(column, _IDENTIFIER),
        "direction": _are_ways,
        "lane": lambda column: _all_look(column, r"[A-Za-z]+\d*"),
    }
    for number, column in enumerate(cells):
        if roles[number] == "ignore":
            fits = (role for role, looks_so in looks.items() if role not in roles and looks_so(column))
            roles[number] = next(fits, "ignore")
    return (*roles, "payload")


def _is_data(row: list[str]) -> bool:
    return any(re.fullmatch(NUMBER, cell) or written_out(cell) for cell in row) and not row[0].startswith("#")


def _names(head: list[list[str]], width: int) -> tuple[str, ...]:
    named = next(
        (row for row in reversed(head) if len(row) == width and any(re.search("[A-Za-z]", c) for c in row)), None
    )
    units = [""] * width
    if named is not None and _are_units(named):
        above = next((row for row in reversed(head[: head.index(named)]) if len(row) == width), None)
        if above is not None:
            named, units = above, [cell.strip("()[]") for cell in named]
    names = []
    for number in range(width):
        name = named[number].lstrip("#").strip() if named else ""
        if units[number] in _LENGTHS and not named_unit(name):
            # a line of units says what the time is in; channels keep their names, by which recipes know them
            name += f" ({units[number]})"
        name = name or f"column {number + 1}"
        while name in names:
            name += "'"
        names.append(name)
    return tuple(names)


def _are_units(cells: list[str]) -> bool:
    is_short = re.compile(r"[(\[]?[µa-zA-Z/%°]{0,4}[)\]]?").fullmatch
    return all(map(is_short, cells)) and not {"time", "t"} & {cell.lower() for cell in cells}


def _with_one_time(head: list[str]) -> list[str]:
    """Return names of columns with those of a date and a time behind it in one, as their cells are."""
    for place, (day, time) in enumerate(itertools.pairwise(head)):
        if day.lower() == "date" and "time" in time.lower():
            return [*head[:place], f"{day} {time}", *head[place + 2 :]]
    return head


_BOTH_WAYS = ({"read", "write"}, {"r", "w"})
_LENGTHS = ("s", "ms", "us", "µs", "ns")
_BASES = {"hex": 16, "hexadecimal": 16, "dec": 10, "decimal": 10}
_PAYLOAD_WORDS = {"payload", "data", "bytes", "hex", "telegram"}


def _roles(names: tuple[str, ...], cells: list[list[str]], decimal: str) -> tuple[str, ...]:
    words = [re.sub(r"[^a-z]", " ", name.lower()).split() for name in names]
    roles = ["ignore"] * len(names)
    for number, word in enumerate(words):
        if (
            "time" not in roles
            and ({"time", "t", "timestamp", "seconds", "sec"} & set(word))
            and (numeric(cells[number], decimal) or times_written_out(cells[number]))
        ):
            roles[number] = "time"
        elif {"address", "id", "identifier", "can"} & set(word) and "address" not in roles:
            # a table may number its rows and have addresses as well
            better = next((n for n, other in enumerate(words) if "address" in other), number)
            roles[better] = "address"
        elif _PAYLOAD_WORDS & set(word) and "payload" not in roles and _hex(cells[number]):
            roles[number] = "payload"
        elif {"lane", "bus", "interface"} & set(word) and "lane" not in roles:
            roles[number] = "lane"
        elif "direction" not in roles and _say_ways(word, cells[number]):
            roles[number] = "direction"
        elif "flags" in word and "flags" not in roles:
            roles[number] = "flags"
        elif {"size", "length", "len", "dlc"} & set(word) and "size" not in roles:
            roles[number] = "size"
    if "time" not in roles and len(cells) > 1 and (rising(cells[0], decimal) or times_written_out(cells[0])):
        roles[0] = "time"
    _find_by_look(roles, cells)
    if "payload" in roles and ("address" in roles or "time" in roles):
        return tuple(roles)
    bytes_named = [n for n, word in enumerate(names) if re.fullmatch(r"(?i)(b|byte|data|d)[ _]?\d+", word)]
    if "address" in roles and bytes_named:
        for number in bytes_named:
            roles[number] = "byte"
        return tuple(roles)
    for number, role in enumerate(roles):
        roles[number] = role if role == "time" else "channel" if numeric(cells[number], decimal) else "ignore"
    return tuple(roles)


def _find_by_look(roles: list[str], cells: list[list[str]]) -> None:
    """Find payload, address and direction where no name says what they are, as in a table without a head."""
    free = [number for number, role in enumerate(roles) if role == "ignore"]
    payload = next((number for number in free if _are_bytes(cells[number])), None)
    if payload is None:
        # a byte a row, as a serial line is noted; which of two such columns is an address only a name can say
        single = [number for number in free if _all_look(cells[number], r"0x[0-9A-Fa-f]{2}")]
        payload = single[0] if len(single) == 1 else None
    if payload is None or "payload" in roles:
        return
    roles[payload] = "payload"
    address = next((number for number in free if number != payload and _all_look(cells[number], _IDENTIFIER)), None)
    if address is not None and "address" not in roles:
        roles[address] = "address"
    direction = next((number for number in free if number not in (payload, address) and _are_ways(cells[number])), None)
    if direction is not None and "direction" not in roles:
        roles[direction] = "direction"


def _say_ways(words: list[str], cells: list[str]) -> bool:
    may_say = bool({"way", "rw"} & set(words)) or any(both <= set(words) for both in _BOTH_WAYS)
    return bool({"direction", "dir"} & set(words)) or (may_say and _are_ways(cells))


def _are_ways(cells: list[str]) -> bool:
    return most([bool(cell) and not flags_of_direction(cell)[1] for cell in cells], some=True)


def _are_bytes(cells: list[str]) -> bool:
    """Return whether cells are bytes in hex that stand apart, and no dates or times of day in pairs of digits."""
    is_sure = any(re.search("[A-Fa-f]", cell) or len(re.split("[ :-]", cell)) > _PAIRS_OF_A_TIME for cell in cells)
    return is_sure and _all_look(cells, _PAIRS)


def _all_look(cells: list[str], look: str) -> bool:
    fits = [bool(re.fullmatch(look, cell)) for cell in cells if cell]
    return most(fits, some=True) and not times_written_out(cells)


def _hex(cells: list[str]) -> bool:
    digits = [re.sub(r"0x|[ \-.:]", "", cell) for cell in cells]
    return most([bool(re.fullmatch(r"[0-9A-Fa-f]*", cell)) and len(cell) % 2 == 0 for cell in digits])
