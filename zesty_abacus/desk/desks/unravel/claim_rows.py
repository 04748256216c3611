"""The list of claims: what is held to be true, of which bits, how sure, by whom."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from ...app.doors import laid
from ...app.session import Session
from ...widgets.paint import draw_sentence, draw_text
from ...widgets.reading_list import ReadingList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font

_STANDING, _LINE = 62, 16


class ClaimRows(ReadingList):
    """Claims, newest first. A click takes one in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__("Claims")
        self._session = session

    def is_in_hand(self, thing: Any) -> bool:
        return thing is self._session.claims.in_hand

    def draw_thing(self, painter: QPainter, thing: Any, lines: tuple[QRectF, QRectF, QRectF]) -> None:
        theme, (first, second, last), claim = look.theme, lines, thing.state
        refuted = claim.standing is laid.ClaimStanding.REFUTED
        draw_text(painter, first, claim.name, text_font(bold=True), theme.quiet if refuted else theme.ink)
        color = {laid.ClaimStanding.PROVEN: theme.good, laid.ClaimStanding.REFUTED: theme.wrong}
        draw_text(
            painter, QRectF(last.right() - _STANDING, last.top(), _STANDING, _LINE), claim.standing.value,
            text_font(TINY_PX), color.get(claim.standing, theme.ink), Qt.AlignmentFlag.AlignRight,
        )  # fmt: skip
        draw_text(painter, second, about_words(self._session, claim), figure_font(SMALL_PX), theme.ink, middle=True)
        count = len(claim.evidence) + len(claim.curves)
        seen = f"{count} seen" if count else "nothing seen yet"
        who = last.adjusted(0, 0, -_STANDING - 6, 0)
        draw_sentence(painter, who, f"{thing.revision.author} · {seen}", text_font(TINY_PX), theme.quiet)


def about_words(session: Session, claim: Any) -> str:
    """Return which bits of which message a claim is about."""
    address = (
        f" {session.kinds.address_on(claim.lane, claim.address)}" if claim.address is not None else ", any message"
    )
    return f"{claim.lane}{address}" + (f" · {claim.places}" if claim.places else "")
