"""Exchanges in words: what was asked, what came back, how it went; only what is asked for is ever decoded."""

from __future__ import annotations

from ...app.doors import wrong
from ...app.session import Session
from ...around.frame_lines import FrameLine, FrameLines
from ...widgets.words import later_text


class ExchangeLines:
    """Says what exchanges are, by their numbers among those that were found."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._frames = FrameLines(session)

    def forget(self) -> None:
        """Say everything anew."""
        self._frames.forget()

    def asked(self, number: int) -> FrameLine:
        """Return the request of an exchange in words."""
        return self._frames.of(int(self._session.exchanges.found.request[number]))  # type: ignore[union-attr]

    def question(self, number: int) -> str:
        """Return what was asked, and of whom where a layout reads the questions to many."""
        row = int(self._session.exchanges.found.request[number])  # type: ignore[union-attr]
        kind, line = self._session.store.kind_of_row(row), self.asked(number)
        layout = self._session.reading.layout_at(kind, row)
        if layout is None or layout.applies.is_for_one_address or layout.registers is not None:
            return _said(line)
        return f"{self._session.kinds.address(kind)}: {line.says}"

    def came(self, number: int) -> FrameLine | None:
        """Return the answer of an exchange in words, None if there is none."""
        row = int(self._session.exchanges.found.answer[number])  # type: ignore[union-attr]
        return self._frames.of(row) if row >= 0 else None

    def state(self, number: int) -> str:
        """Return how an exchange went."""
        return wrong.STATES[int(self._session.exchanges.states[number])]

    def took(self, number: int) -> str:
        """Return how long the answer of an exchange took; nothing if there is none."""
        took = int(self._session.exchanges.found.took_ns[number])  # type: ignore[union-attr]
        return "" if took < 0 else later_text(took)

    def outcome(self, number: int) -> str:
        """Return what came back, or how it went wrong."""
        came, state = self.came(number), self.state(number)
        if came is None:
            return state
        return _said(came) if state == "answered" else f"{state}: {_said(came)}"

    def whole(self, number: int) -> str:
        """Return both sides of an exchange in full, a line each."""
        came = self.came(number)
        return f"{self.question(number)}\n→ {_said(came) if came is not None else self.state(number)}"


def _said(line: FrameLine) -> str:
    says = line.payload.hex(" ").upper() if line.says_nothing else line.says
    return f"{line.message}: {says}" if says else line.message
