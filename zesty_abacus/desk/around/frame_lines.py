"""Frames in words, one line each, kept while they are of use."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..app.doors import engine
from ..app.payload_form import joined_texts, payload_texts
from ..app.session import Session

if TYPE_CHECKING:
    from ...core.frames.capture import Capture

_KEPT_LINES = 2000
_NO_VALUES, _NOT_READ, _UNNAMED = "nothing set", "no layout reads this frame", "nobody has named it"


@dataclass(frozen=True, slots=True)
class FrameLine:
    """A frame in words."""

    time: str
    after: str
    lane: str
    message: str
    named: bool
    says: str
    wrong: bool
    payload: bytes
    owners: NDArray[np.int16]
    is_text: bool = False

    @property
    def says_nothing(self) -> bool:
        """Whether it has no values to say, only why there are none."""
        return self.says in (_NO_VALUES, _NOT_READ, _UNNAMED)


class FrameLines:
    """Says what frames are; only what is asked for is ever decoded."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._capture: Capture | None = None
        self._zero_ns = 0
        self._lines: OrderedDict[int, FrameLine] = OrderedDict()

    def of(self, row: int) -> FrameLine:
        """Return a frame of the capture in words."""
        capture, zero_ns = self._session.capture, self._session.clock.first_ns
        if self._capture is None or not capture.has_grown_from(self._capture) or zero_ns != self._zero_ns:
            # in another capture the same row is another frame, and in another stretch its time is another one
            self.forget()
        self._capture, self._zero_ns = capture, zero_ns
        if row not in self._lines:
            self._lines[row] = self._make_line(row)
            if len(self._lines) > _KEPT_LINES:
                self._lines.popitem(last=False)
        return self._lines[row]

    def forget(self) -> None:
        """Say everything anew from now on."""
        self._lines.clear()

    def _make_line(self, row: int) -> FrameLine:
        session = self._session
        recorded = session.capture.frames.at(row)
        kind = session.store.kind_of_row(row)
        layout = session.reading.layout_at(kind, row)
        frame = session.store.frame(row, layout)
        flags = recorded.flags
        name = layout.name if layout is not None else session.kinds.name(kind)
        says, wrong = self._sentence(kind, frame.decoded, flags, layout)
        if layout is None and session.kinds.is_text(kind):
            # what a line of text says can be read without a layout
            says = joined_texts(payload_texts(frame.payload.rstrip(b"\r\n"), "text"), "text")
        return FrameLine(
            time=session.clock.words(frame.time_ns),
            after="",
            lane=session.capture.lanes[recorded.lane].name,
            message=name or session.kinds.address(kind),
            named=layout is not None or bool(name and flags & (engine.ERROR | engine.REMOTE)),
            says=says,
            wrong=wrong,
            payload=frame.payload,
            owners=frame.owners,
            is_text=session.kinds.is_text(kind),
        )

    def _sentence(
        self, kind: int, decoded: engine.Decoded | None, flags: int, layout: engine.Layout | None
    ) -> tuple[str, bool]:
        if flags & engine.ERROR:
            return "the bus reports an error", True
        if flags & engine.REMOTE:
            return "asks for data", False
        if layout is None:
            named = bool(self._session.reading.readers(kind))
            return _NOT_READ if named else _UNNAMED, False
        if decoded is None:
            return "the layout has a problem; see Layouts", True
        text = engine.wording.frame_sentence(decoded, 0)
        bad = (engine.Validity.OUTSIDE_LIMITS, engine.Validity.CHECK_FAILED, engine.Validity.FAULT)
        wrong = any(int(c.validity[0]) in bad for c in decoded.columns.values())
        wrong |= any(int(c.state[0]) == engine.CheckState.DISAGREES for c in decoded.checks.values())
        return text or _NO_VALUES, wrong
