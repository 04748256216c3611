"""Conditions made of what is pointed at: a value, a frame, bits, a stretch of a wave, a moment."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..codec.columns import FieldColumn
from ..codec.wording import decimals_of
from ..expressions.expression import quoted
from ..frames.capture import Capture
from ..frames.flags import flag_words
from ..layouts.model import FieldKind
from ..layouts.places import Places
from ..protocols.registry import protocol_named

_MOST_BYTES = 16
_WAYS = {"read", "answer"}


def of_value(message: str, column: FieldColumn, row: int = 0) -> Iterator[tuple[str, str]]:
    """Yield what may be asked of a value, in words and as a condition; only what makes sense of its kind."""
    field = column.field
    name = f"{quoted(message)}.{quoted(field.name)}"
    if column.content is not None:
        text = column.text_of(row)
        if field.kind is FieldKind.TEXT and text:
            yield f"{field.name} is “{text}”", f"{name} == {text_literal(text)}"
        return
    assert column.raw is not None and column.value is not None
    if column.has_value[row]:
        raw = int(column.raw[row])
        label = field.label_of(raw) if field.called else None
        if field.kind is FieldKind.BITS:
            for named in field.names:
                if raw >> named.raw & 1:
                    yield f"{field.name} has {named.label}", f"{name} == {text_literal(named.label)}"
        elif label is not None:
            yield f"{field.name} is {label}", f"{name} == {text_literal(label)}"
        else:
            value = column.value[row].item()
            number = f"{value:.{decimals_of(field)}f}" if isinstance(value, float) else str(value)
            written = f"{number} {field.unit}".strip()
            yield f"{field.name} is above {written}", f"{name} > {number}"
            yield f"{field.name} is below {written}", f"{name} < {number}"
    yield f"{field.name} changes", f"changes({name})"


def of_frame(capture: Capture, row: int, message: str) -> Iterator[tuple[str, str]]:
    """Yield what may be asked of frames like one, in words and as a condition.

    Parameters
    ----------
    message
        What reads it, empty if nothing does.
    """
    frame = capture.frames.at(row)
    lane = capture.lanes[frame.lane]
    kind = capture.kinds.keys[capture.kind_of(row)]
    on_lane = f"lane == {text_literal(lane.name)}"
    if message:
        yield f"frames read as {message}", f"message == {text_literal(message)}"
    device = protocol_named(lane.protocol).device_of(kind)
    asked = f"{on_lane} and address == 0x{device:X}"
    words = set(flag_words(frame.flags).split())
    way = next((word for word in sorted(_WAYS & words)), "")
    yield f"frames on {lane.name} of this address", asked + (f' and way == "{way}"' if way else "")
    yield f"all frames on {lane.name}", on_lane
    if frame.payload:
        shown = frame.payload[:_MOST_BYTES].hex(" ").upper()
        yield f"frames that begin with {shown}", f'bytes("{shown}")'
    for word in sorted(words - _WAYS - {"extended", "long", "packet"}):
        yield f"frames flagged {word.replace('_', ' ')}", f'flag("{word.replace("_", " ")}")'


def of_bits(capture: Capture, row: int, bits: Sequence[int]) -> Iterator[tuple[str, str]]:
    """Yield what may be asked of some bits of a frame, whether a layout reads them or not.

    Parameters
    ----------
    bits
        By their numbers, highest first.
    """
    frame = capture.frames.at(row)
    if not bits or max(bits) >= len(frame.payload) * 8:
        return
    lane = capture.lanes[frame.lane]
    device = protocol_named(lane.protocol).device_of(capture.kinds.keys[capture.kind_of(row)])
    here = f"lane == {text_literal(lane.name)} and address == 0x{device:X}"
    value = 0
    for bit in bits:
        value = value << 1 | frame.payload[bit // 8] >> bit % 8 & 1
    places = str(Places(tuple(bits)))
    digits = -(-len(bits) // 4)
    yield f"{places} is 0x{value:0{digits}X}", f"{here} and at({places}) == 0x{value:X}"
    yield f"{places} is not 0x{value:0{digits}X}", f"{here} and at({places}) != 0x{value:X}"
    yield f"{places} changes", f"{here} and changes(at({places}))"


def of_mark(value: int, is_data: bool, flags: int) -> Iterator[tuple[str, str]]:
    """Yield what may be asked of a stretch of a wave: the byte it stands for, and what is wrong with it."""
    if is_data and 0 <= value <= 0xFF:
        yield f"frames with the byte {value:02X}", f'has_bytes("{value:02X}")'
        if 0x20 < value < 0x7F and chr(value) not in '"\\':
            yield f"frames with the letter {chr(value)}", f'has_text("{chr(value)}")'
    for word in sorted(set(flag_words(flags).split()) - _WAYS):
        yield f"frames flagged {word.replace('_', ' ')}", f'flag("{word.replace("_", " ")}")'


def of_moment(text: str) -> tuple[str, str]:
    """Return what may be asked of a moment, in words and as a condition."""
    return f"frames within 2 s after {text}", f"after({text_literal(text)}, 2 s)"


def text_literal(text: str) -> str:
    """Return a text as a condition writes it."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'
