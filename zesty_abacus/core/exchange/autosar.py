"""AUTOSAR system descriptions (Classic Platform, schema r4): CAN frames, their PDUs, signals and computation methods.

A frame's identifier stands with its triggering on a channel, its content in PDUs, their content in signals, a
signal's meaning in its computation method. Start positions count bits as ``byte * 8 + bit`` with bit 0 the
lowest: the lowest bit of a signal with its low byte first, the highest bit of one with its high byte first.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from ..errors import AbacusError
from ..layouts.model import Applies, Field, FieldKind, Layout, RawSet, Selected
from ..layouts.validate import check_layout
from .autosar_meaning import Meaning, meaning_of, number_of
from .bit_numbering import BitNumbering
from .names import untaken
from .result import CannotCarryError, Exchanged, ExchangeError, id_of, stable_id
from .xml import Element, below, child, children, local, parse_xml, place_of, text_of

NAME = "AUTOSAR system description"
NAMESPACE = "http://autosar.org/schema/r4.0"
NUMBERING = BitNumbering(start_is="first")
OWN_PACKAGE = "ZestyAbacus"
"""Package of our own descriptions, of which the channels are lanes as we know them."""
LOW_FIRST, HIGH_FIRST = "MOST-SIGNIFICANT-BYTE-LAST", "MOST-SIGNIFICANT-BYTE-FIRST"


def recognises(data: bytes) -> bool:
    """Return whether a file looks like a system description."""
    return b"<AUTOSAR" in data[:8192] or b":AUTOSAR" in data[:8192]


def read(data: bytes, where: str) -> Exchanged:
    """Read the CAN frames of a system description; raises :class:`ExchangeError` if there are none."""
    found = Exchanged()
    reader = _Reader(parse_xml(data, where), found)
    for frame in reader.frames():
        reader.read_frame(frame)
    if not found.layouts and not found.left:
        raise ExchangeError("the description has no CAN frames.", where=where)
    return found


class References:
    """Finds what a reference points to: by its whole path, or by its last name if that is the only one."""

    def __init__(self, root: Element) -> None:
        self._by_path: dict[str, Element] = {}
        self._by_name: dict[str, list[Element]] = {}
        self._collect(root, "")

    def _collect(self, element: Element, path: str) -> None:
        # an explicit stack, since files nest as deep as they like
        waiting = [(element, path)]
        while waiting:
            one, above = waiting.pop()
            name = text_of(one, "SHORT-NAME")
            own = f"{above}/{name}" if name else above
            if name:
                self._by_path[own] = one
                self._by_name.setdefault(name, []).append(one)
            waiting += [(inner, own) for inner in one]

    def get(self, reference: Element | None) -> Element | None:
        """Return the element a reference element names, None if it is not in the file."""
        path = (reference.text or "").strip() if reference is not None else ""
        if path in self._by_path:
            return self._by_path[path]
        same = self._by_name.get(path.rpartition("/")[2], [])
        return same[0] if path and len(same) == 1 else None


class _Reader:
    def __init__(self, root: Element, found: Exchanged) -> None:
        self.root = root
        self.found = found
        self.references = References(root)
        self._meanings: dict[int, Meaning] = {}

    def frames(self) -> Iterator[Element]:
        """Yield the CAN frames of the file; those of other buses are listed as left."""
        yield from below(self.root, "CAN-FRAME")
        for other in ("FLEXRAY-FRAME", "ETHERNET-FRAME", "LIN-UNCONDITIONAL-FRAME"):
            for frame in below(self.root, other):
                self.found.leave(place_of(frame), "only frames of CAN are carried over.")

    def read_frame(self, frame: Element) -> None:
        """Read a frame once for every channel that triggers it with an identifier of its own."""
        triggerings = [
            one
            for one in below(self.root, "CAN-FRAME-TRIGGERING")
            if self.references.get(child(one, "FRAME-REF")) is frame
        ]
        if not triggerings:
            self.found.leave(place_of(frame), "no channel gives it an identifier.")
        by_identifier: dict[tuple[int, bool], list[str]] = {}
        for triggering in triggerings:
            try:
                by_identifier.setdefault(_identifier(triggering), []).extend(_lane(triggering))
            except CannotCarryError as error:
                self.found.leave(place_of(triggering), str(error))
        for number, ((address, extended), lanes) in enumerate(by_identifier.items()):
            try:
                applies = Applies(address=address, extended=extended, lanes=tuple(lanes))
                self._read_as(frame, applies, number)
            except (CannotCarryError, AbacusError) as error:
                said = error.message if isinstance(error, AbacusError) else str(error)
                self.found.leave(place_of(frame), said)

    def _read_as(self, frame: Element, applies: Applies, number: int) -> None:
        name = name_of(frame)
        own = id_of(frame.get("UUID")) if number == 0 else None
        layout_id = own or stable_id("autosar", text_of(frame, "SHORT-NAME"), str(number))
        fields: list[Field] = []
        taken: set[str] = set()
        size = number_of(text_of(frame, "FRAME-LENGTH") or "0")
        for mapping in children(child(frame, "PDU-TO-FRAME-MAPPINGS"), "PDU-TO-FRAME-MAPPING"):
            pdu = self.references.get(child(mapping, "PDU-REF"))
            if pdu is None:
                self.found.leave(place_of(mapping), "its PDU is not in the file.")
                continue
            start = number_of(text_of(mapping, "START-POSITION") or "0")
            if start % 8 or not 0 <= start < 1 << 16:
                self.found.leave(place_of(mapping), f"the PDU begins at bit {start}, not at a byte.")
                continue
            fields += self._pdu_fields(pdu, start // 8, str(layout_id), taken)
            size = max(size, start // 8 + number_of(text_of(pdu, "LENGTH") or "0"))
        layout = Layout(
            id=layout_id, name=name, size=size, applies=applies,
            fields=tuple(fields), note=_description(frame),
        )  # fmt: skip
        for problem in check_layout(layout):
            if problem.field is not None and any(field.id == problem.field for field in layout.fields):
                self.found.leave(f"{name}, {layout.field(problem.field).name}", problem.sentence)
                layout = layout.without_field(problem.field)
        problems = check_layout(layout)
        if problems:
            self.found.leave(place_of(frame), problems[0].sentence)
        else:
            self.found.layouts.append(layout)

    def _pdu_fields(self, pdu: Element, byte: int, path: str, taken: set[str]) -> list[Field]:
        kind = local(pdu)
        if kind == "I-SIGNAL-I-PDU":
            return self._signal_fields(pdu, byte, path, taken)
        if kind == "MULTIPLEXED-I-PDU":
            return self._multiplexed_fields(pdu, byte, path, taken)
        self.found.leave(place_of(pdu), "what this kind of PDU carries is not described by signals.")
        return []

    def _signal_fields(self, pdu: Element, byte: int, path: str, taken: set[str]) -> list[Field]:
        fields = []
        mappings = children(pdu, "I-SIGNAL-TO-PDU-MAPPINGS", "I-SIGNAL-TO-I-PDU-MAPPINGS")
        for holder in mappings:
            for mapping in children(holder, "I-SIGNAL-TO-I-PDU-MAPPING"):
                try:
                    field = self._field(mapping, byte, path, taken)
                except (CannotCarryError, AbacusError) as error:
                    said = error.message if isinstance(error, AbacusError) else str(error)
                    self.found.leave(place_of(mapping), said)
                    continue
                if field is not None:
                    fields.append(field)
        return fields

    def _field(self, mapping: Element, byte: int, path: str, taken: set[str]) -> Field | None:
        reference = child(mapping, "I-SIGNAL-REF")
        if reference is None:
            return None  # a group of signals, whose members are mapped on their own
        signal = self.references.get(reference)
        if signal is None:
            raise CannotCarryError("its signal is not in the file.")
        width = number_of(text_of(signal, "LENGTH") or "0")
        start = number_of(text_of(mapping, "START-POSITION") or "0") + byte * 8
        order = text_of(mapping, "PACKING-BYTE-ORDER")
        places = NUMBERING.places(start, width, low_byte_first=order == LOW_FIRST)
        meaning = self._meaning(signal)
        kind = meaning.kind
        if order == "OPAQUE":
            # opaque bytes are sent as they stand
            places = NUMBERING.places(start + 7, width, low_byte_first=False)
            kind = kind if kind is FieldKind.TEXT else FieldKind.BYTES
        name = untaken(name_of(signal), taken)
        settings = meaning.settings(kind, width)
        return Field(id=id_of(mapping.get("UUID")) or stable_id(path, name), name=name, places=places, **settings)

    def _meaning(self, signal: Element) -> Meaning:
        key = id(signal)
        if key not in self._meanings:
            system = self.references.get(child(signal, "SYSTEM-SIGNAL-REF"))
            self._meanings[key] = meaning_of(signal, system, self.references, self.found)
        return self._meanings[key]

    def _multiplexed_fields(self, pdu: Element, byte: int, path: str, taken: set[str]) -> list[Field]:
        width = number_of(text_of(pdu, "SELECTOR-FIELD-LENGTH") or "0")
        start = number_of(text_of(pdu, "SELECTOR-FIELD-START-POSITION") or "0") + byte * 8
        low_first = text_of(pdu, "SELECTOR-FIELD-BYTE-ORDER") == LOW_FIRST
        places = NUMBERING.places(start, width, low_byte_first=low_first)
        fields: list[Field] = []
        for part in below(pdu, "STATIC-PART"):
            inner = self.references.get(child(part, "I-PDU-REF"))
            fields += self._signal_fields(inner, byte, path, taken) if inner is not None else []
        dynamic: list[tuple[int, list[Field]]] = []
        for one in below(pdu, "DYNAMIC-PART-ALTERNATIVE"):
            inner = self.references.get(child(one, "I-PDU-REF"))
            if inner is None:
                self.found.leave(place_of(one), "its PDU is not in the file.")
                continue
            dynamic.append((number_of(text_of(one, "SELECTOR-FIELD-CODE") or "0"),
                            self._signal_fields(inner, byte, path, taken)))  # fmt: skip
        selector = next((f for f in fields if set(f.places.bits) == set(places.bits)), None)
        if selector is None:
            name = untaken("selector", taken)
            selector = Field(id=stable_id(path, "selector"), name=name, places=places)
            fields.insert(0, selector)
        for code, own in dynamic:
            for field in own:
                if set(field.places.bits) != set(selector.places.bits):
                    held = Selected(selector.id, RawSet.of(code))
                    fields.append(msgspec.structs.replace(field, selected=held))
        return fields


def name_of(element: Element) -> str:
    """Return the long name if there is one, else the short name."""
    return text_of(element, "LONG-NAME", "L-4") or text_of(element, "SHORT-NAME")


def _identifier(triggering: Element) -> tuple[int, bool]:
    text = text_of(triggering, "IDENTIFIER")
    if not text:
        raise CannotCarryError("it gives no identifier.")
    return number_of(text), text_of(triggering, "CAN-ADDRESSING-MODE") == "EXTENDED"


def _lane(triggering: Element) -> list[str]:
    """Return the lane of a channel of our own making; how others call their channels says nothing about lanes."""
    package = next((one for one in triggering.iterancestors("{*}AR-PACKAGE")), None)
    channel = next((one for one in triggering.iterancestors("{*}CAN-PHYSICAL-CHANNEL")), None)
    if channel is None or text_of(package, "SHORT-NAME") != OWN_PACKAGE or name_of(channel) == "can":
        return []
    return [name_of(channel)]


def _description(element: Element) -> str:
    return " ".join(text_of(element, "DESC", "L-2").split())
