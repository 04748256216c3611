"""XML from strangers: no entities, no network, no document type, bounded depth and size."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeAlias

from lxml import etree

from .result import ExchangeError

Element: TypeAlias = etree._Element


def parse_xml(data: bytes, where: str) -> Element:
    """Return the root of a document.

    Raises
    ------
    ExchangeError
        If it is not well-formed, with the line, or declares a document type.
    """
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        line = error.lineno or 0
        raise ExchangeError(f"this is not well-formed XML ({error.msg}).", where=f"{where}, line {line}") from error
    if root.getroottree().docinfo.doctype:
        raise ExchangeError("the document declares entities, which are not read.", where=where)
    return root


def local(element: Element) -> str:
    """Return an element's name without its namespace."""
    return etree.QName(element).localname


def child(element: Element | None, *path: str) -> Element | None:
    """Return the first element down a path of local names, None if there is none."""
    for name in path:
        if element is None:
            return None
        element = next((one for one in element if local(one) == name), None)
    return element


def children(element: Element | None, *names: str) -> Iterator[Element]:
    """Yield the direct children with one of these local names, or all if none is given."""
    for one in element if element is not None else ():
        if not names or local(one) in names:
            yield one


def below(element: Element, name: str) -> Iterator[Element]:
    """Yield all elements with a local name at any depth."""
    return (one for one in element.iter("{*}" + name))


def text_of(element: Element | None, *path: str) -> str:
    """Return the text at a path, empty if there is none."""
    found = child(element, *path)
    return (found.text or "").strip() if found is not None else ""


def place_of(element: Element) -> str:
    """Return the line and the name of an element."""
    name = element.get("name") or text_of(element, "SHORT-NAME")
    return f"line {element.sourceline}, {local(element)}{f' {name}' if name else ''}"


def to_bytes(root: Element) -> bytes:
    """Return an indented document."""
    etree.indent(root)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")
