"""Layouts with everything in them that is sure enough: one a message, for people to agree to."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..layouts.model import Layout
from ..protocols.registry import protocol_named
from ..reading.fresh import layout_to_begin
from ..values.reference import ReferenceColumn
from .keeping import all_kept
from .look import Unravelled
from .meant import meant


def drafts(found: Unravelled, least: float, references: Sequence[ReferenceColumn] = ()) -> Iterator[tuple[Layout, int]]:
    """Yield a layout for each message of which something is found, with how many findings are new in it.

    A message that a layout reads gets a changed one, others get one of their own.

    Parameters
    ----------
    least
        Confidence that findings have at least.
    """
    capture = found.meaning.capture
    for kind in found.kinds:
        readers = found.meaning.kinds[kind.kind].readers
        key = capture.kinds.keys[kind.kind]
        name = f"Message {protocol_named(capture.lanes[key.lane].protocol).kind_text(key)}"
        before = readers[0].layout if readers else layout_to_begin(capture, kind.kind, name)
        made, count = all_kept(
            before, kind.findings, least,
            lambda one, beside=kind.findings: meant(one, beside, references, found.meaning),  # type: ignore[misc]
        )  # fmt: skip
        if count:
            yield made, count
