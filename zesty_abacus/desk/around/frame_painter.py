"""Drawing a frame in a list: its time, its lane, what it says and its payload in the colours of its fields."""

from __future__ import annotations

import itertools

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from ..app.payload_form import blank_between, payload_texts, shown_form
from ..app.session import Session
from ..widgets.paint import byte_owners, draw_text
from ..widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ..widgets.told import tell
from ..widgets.words import later_text
from .frame_lines import FrameLine, FrameLines
from .listed_frames import ListedFrames

ROW = 23
"""How high a row is, in pixels."""
_GAP = 10
_MOST_BYTES_SHOWN = 24
_LETTERS = {"hex": 24, "dec": 32, "bin": 52, "text": 12}
"""How wide a column of payloads is in each form, in letters."""


class FramePainter:
    """Draws listed frames, one a row; only what is drawn is ever decoded."""

    def __init__(self, session: Session, listed: ListedFrames) -> None:
        self._session = session
        self._listed = listed
        self._lines = FrameLines(session)

    def line(self, place: int) -> FrameLine:
        """Return a listed frame in words."""
        return self._lines.of(self._listed.row(place))

    def forget(self) -> None:
        """Say everything anew from now on."""
        self._lines.forget()

    def draw(self, painter: QPainter, columns: dict[str, QRectF], place: int, top: float, height: float) -> None:
        """Draw a listed frame in the row that begins at ``top``."""
        theme = look.theme
        line = self.line(place)
        if not self._listed.follows_the_hits and self._session.asking.holds(self._listed.row(place)):
            painter.fillRect(QRectF(0, top + 3, 3, height - 6), QColor(theme.zest))
        cells = {name: QRectF(box.left(), top, box.width(), height) for name, box in columns.items()}
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, cells["time s"], line.time, figure_font(SMALL_PX), theme.ink, right)
        draw_text(painter, cells["after"], self.after(place), figure_font(TINY_PX), theme.quiet, right)
        if "message" in cells:
            draw_text(painter, cells["lane"], line.lane, text_font(SMALL_PX), theme.quiet)
            font = text_font(SMALL_PX, italic=not line.named)
            color = theme.ink if line.named else theme.unexplained
            draw_text(painter, cells["message"], line.message, font, color, middle=True)
        draw_text(painter, cells["says"], line.says, text_font(SMALL_PX), theme.wrong if line.wrong else theme.ink)
        draw_payload(painter, cells["payload"], line, self._session.form.asked)

    def after(self, place: int) -> str:
        """Return how long after the listed frame before it a frame came."""
        since = self._listed.time_since_last(place)
        return "" if since is None else later_text(since, "+")

    def columns(self, width: float) -> dict[str, QRectF]:
        """Return where each column is, by name, in a list of that width.

        Where all frames are of one message, the roster says which, and what they say has the room.
        """
        step = QFontMetricsF(figure_font(SMALL_PX)).horizontalAdvance("0")
        payload = min(step * _LETTERS.get(self._session.form.asked, _LETTERS["hex"]), width * 0.42)
        time = 20.0 + step * len(self._session.clock.words(self._session.clock.last_ns))
        widths = {"time s": max(time, 64.0), "after": 60.0}
        if not self._listed.follows_the_kind:
            widths |= {"lane": 52.0, "message": 130.0}
        says = max(width - sum(widths.values()) - payload - _GAP * (len(widths) + 1) - 16, 80)
        boxes, x = {}, 8.0
        for name, size in {**widths, "says": says, "payload": payload}.items():
            boxes[name] = QRectF(x, 0, size, ROW)
            x += size + _GAP
        return boxes


def draw_payload(painter: QPainter, box: QRectF, line: FrameLine, form: str) -> None:
    """Draw a payload, each byte in the colour of the field that owns most of it; unexplained bytes are quiet.

    Neighbours of one colour are drawn in one piece.
    """
    theme = look.theme
    form = shown_form(form, text=line.is_text)
    painter.setFont(figure_font(TINY_PX if form == "bin" else SMALL_PX))
    step = painter.fontMetrics().horizontalAdvance("0")
    blank = blank_between(form)
    texts = payload_texts(line.payload[:_MOST_BYTES_SHOWN], form)
    tell(painter, box, lambda: blank.join(texts))
    owners = byte_owners(line.owners, len(texts))
    x = box.left()
    for owner, group in itertools.groupby(zip(owners, texts, strict=True), key=lambda item: item[0]):
        run = blank.join(text for _, text in group) + blank
        fits = int((box.right() + 2 - x) // step)
        color = QColor(theme.quiet)
        if owner >= 0:
            color = theme.field_text(owner)
        painter.setPen(color)
        shown = run if len(run.rstrip()) <= fits else run[: max(fits - 1, 0)] + "…"
        painter.drawText(QRectF(x, box.top(), step * len(run) + 4, box.height()), Qt.AlignmentFlag.AlignVCenter, shown)
        if shown is not run:
            return
        x += step * len(run)
