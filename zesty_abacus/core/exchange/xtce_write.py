"""Layouts as an XTCE space system; what it has no word for is listed."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from fractions import Fraction
from typing import Any

from lxml import etree

from ..layouts.json_form import to_plain
from ..layouts.model import Field, FieldKind, Group, Layout, Part, Repeat, Reserved, Run, Selected
from . import xtce
from .form import LayoutFormat
from .names import Namer
from .polynomials import composed
from .result import Exchanged, Written, decimal_of, in_plain_kinds, is_decimal
from .xml import Element, to_bytes
from .xtce import NAMESPACE, OWN_DATA
from .xtce_types import TEXT_ENCODINGS, sent_bits

_ENCODINGS = {
    FieldKind.UNSIGNED: "unsigned", FieldKind.NAMES: "unsigned", FieldKind.FLAG: "unsigned",
    FieldKind.SIGNED: "twosComplement", FieldKind.SIGN_MAGNITUDE: "signMagnitude",
    FieldKind.ONES_COMPLEMENT: "onesComplement", FieldKind.BCD: "packedBCD", FieldKind.BCD_BYTES: "BCD",
}  # fmt: skip
_TEXT = {ours: theirs for theirs, ours in TEXT_ENCODINGS.items()}


def write(layouts: Iterable[Layout]) -> Written:
    """Return a space system with one container a layout."""
    writer = _Writer()
    for layout in layouts:
        writer.add(layout)
    return Written(to_bytes(writer.root), writer.found.left)


class _Writer:
    def __init__(self) -> None:
        self.found = Exchanged()
        self.root = etree.Element(f"{{{NAMESPACE}}}SpaceSystem", nsmap={None: NAMESPACE}, name="ZestyAbacus")
        telemetry = _sub(self.root, "TelemetryMetaData")
        self._types, self._parameters, self._containers = (
            _sub(telemetry, name) for name in ("ParameterTypeSet", "ParameterSet", "ContainerSet")
        )
        self._namer = Namer()

    def add(self, layout: Layout) -> None:
        """Add a container, its parameters and their types."""
        name = self._namer.of(layout.name)
        container = _sub(self._containers, "SequenceContainer", name=name)
        _describe(container, layout.note)
        _keep(container, {"id": str(layout.id), "name": layout.name, "sender": layout.sender,
                          "applies": to_plain(layout.applies)})  # fmt: skip
        _sub(_sub(_sub(container, "BinaryEncoding"), "SizeInBits"), "FixedValue").text = str(layout.size * 8)
        entries = _sub(container, "EntryList")
        names = self._add_fields(entries, name, layout.fields, {})
        for number, part in enumerate(layout.parts):
            self._add_part(entries, layout, part, name, names, layout.size * 8 if number == 0 else None)
        for check in layout.checks:
            if isinstance(check, Reserved) and self._add_reserved(entries, check):
                continue
            self.found.leave(f"{layout.name}, {check.name}", "checks are not part of a container.")
        for computed in layout.computed:
            self.found.leave(f"{layout.name}, {computed.name}", "computed values are not part of a container.")
        if layout.registers is not None:
            self.found.leave(layout.name, "that it is a register map is kept nowhere.")

    def _add_fields(
        self, entries: Element, path: str, fields: Sequence[Field], known: dict[Any, str]
    ) -> dict[Any, str]:
        """Add entries at fixed places; return the parameters' names by field."""
        names = dict(known)
        for field in sorted(fields, key=_first_sent):
            names[field.id] = self._namer.of(f"{path}_{field.name}")
        for field in sorted(fields, key=_first_sent):
            shape = sent_shape(field)
            if shape is None:
                self.found.leave(f"{path}, {field.name}", "its bits are scattered; a container has only stretches.")
                continue
            if not self._add_parameter(field, names[field.id], path, low_byte_first=shape[1]):
                continue
            entry = _sub(entries, "ParameterRefEntry", parameterRef=names[field.id])
            location = _sub(entry, "LocationInContainerInBits", referenceLocation="containerStart")
            _sub(location, "FixedValue").text = str(shape[0])
            self._include(entry, field.selected, names, f"{path}, {field.name}")
        return names

    def _add_parameter(self, field: Field, name: str, path: str, *, low_byte_first: bool, run: Run | None = None,
                       names: dict[Any, str] | None = None) -> bool:  # fmt: skip
        field = in_plain_kinds(field, self.found, f"{path}, {field.name}")
        if field.kind is FieldKind.GRAY or field.inverted:
            self.found.leave(f"{path}, {field.name}", "Gray code and turned bits have no encoding.")
            return False
        if field.kind is FieldKind.TEXT and field.encoding not in _TEXT:
            self.found.leave(f"{path}, {field.name}", f"the encoding {field.encoding} has no name there.")
            return False
        for attribute, words in (("unavailable", "not available"), ("errors", "fault")):
            if getattr(field, attribute):
                self.found.leave(f"{path}, {field.name}", f"its {words} values have no place.")
        if not (is_decimal(field.ratio) and is_decimal(field.offset)):
            self.found.leave(f"{path}, {field.name}", "its step or offset is no decimal and is rounded to one.")
        made = _type(self._types, field, f"{name}_T", low_byte_first=low_byte_first, run=run, names=names or {})
        if made is None:
            self.found.leave(f"{path}, {field.name}", "how its length is told cannot be said.")
            return False
        parameter = _sub(self._parameters, "Parameter", name=name, parameterTypeRef=f"{name}_T")
        _describe(parameter, field.note)
        _keep(parameter, {"id": str(field.id), "name": field.name})
        return True

    def _include(self, entry: Element, selected: Selected | None, names: dict[Any, str], place: str) -> None:
        if selected is None:
            return
        if len(selected.values.spans) != 1 or selected.field not in names:
            self.found.leave(place, f"its condition {selected.values} is more than one span.")
            return
        low, high = selected.values.spans[0]
        condition = _sub(entry, "IncludeCondition")
        compared = [("==", low)] if low == high else [(">=", low), ("<=", high)]
        holder = condition if low == high else _sub(condition, "ComparisonList")
        for operator, value in compared:
            _sub(holder, "Comparison", parameterRef=names[selected.field], comparisonOperator=operator,
                 value=str(value), useCalibratedValue="false")  # fmt: skip

    def _add_part(
        self, entries: Element, layout: Layout, part: Part, path: str, names: dict[Any, str], start: int | None
    ) -> None:
        place = f"{layout.name}, {part.name}"
        if part.start is not None or part.align != 1:
            self.found.leave(place, "where it starts cannot be said.")
        elif isinstance(part, Run) and part.field.raw_is_number:
            self.found.leave(place, "a number in digits is left.")
        elif isinstance(part, Run):
            name = self._namer.of(f"{path}_{part.field.name}")
            by_name = {layout.any_field(key).name: theirs for key, theirs in names.items()}
            if self._add_parameter(part.field, name, path, low_byte_first=False, run=part, names=by_name):
                self._place(_sub(entries, "ParameterRefEntry", parameterRef=name), start, part, names, place)
        elif isinstance(part, Group) and not part.parts and part.repeat in (Repeat.ONCE, Repeat.COUNT):
            self._add_group(entries, layout, part, path, names, start)
        else:
            self.found.leave(place, f"there is no word for: {part.words()}.")

    def _add_group(
        self, entries: Element, layout: Layout, part: Group, path: str, names: dict[Any, str], start: int | None
    ) -> None:
        place = f"{layout.name}, {part.name}"
        by_name = {layout.any_field(key).name: theirs for key, theirs in names.items()}
        count = None if part.amount is None else str(part.amount).strip("`")
        if part.repeat is Repeat.COUNT and not (count and (count.isdigit() or count in by_name)):
            self.found.leave(place, f"its amount {part.amount} is a formula.")
            return
        inner_name = self._namer.of(f"{path}_{part.name}")
        container = _sub(self._containers, "SequenceContainer", name=inner_name)
        _keep(container, {"id": str(part.id), "name": part.name})
        _sub(_sub(_sub(container, "BinaryEncoding"), "SizeInBits"), "FixedValue").text = str(part.size * 8)
        names |= self._add_fields(_sub(container, "EntryList"), inner_name, part.fields, {})
        entry = _sub(entries, "ContainerRefEntry", containerRef=inner_name)
        self._place(entry, start, None, names, place)
        if part.repeat is Repeat.COUNT:
            assert count is not None
            amount = _sub(_sub(entry, "RepeatEntry"), "Count")
            if count.isdigit():
                _sub(amount, "FixedValue").text = count
            else:
                _sub(_sub(amount, "DynamicValue"), "ParameterInstanceRef", parameterRef=by_name[count])
        self._include(entry, part.selected, names, place)

    def _place(self, entry: Element, start: int | None, part: Part | None, names: dict[Any, str], place: str) -> None:
        if start is not None:
            location = _sub(entry, "LocationInContainerInBits", referenceLocation="containerStart")
            _sub(location, "FixedValue").text = str(start)
        if part is not None:
            self._include(entry, part.selected, names, place)

    def _add_reserved(self, entries: Element, check: Reserved) -> bool:
        first = min(check.places.bits, key=_sent)
        if list(check.places.bits) != sent_bits(_sent(first), len(check.places)):
            return False
        width = len(check.places)
        entry = _sub(entries, "FixedValueEntry", name=check.name, sizeInBits=str(width),
                     binaryValue=f"{check.value:0{-(-width // 8) * 2}X}")  # fmt: skip
        location = _sub(entry, "LocationInContainerInBits", referenceLocation="containerStart")
        _sub(location, "FixedValue").text = str(_sent(first))
        return True


def sent_shape(field: Field) -> tuple[int, bool] | None:
    """Return the first sent bit of a field, and whether its low byte comes first; None if it is no stretch."""
    bits, first = list(field.places.bits), _first_sent(field)
    stretch = sent_bits(first, len(bits))
    if bits == stretch:
        return first, False
    swapped = [b for at in range(len(bits) - 8, -1, -8) for b in stretch[at : at + 8]] if len(bits) % 8 == 0 else []
    return (first, True) if bits == swapped else None


def _sent(bit: int) -> int:
    return bit // 8 * 8 + 7 - bit % 8


def _first_sent(field: Field) -> int:
    return min((_sent(bit) for bit in field.places.bits), default=0)


def _type(
    types: Element, field: Field, name: str, *, low_byte_first: bool, run: Run | None, names: dict[str, str]
) -> Element | None:
    kind = _type_name(field)
    attributes = {"name": name}
    if kind == "IntegerParameterType":
        attributes["signed"] = str(field.is_signed).lower()
    if kind == "BooleanParameterType" and len(field.names) == 2:
        attributes |= {"zeroStringValue": field.names[0].label, "oneStringValue": field.names[1].label}
    made = etree.Element(f"{{{NAMESPACE}}}{kind}", attributes)
    if field.unit:
        _sub(_sub(made, "UnitSet"), "Unit").text = field.unit
    if field.kind in (FieldKind.TEXT, FieldKind.BYTES):
        if not _sized(made, field, run, names):
            return None
    else:
        _number(made, field, low_byte_first)
    types.append(made)
    return made


def _type_name(field: Field) -> str:
    if field.kind is FieldKind.TEXT:
        return "StringParameterType"
    if field.kind is FieldKind.BYTES:
        return "BinaryParameterType"
    if field.kind is FieldKind.FLAG:
        return "BooleanParameterType"
    if field.names:
        return "EnumeratedParameterType"
    plain = field.ratio.denominator == 1 and field.offset.denominator == 1 and not field.is_curved
    return "IntegerParameterType" if plain and field.kind is not FieldKind.FLOAT else "FloatParameterType"


def _number(made: Element, field: Field, low_byte_first: bool) -> None:
    order = {"byteOrder": "leastSignificantByteFirst"} if low_byte_first else {}
    width = str(len(field.places))
    if field.kind is FieldKind.FLOAT:
        data = _sub(made, "FloatDataEncoding", sizeInBits=width, encoding="IEEE754_1985", **order)
    else:
        data = _sub(made, "IntegerDataEncoding", sizeInBits=width, encoding=_ENCODINGS[field.kind], **order)
    if field.table or field.polynomial or field.ratio != 1 or field.offset:
        _calibrate(_sub(data, "DefaultCalibrator"), field)
    if field.low is not None or field.high is not None:
        limits = {"minInclusive": field.low, "maxInclusive": field.high}
        said = {name: decimal_of(limit) for name, limit in limits.items() if limit is not None}
        _sub(_sub(made, "ValidRangeSet"), "ValidRange", **said)
    if field.names and field.kind is not FieldKind.FLAG:
        listed = _sub(made, "EnumerationList")
        for named in field.names:
            more = {} if named.to is None else {"maxValue": str(named.to)}
            _sub(listed, "Enumeration", value=str(named.raw), label=named.label, **more)


def _calibrate(calibrator: Element, field: Field) -> None:
    """Write scale, polynomial or table; a scale before a curve is worked into it, which is exact."""
    if field.table:
        spline = _sub(calibrator, "SplineCalibrator")
        for corner in field.table:
            raw = (corner.x - field.offset) / field.ratio
            _sub(spline, "SplinePoint", raw=decimal_of(raw), calibrated=decimal_of(corner.y))
        return
    terms = composed(field.polynomial or (Fraction(0), Fraction(1)), field.offset, field.ratio)
    polynomial = _sub(calibrator, "PolynomialCalibrator")
    for exponent, coefficient in enumerate(terms):
        _sub(polynomial, "Term", coefficient=decimal_of(coefficient), exponent=str(exponent))


def _sized(made: Element, field: Field, run: Run | None, names: dict[str, str]) -> bool:
    """Write how long text or bytes are; return whether it can be said."""
    if field.kind is FieldKind.TEXT:
        data = _sub(made, "StringDataEncoding", encoding=_TEXT[field.encoding])
        size = _sub(data, "SizeInBits")
    else:
        size = _sub(_sub(made, "BinaryDataEncoding"), "SizeInBits")
    if run is None:
        holder = _sub(size, "Fixed") if field.kind is FieldKind.TEXT else size
        _sub(holder, "FixedValue").text = str(len(field.places))
        return True
    if run.end and field.kind is FieldKind.TEXT and run.length is None:
        _sub(size, "TerminationChar").text = run.end
        return True
    counted = str(run.length).strip("`") if run.length is not None else ""
    if counted not in names or run.end:
        return False
    dynamic = _sub(size, "DynamicValue")
    _sub(dynamic, "ParameterInstanceRef", parameterRef=names[counted])
    _sub(dynamic, "LinearAdjustment", slope="8", intercept="0")
    return True


def _describe(element: Element, note: str) -> None:
    if note:
        element.set("shortDescription", " ".join(note.split()))


def _keep(element: Element, own: dict[str, Any]) -> None:
    """Keep what only we understand, so that the file comes back as what it was."""
    _sub(_sub(element, "AncillaryDataSet"), "AncillaryData", name=OWN_DATA).text = json.dumps(own, ensure_ascii=False)


def _sub(parent: Element, tag: str, /, **attributes: str) -> Element:
    return etree.SubElement(parent, f"{{{NAMESPACE}}}{tag}", {key: str(value) for key, value in attributes.items()})


LAYOUT_FORMAT = LayoutFormat("xtce", xtce.NAME, ".xml", xtce.recognises, xtce.read, write)
