"""CAN layouts as an AUTOSAR system description; what it has no word for is listed."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from fractions import Fraction

from lxml import etree

from ..layouts.model import Field, FieldKind, Layout
from ..protocols import can
from . import autosar
from .autosar import HIGH_FIRST, LOW_FIRST, NAMESPACE, NUMBERING, OWN_PACKAGE
from .form import LayoutFormat
from .names import Namer
from .polynomials import composed
from .result import Exchanged, Written, decimal_of, in_plain_kinds, is_decimal
from .xml import Element, to_bytes

_ENCODINGS = {
    FieldKind.SIGNED: "2C", FieldKind.ONES_COMPLEMENT: "1C", FieldKind.SIGN_MAGNITUDE: "SM", FieldKind.FLOAT: "IEEE754",
    FieldKind.BCD: "BCD-P", FieldKind.BCD_BYTES: "BCD-UP", FieldKind.FLAG: "BOOLEAN", FieldKind.TEXT: "ISO-8859-1",
}  # fmt: skip


def write(layouts: Iterable[Layout]) -> Written:
    """Return a system description with one frame a layout."""
    writer = _Writer()
    for layout in layouts:
        writer.add(layout)
    writer.add_channels()
    return Written(to_bytes(writer.root), writer.found.left)


class _Writer:
    def __init__(self) -> None:
        self.found = Exchanged()
        self.root = etree.Element(f"{{{NAMESPACE}}}AUTOSAR", nsmap={None: NAMESPACE})
        package = _sub(_sub(self.root, "AR-PACKAGES"), "AR-PACKAGE")
        _sub(package, "SHORT-NAME").text = OWN_PACKAGE
        self._elements = _sub(package, "ELEMENTS")
        self._namer = Namer()
        self._shared: dict[str, str] = {}
        self._channels: dict[str, list[tuple[str, Layout]]] = {}

    def add(self, layout: Layout) -> None:
        """Add the frame of a layout with its PDUs, signals and methods."""
        applies = layout.applies
        if applies.protocol != can.NAME or not applies.is_for_one_address:
            self.found.leave(layout.name, "only CAN frames with one identifier are described.")
            return
        for item in (*layout.parts, *layout.checks, *layout.computed):
            self.found.leave(f"{layout.name}, {item.name}", "signals have fixed places, and no checks or formulas.")
        if layout.sender:
            self.found.leave(layout.name, f"that {layout.sender} sends it is not said.")
        name = self._namer.of(layout.name)
        pdu = self._add_pdus(layout, name)
        frame = self._element("CAN-FRAME", name, layout.name, layout.note)
        frame.set("UUID", str(layout.id))
        _sub(frame, "FRAME-LENGTH").text = str(layout.size)
        mapping = _named(_sub(frame, "PDU-TO-FRAME-MAPPINGS"), "PDU-TO-FRAME-MAPPING", f"{name}_M")
        _sub(mapping, "PACKING-BYTE-ORDER").text = LOW_FIRST
        _refer(mapping, "PDU-REF", pdu[0], pdu[1])
        _sub(mapping, "START-POSITION").text = "0"
        for lane in applies.lanes or ("can",):
            self._channels.setdefault(lane, []).append((name, layout))

    def _add_pdus(self, layout: Layout, name: str) -> tuple[str, str]:
        """Add the PDU of a frame, in alternatives where a selector tells them apart; return its kind and name."""
        always = [field for field in layout.fields if field.selected is None]
        pages: dict[int, list[Field]] = {}
        selectors = {field.selected.field for field in layout.fields if field.selected is not None}
        for field in layout.fields:
            if field.selected is None:
                continue
            spans = field.selected.values.spans
            if len(selectors) > 1 or len(spans) != 1 or spans[0][0] != spans[0][1]:
                self.found.leave(
                    f"{layout.name}, {field.name}", "only one selector, and one value a field, is described."
                )
                continue
            pages.setdefault(spans[0][0], []).append(field)
        static = self._namer.of(f"{name}_Pdu")
        self._add_signal_pdu(layout, static, always)
        if not pages:
            return "I-SIGNAL-I-PDU", static
        return "MULTIPLEXED-I-PDU", self._add_multiplexed(layout, name, static, pages)

    def _add_multiplexed(self, layout: Layout, name: str, static: str, pages: dict[int, list[Field]]) -> str:
        by_code = {}
        for code, fields in sorted(pages.items()):
            by_code[code] = self._namer.of(f"{name}_Page_{code}")
            self._add_signal_pdu(layout, by_code[code], fields)
        selected = next(field.selected for field in layout.fields if field.selected is not None)
        selector = layout.field(selected.field)
        whole = self._namer.of(f"{name}_Pages")
        pdu = self._element("MULTIPLEXED-I-PDU", whole)
        _sub(pdu, "LENGTH").text = str(layout.size)
        alternatives = _sub(_sub(_sub(pdu, "DYNAMIC-PARTS"), "DYNAMIC-PART"), "DYNAMIC-PART-ALTERNATIVES")
        for code, page in by_code.items():
            one = _sub(alternatives, "DYNAMIC-PART-ALTERNATIVE")
            _refer(one, "I-PDU-REF", "I-SIGNAL-I-PDU", page)
            _sub(one, "SELECTOR-FIELD-CODE").text = str(code)
        _sub(pdu, "SELECTOR-FIELD-BYTE-ORDER").text = _order(selector)
        _sub(pdu, "SELECTOR-FIELD-LENGTH").text = str(len(selector.places))
        _sub(pdu, "SELECTOR-FIELD-START-POSITION").text = str(NUMBERING.start_of(selector.places))
        _refer(_sub(_sub(pdu, "STATIC-PARTS"), "STATIC-PART"), "I-PDU-REF", "I-SIGNAL-I-PDU", static)
        return whole

    def _add_signal_pdu(self, layout: Layout, name: str, fields: Sequence[Field]) -> None:
        said = [in_plain_kinds(field, self.found, f"{layout.name}, {field.name}") for field in fields]
        kept = [field for field in said if self._can_say(layout, field)]
        signals = {field.id: self._add_signal(layout, field) for field in kept}
        pdu = self._element("I-SIGNAL-I-PDU", name)
        _sub(pdu, "LENGTH").text = str(layout.size)
        if not kept:
            return
        mappings = _sub(pdu, "I-SIGNAL-TO-PDU-MAPPINGS")
        for field in kept:
            mapping = _named(mappings, "I-SIGNAL-TO-I-PDU-MAPPING", f"{signals[field.id]}_M")
            mapping.set("UUID", str(field.id))
            _refer(mapping, "I-SIGNAL-REF", "I-SIGNAL", signals[field.id])
            _sub(mapping, "PACKING-BYTE-ORDER").text = _order(field)
            _sub(mapping, "START-POSITION").text = str(NUMBERING.start_of(field.places))

    def _can_say(self, layout: Layout, field: Field) -> bool:
        """Return whether a field can be a signal; notes what of it is lost."""
        place = f"{layout.name}, {field.name}"
        start = NUMBERING.start_of(field.places)
        low_first = _order(field) == LOW_FIRST
        if NUMBERING.places(start, len(field.places), low_byte_first=low_first) != field.places:
            self.found.leave(place, "its bits are scattered; a signal has one stretch.")
            return False
        if field.kind is FieldKind.GRAY or field.inverted or field.table:
            self.found.leave(place, "Gray code, turned bits and tables have no word.")
            return False
        for attribute, words in (("unavailable", "not available"), ("errors", "fault")):
            if getattr(field, attribute):
                self.found.leave(place, f"its {words} values have no place.")
        return True

    def _add_signal(self, layout: Layout, field: Field) -> str:
        name = self._namer.of(f"{layout.name}_{field.name}")
        base, method, constraint = self._base(field), self._method(field, name), self._constraint(field, name)
        system_name = self._namer.of(f"{name}_Sys")
        system = self._element("SYSTEM-SIGNAL", system_name, field.name, field.note)
        props = _properties(system, "PHYSICAL-PROPS")
        for tag, kind, target in (("COMPU-METHOD-REF", "COMPU-METHOD", method),
                                  ("DATA-CONSTR-REF", "DATA-CONSTR", constraint)):  # fmt: skip
            if target:
                _refer(props, tag, kind, target)
        if field.unit:
            _refer(props, "UNIT-REF", "UNIT", self._unit(field.unit))
        signal = self._element("I-SIGNAL", name, field.name)
        _sub(signal, "LENGTH").text = str(len(field.places))
        _refer(_properties(signal, "NETWORK-REPRESENTATION-PROPS"), "BASE-TYPE-REF", "SW-BASE-TYPE", base)
        _refer(signal, "SYSTEM-SIGNAL-REF", "SYSTEM-SIGNAL", system_name)
        return name

    def _base(self, field: Field) -> str:
        encoding = _ENCODINGS.get(field.kind, "NONE")
        key = f"base {encoding} {len(field.places)}"
        if key not in self._shared:
            self._shared[key] = self._namer.of(f"Base_{encoding}_{len(field.places)}")
            base = self._element("SW-BASE-TYPE", self._shared[key])
            _sub(base, "BASE-TYPE-SIZE").text = str(len(field.places))
            _sub(base, "BASE-TYPE-ENCODING").text = encoding
        return self._shared[key]

    def _unit(self, unit: str) -> str:
        key = f"unit {unit}"
        if key not in self._shared:
            self._shared[key] = self._namer.of(f"Unit_{unit}")
            _sub(self._element("UNIT", self._shared[key]), "DISPLAY-NAME").text = unit
        return self._shared[key]

    def _method(self, field: Field, name: str) -> str:
        scaled = field.kind.is_number and (field.ratio != 1 or field.offset or field.polynomial)
        if not scaled and not field.names:
            return ""
        made = self._namer.of(f"{name}_Method")
        method = self._element("COMPU-METHOD", made)
        named = bool(field.names)
        category = "SCALE_LINEAR_AND_TEXTTABLE" if scaled and named else "TEXTTABLE" if named else "LINEAR"
        _sub(method, "CATEGORY").text = "RAT_FUNC" if field.polynomial and not named else category
        scales = _sub(_sub(method, "COMPU-INTERNAL-TO-PHYS"), "COMPU-SCALES")
        if scaled:
            coefficients = _sub(_sub(scales, "COMPU-SCALE"), "COMPU-RATIONAL-COEFFS")
            numerator = _sub(coefficients, "COMPU-NUMERATOR")
            terms = composed(field.polynomial or (Fraction(0), Fraction(1)), field.offset, field.ratio)
            # what no decimal says exactly is said as a fraction of whole numbers
            under = 1 if all(map(is_decimal, terms)) else math.lcm(*(term.denominator for term in terms))
            for term in terms:
                _sub(numerator, "V").text = decimal_of(term * under)
            _sub(_sub(coefficients, "COMPU-DENOMINATOR"), "V").text = str(under)
        for value in field.names:
            scale = _sub(scales, "COMPU-SCALE")
            for side, limit in (("LOWER", value.raw), ("UPPER", value.last)):
                _sub(scale, f"{side}-LIMIT", **{"INTERVAL-TYPE": "CLOSED"}).text = str(limit)
            _sub(_sub(scale, "COMPU-CONST"), "VT").text = value.label
        return made

    def _constraint(self, field: Field, name: str) -> str:
        if field.low is None and field.high is None:
            return ""
        made = self._namer.of(f"{name}_Limits")
        rule = _sub(_sub(self._element("DATA-CONSTR", made), "DATA-CONSTR-RULES"), "DATA-CONSTR-RULE")
        physical = _sub(rule, "PHYS-CONSTRS")
        for side, limit in (("LOWER", field.low), ("UPPER", field.high)):
            if limit is not None:
                _sub(physical, f"{side}-LIMIT", **{"INTERVAL-TYPE": "CLOSED"}).text = decimal_of(limit)
        return made

    def add_channels(self) -> None:
        """Add a channel a lane, with what triggers each frame on it."""
        for lane, frames in self._channels.items():
            cluster = self._element("CAN-CLUSTER", self._namer.of(f"{lane}_cluster"), lane)
            variant = _sub(_sub(cluster, "CAN-CLUSTER-VARIANTS"), "CAN-CLUSTER-CONDITIONAL")
            channel = _named(_sub(variant, "PHYSICAL-CHANNELS"), "CAN-PHYSICAL-CHANNEL", self._namer.of(lane), lane)
            triggerings = _sub(channel, "FRAME-TRIGGERINGS")
            for name, layout in frames:
                one = _named(triggerings, "CAN-FRAME-TRIGGERING", self._namer.of(f"{lane}_{name}"))
                _refer(one, "FRAME-REF", "CAN-FRAME", name)
                extended = layout.applies.extended
                _sub(one, "CAN-ADDRESSING-MODE").text = "EXTENDED" if extended else "STANDARD"
                _sub(one, "IDENTIFIER").text = str(layout.applies.address)

    def _element(self, tag: str, short: str, long: str = "", note: str = "") -> Element:
        return _named(self._elements, tag, short, long, note)


def _order(field: Field) -> str:
    words = field.places.order_words()
    return HIGH_FIRST if words == "high byte first" else LOW_FIRST


def _named(parent: Element, tag: str, short: str, long: str = "", note: str = "") -> Element:
    made = _sub(parent, tag)
    _sub(made, "SHORT-NAME").text = short
    if long and long != short:
        _sub(_sub(made, "LONG-NAME"), "L-4", L="EN").text = long
    if note:
        _sub(_sub(made, "DESC"), "L-2", L="EN").text = " ".join(note.split())
    return made


def _properties(parent: Element, tag: str) -> Element:
    variants = _sub(_sub(parent, tag), "SW-DATA-DEF-PROPS-VARIANTS")
    return _sub(variants, "SW-DATA-DEF-PROPS-CONDITIONAL")


def _refer(parent: Element, tag: str, kind: str, name: str) -> None:
    _sub(parent, tag, DEST=kind).text = f"/{OWN_PACKAGE}/{name}"


def _sub(parent: Element, tag: str, /, **attributes: str) -> Element:
    return etree.SubElement(parent, f"{{{NAMESPACE}}}{tag}", attributes)


LAYOUT_FORMAT = LayoutFormat("autosar", autosar.NAME, ".arxml", autosar.recognises, autosar.read, write)
