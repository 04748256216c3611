"""Hypothesis strategies for places, fields, layouts and frames, and the assertions that go with them."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from hypothesis import strategies as st

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import COLUMN_DTYPES, FrameTable
from zesty_abacus.core.layouts.model import Applies, Field, FieldKind, Layout, NamedValue, RawSet, new_field, new_layout
from zesty_abacus.core.layouts.places import Places

exact_numbers = st.one_of(
    st.fractions(min_value=-1000, max_value=1000, max_denominator=1000),
    st.decimals(min_value=-1000, max_value=1000, places=3, allow_nan=False).map(Fraction),
)
words = st.text("abcXYZ019 _-.,\"'<>&äß°Ω漢", min_size=1, max_size=12).filter(lambda text: bool(text.strip()))


@st.composite
def places_within(draw, size: int, min_bits: int = 1, max_bits: int = 64) -> Places:
    """Draw any bits of a payload in any order, runs more often than single bits."""
    count = size * 8
    if draw(st.booleans()):
        width = draw(st.integers(min_bits, min(max_bits, count)))
        first = draw(st.integers(0, count - width))
        bits = list(range(first, first + width))
        order = draw(st.sampled_from(["up", "down", "bytes"]))
        if order == "down":
            bits.reverse()
        elif order == "bytes":
            bits.sort(key=lambda bit: (bit // 8, -(bit % 8)))
        return Places(bits)
    bits = draw(st.lists(st.integers(0, count - 1), unique=True, min_size=min_bits, max_size=min(max_bits, count)))
    return Places(bits)


@st.composite
def number_fields(draw, size: int) -> Field:
    """Draw one field that is a number, a flag or named values."""
    kind = draw(
        st.sampled_from(
            [FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.FLOAT, FieldKind.FLAG, FieldKind.NAMES, FieldKind.BITS]
        )
    )
    if kind is FieldKind.FLAG:
        places = draw(places_within(size, 1, 1))
    elif kind is FieldKind.FLOAT:
        width = draw(st.sampled_from([w for w in (16, 32, 64) if w <= size * 8] or [0]))
        if width == 0:
            kind, places = FieldKind.UNSIGNED, draw(places_within(size))
        else:
            places = draw(places_within(size, width, width))
    else:
        places = draw(places_within(size))
    settings: dict = {}
    if kind.is_number:
        settings["ratio"] = draw(exact_numbers.filter(bool))
        settings["offset"] = draw(exact_numbers)
    top = 2 ** len(places) - 1
    if kind is FieldKind.NAMES:
        raws = draw(st.lists(st.integers(0, top), unique=True, min_size=1, max_size=4))
        settings["names"] = tuple(NamedValue(raw, f"name {raw}") for raw in raws)
    if kind is FieldKind.BITS:
        bits = draw(st.lists(st.integers(0, len(places) - 1), unique=True, min_size=1, max_size=4))
        settings["names"] = tuple(NamedValue(bit, f"name {bit}") for bit in bits)
    if kind is FieldKind.UNSIGNED and draw(st.booleans()):
        settings["unavailable"] = RawSet.of(draw(st.integers(0, top)))
    return new_field("field", places, kind, **settings)


@st.composite
def layouts(draw, max_size: int = 64) -> Layout:
    """Draw a valid layout whose fields do not overlap."""
    size = draw(st.integers(1, max_size))
    fields: list[Field] = []
    taken: set[int] = set()
    for number in range(draw(st.integers(1, 6))):
        field = draw(number_fields(size))
        if not taken & set(field.places.bits):
            taken |= set(field.places.bits)
            fields.append(new_field(f"field {number}", field.places, field.kind, **_settings_of(field)))
    address = draw(st.integers(0, 0x7FF))
    return new_layout(draw(words), Applies(address=address), size, fields)


def _settings_of(field: Field) -> dict:
    names = ("ratio", "offset", "unavailable", "names")
    return {name: getattr(field, name) for name in names}


def payload_matrix(rng: np.random.Generator, rows: int, size: int) -> np.ndarray:
    """Return random payloads padded to whole words, with rows of all zeros and all ones among them."""
    width = max(8, (size + 7) // 8 * 8)
    matrix = np.zeros((rows, width), np.uint8)
    matrix[:, :size] = rng.integers(0, 256, (rows, size), dtype=np.uint8)
    matrix[0, :size] = 0
    matrix[1 % rows, :size] = 255
    return matrix


@st.composite
def frame_tables(draw, max_frames: int = 40, lanes: int = 2) -> FrameTable:
    """Draw CAN frames as a recording may hold them: data, long, remote and error frames, in order of time."""
    frames = draw(st.lists(can_frames(lanes), min_size=0, max_size=max_frames))
    return table_of(sorted(frames, key=lambda frame: frame[0]))


def table_of(frames: list[tuple[int, int, int, int, bytes]]) -> FrameTable:
    """Return frames given as (time, lane, address, flags, payload) as a table."""
    sizes = np.array([len(frame[4]) for frame in frames], np.uint32)
    starts = np.zeros(len(frames), np.int64)
    np.cumsum(sizes[:-1], out=starts[1:]) if len(frames) > 1 else None
    payload = np.frombuffer(b"".join(frame[4] for frame in frames), np.uint8)
    columns = [
        np.array([frame[n] for frame in frames], dtype) for n, dtype in enumerate(list(COLUMN_DTYPES.values())[:4])
    ]
    return FrameTable(*columns, starts, sizes, payload)


@st.composite
def can_frames(draw, lanes: int) -> tuple[int, int, int, int, bytes]:
    """Draw (time, lane, address, flags, payload) of one frame."""
    time = draw(st.integers(0, 9_000_000_000 * 1_000_000_000))
    flags = draw(st.sampled_from([0, F.SENT, F.RECEIVED]))
    kind = draw(st.sampled_from(["data", "data", "long", "remote", "error"]))
    extended = draw(st.booleans())
    address = draw(st.integers(0, 0x1FFF_FFFF if extended or kind == "error" else 0x7FF))
    if kind == "error":
        return time, draw(st.integers(0, lanes - 1)), address, flags | F.ERROR, draw(st.binary(min_size=8, max_size=8))
    flags |= F.EXTENDED if extended else 0
    if kind == "remote":
        return time, draw(st.integers(0, lanes - 1)), address, flags | F.REMOTE, b""
    room = 8
    if kind == "long":
        room = 64
        flags |= F.LONG | draw(st.sampled_from([0, F.RATE_SWITCH, F.ERROR_PASSIVE, F.RATE_SWITCH | F.ERROR_PASSIVE]))
    return time, draw(st.integers(0, lanes - 1)), address, flags, draw(st.binary(max_size=room))


def assert_same_frames(found: FrameTable, wanted: FrameTable) -> None:
    """Compare frames column by column and name the first row that differs."""
    assert len(found) == len(wanted), f"{len(found)} frames, expected {len(wanted)}"
    for name in ("time_ns", "lane", "address", "flags", "size"):
        differs = np.flatnonzero(getattr(found, name) != getattr(wanted, name))
        if len(differs):
            row = int(differs[0])
            values = getattr(found, name)[row], getattr(wanted, name)[row]
            raise AssertionError(f"row {row}: {name} is {values[0]}, expected {values[1]}")
    for row in range(len(found)):
        assert found.payload_of(row) == wanted.payload_of(row), f"row {row}: another payload"


def joined(chunks: list[FrameTable]) -> FrameTable:
    """Put chunks together the way a stored capture does."""
    if not chunks:
        return FrameTable.empty()
    base = np.cumsum([0] + [len(chunk.payload) for chunk in chunks[:-1]])
    columns = {
        name: np.concatenate([getattr(chunk, name) for chunk in chunks]) for name in COLUMN_DTYPES if name != "start"
    }
    start = np.concatenate([chunk.start + offset for chunk, offset in zip(chunks, base, strict=True)])
    return FrameTable(**columns, start=start, payload=np.concatenate([chunk.payload for chunk in chunks]))
