"""How findings are called by people: a few words for each, and a word for how sure it is."""

from __future__ import annotations

from collections.abc import Callable

from ..words import span_text
from .finding import Finding
from .words import followed_words

LIKELY = 0.7
"""From here on findings are worth keeping together; nine in ten of them are true."""
_SURE, _PERHAPS = 0.9, 0.5
_LONGEST_IDENTIFIER = (1 << 29) - 1
"""Of CAN: up to here an address is one number."""
_READINGS = {
    "unsigned": "number", "signed": "signed number", "float": "floating-point number", "flag": "flag", "names": "state",
    "text": "text", "gray": "Gray number", "bcd": "decimal digits", "bcd-bytes": "decimal digits",
    "sign-magnitude": "number with a sign",
}  # fmt: skip


def confidence_word(confidence: float) -> str:
    """Return ``sure``, ``likely``, ``perhaps`` or ``weak``."""
    for least, word in ((_SURE, "sure"), (LIKELY, "likely"), (_PERHAPS, "perhaps")):
        if confidence >= least:
            return word
    return "weak"


def title(finding: Finding) -> str:
    """Return what a finding is, in a few words: ``counter, 16 values``, ``CRC of 8 bits``."""
    return _TITLES[finding.kind](finding) if finding.kind in _TITLES else finding.kind


def _by_whom(finding: Finding, key: str, word: str) -> str:
    """Return which other message is meant; nothing of the same address, as of a request and its answer."""
    address = finding.parameters[key]["address"]
    if address == finding.address:
        return ""
    # an address that packs several things is a number nobody can read; the reason has its words
    return f"{word}0x{address:X}" if address <= _LONGEST_IDENTIFIER else f"{word}another message"


def _counter(finding: Finding) -> str:
    parameters = finding.parameters
    step = parameters["step"]
    by = "" if step == 1 else f" by {step}"
    per = f" for each {parameters['per']}" if "per" in parameters else ""
    return f"counter{by}, {parameters['wraps_at']} values{per}"


def _check(finding: Finding) -> str:
    parameters = finding.parameters
    kind = parameters["check"]
    bits = f" of {parameters['width']} bits" if "width" in parameters else ""
    return f"CRC{bits}" if kind == "crc" else {"xor": "exclusive or", "sum": "sum"}.get(kind, kind) + bits


def _constant(finding: Finding) -> str:
    parameters = finding.parameters
    value = parameters["value"]
    return f"always {value}" if value < 10 else f"always 0x{value:X}"


def _period(finding: Finding) -> str:
    parameters = finding.parameters
    if "seconds" not in parameters:
        return "comes when something changes"
    return f"comes every {span_text(parameters['seconds'] * 1e9)}"


def _length(finding: Finding) -> str:
    parameters = finding.parameters
    of = parameters["of"]
    return "length of the payload" if of == "payload" else f"length of {of}"


def _count(finding: Finding) -> str:
    parameters = finding.parameters
    of = parameters["of"]
    return f"counts items of {of['step_bits'] // 8} bytes" if isinstance(of, dict) else f"counts {of}"


def _field(finding: Finding) -> str:
    parameters = finding.parameters
    reading = _READINGS.get(parameters["reading"], parameters["reading"])
    return f"{reading} in each item" if "array" in parameters else reading


def _text(finding: Finding) -> str:
    parameters = finding.parameters
    if "column" not in parameters:
        return "text"
    return f"column {parameters['column'] + 1}, {_READINGS.get(parameters['reading'], parameters['reading'])}"


def _known(finding: Finding) -> str:
    parameters = finding.parameters
    return f"holds {parameters['pattern']}"


_TITLES: dict[str, Callable[[Finding], str]] = {
    "field": _field,
    "constant": _constant,
    "counter": _counter,
    "check": _check,
    "complement": lambda finding: f"{finding.parameters['of']} turned round",
    "mirror": lambda finding: f"same as {finding.parameters['of']['places']}{_by_whom(finding, 'of', ' of ')}",
    "selector": lambda finding: f"selects {len(finding.parameters['values'])} pages",
    "length": _length,
    "count": _count,
    "reference": lambda finding: f"follows {followed_words(finding.parameters)}",
    "reaction": lambda finding: f"answers “{finding.parameters['moment']}”",
    "pair": lambda finding: f"answered{_by_whom(finding, 'with', ' by ')}",
    "period": _period,
    "text": _text,
    "difference": lambda _finding: "tells the two apart",
    "order": _known,
}
