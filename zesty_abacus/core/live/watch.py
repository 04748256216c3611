"""A condition watched while frames come: where it first holds, without asking all that came before again and again."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from ..conditions.bind import Known, Moment, bind
from ..conditions.hits import find
from ..conditions.joined import AfterAnother
from ..conditions.term import Term, all_terms
from ..frames.capture import Capture, Lane
from ..frames.table import FrameTable
from ..layouts.model import Layout
from ..reading.meaning import Meaning

_WHOLE = 20_000
_OF_A_KIND = 200
"""Frames that are asked along with the new ones, since a condition looks back: all while there are few, later the first
one, from which ``time`` counts, the last ones of each kind, and those within the longest ``within``."""


class Watch:
    """Asks a condition of frames as they come.

    Parameters
    ----------
    condition
    lanes
        Names that it may say.
    layouts
        Of the library, whose fields it may name.
    moments

    Raises
    ------
    MisuseError
        If the condition makes no sense.
    """

    def __init__(
        self, condition: str, lanes: Sequence[str], layouts: Sequence[Layout] = (), moments: Sequence[Moment] = ()
    ) -> None:
        self._term: Term = bind(condition, Known(lanes, layouts, moments))
        self._layouts = list(layouts)
        terms = [one for one in all_terms(self._term) if isinstance(one, AfterAnother)]
        self._within_ns = max((one.within_ns for one in terms), default=0)
        self._before = FrameTable.empty()

    def holds_in(self, table: FrameTable, lanes: Sequence[Lane]) -> list[int]:
        """Return the rows of a table in which the condition holds, rising; the table continues those before it."""
        if not len(table):
            return []
        known = len(self._before)
        whole = FrameTable.joined([self._before, table]).by_time()
        # frames of the table stand behind those before, save where an endpoint told something late
        places = np.argsort(np.concatenate([self._before.time_ns, table.time_ns]), kind="stable")
        capture = Capture.from_table(whole, list(lanes))
        hits = find(Meaning.of(capture, self._layouts), self._term)
        self._before = self._kept(whole, capture)
        fresh = places[hits.rows]
        return sorted((fresh[fresh >= known] - known).tolist())

    def _kept(self, whole: FrameTable, capture: Capture) -> FrameTable:
        if len(whole) <= _WHOLE:
            return whole
        recent = whole.time_ns >= whole.time_ns[-1] - self._within_ns
        recent[0] = True
        for kind in range(len(capture.kinds.keys)):
            recent[capture.order_of_kind(kind).rows()[-_OF_A_KIND:]] = True
        rows = np.flatnonzero(recent)
        return whole.chosen(rows).compact()


def on_any_lane(layouts: Sequence[Layout]) -> list[Layout]:
    """Return layouts that ask for no lane: whoever points a library at an endpoint means that its frames are these."""
    return [msgspec.structs.replace(one, applies=msgspec.structs.replace(one.applies, lanes=())) for one in layouts]
