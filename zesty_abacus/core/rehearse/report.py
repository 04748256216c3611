"""The outcome of a rehearsal as JUnit XML, the form that build servers read.

One ``testsuite`` a rehearsal, a ``testcase`` a step; a step that failed has a ``failure``, one that was left out a
``skipped``.
"""

from __future__ import annotations

from datetime import UTC, datetime
from xml.etree import ElementTree

from ..harmless import visible_line
from .runner import FAILED, LEFT_OUT, Outcome


def junit_xml(outcome: Outcome, properties: dict[str, str] | None = None) -> bytes:
    """Return the report.

    Parameters
    ----------
    properties
        What else is said of the run: the library, its release, the endpoints.
    """
    counts = {
        "tests": str(len(outcome.steps)),
        "failures": str(sum(one.state == FAILED for one in outcome.steps)),
        "errors": "0",
        "skipped": str(sum(one.state == LEFT_OUT for one in outcome.steps)),
        "time": f"{outcome.seconds:.3f}",
    }
    root = ElementTree.Element("testsuites", counts)
    began = datetime.fromtimestamp(outcome.begin_ns / 1e9, UTC).strftime("%Y-%m-%dT%H:%M:%S")
    suite = ElementTree.SubElement(root, "testsuite", {"name": _text(outcome.name), **counts, "timestamp": began})
    listed = ElementTree.SubElement(suite, "properties")
    for name, value in (properties or {}).items():
        ElementTree.SubElement(listed, "property", {"name": name, "value": _text(value)})
    for one in outcome.steps:
        said = {"name": _text(f"{one.number} {one.words}"), "time": f"{one.seconds:.3f}"}
        case = ElementTree.SubElement(suite, "testcase", {"classname": _text(outcome.name), **said})
        if one.state == FAILED:
            failure = ElementTree.SubElement(case, "failure", {"message": _text(one.reason)})
            failure.text = _text(f"{one.reason} {one.frame}".strip())
        elif one.state == LEFT_OUT:
            ElementTree.SubElement(case, "skipped", {"message": "a step before it failed"})
        elif one.reason or one.frame:
            ElementTree.SubElement(case, "system-out").text = _text(f"{one.reason} {one.frame}".strip())
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n"


def _text(text: str) -> str:
    """Return a text that XML can hold: names come from anybody, and control letters are not allowed in it."""
    return visible_line(text)
