"""Everything that was sent and heard, newest at the end, each frame with its sentence."""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent

from ...app.hearing import LogRow
from ...widgets.paint import advance, draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font

_MOST = 5000
_ROW, _HEAD, _EDGE, _BETWEEN = 20, 22, 14, 12
_TITLES = "time", "", "lane", "address", "message", "says"
_LEAST = 104.0, 36.0, 52.0, 48.0, 120.0
"""Pixels of each column but the last, which has the rest."""
_MOST_OF_REST = 1.0, 1.0, 0.18, 0.18, 0.36
"""Of what is left beside the first two, however long names are: what a frame says has a good part."""
_Cell = tuple[str, QFont, str]
"""Words, and how they are written."""


class Log(RowList):
    """A list that follows what comes while its end is in view.

    Attributes
    ----------
    rows
        The last rows; what is older is in the file that the log is written to.
    is_held
        Whether it stands still; what comes meanwhile is listed once it goes on.
    """

    def __init__(self) -> None:
        super().__init__("Sent and heard", _ROW, _HEAD)
        self.rows: deque[LogRow] = deque(maxlen=_MOST)
        self.is_held = False
        self._waiting: deque[LogRow] = deque(maxlen=_MOST)
        self._only = self._where = ""
        self._shown: list[LogRow] = []
        self._rooms = [*_LEAST]
        look.changed.connect(self.repaint_rows)

    def add(self, rows: list[LogRow]) -> None:
        """Add rows behind the others."""
        if self.is_held:
            self._waiting.extend(rows)
            return
        follows = self.first() + self.slots() >= self.count()
        self.rows.extend(rows)
        # of the new rows alone: all of them are looked at only when something else is asked
        self._shown += [row for row in rows if self._is_asked(row)]
        del self._shown[:-_MOST]
        self._set_range()
        if follows:
            self.set_first(max(self.count() - self.slots(), 0))
        self.repaint_rows()

    def list_only(self, words: str) -> None:
        """List only rows that have some words in them; empty lists all."""
        self._only, self._where = words.strip().casefold(), ""
        self._list()

    def list_where(self, condition: str) -> None:
        """List only rows that were asked for by a condition; empty lists all."""
        self._only, self._where = "", condition
        self._list()

    def hold(self, is_held: bool) -> None:
        """Stand still, or go on with all that came meanwhile."""
        self.is_held = is_held
        if not is_held:
            waited = list(self._waiting)
            self._waiting.clear()
            self.add(waited)

    def _list(self) -> None:
        self._shown = [row for row in self.rows if self._is_asked(row)]
        self._set_range()
        self.set_first(max(self.count() - self.slots(), 0))
        self.repaint_rows()

    def _is_asked(self, row: LogRow) -> bool:
        return _has(row, self._only) and (not self._where or row.asked == self._where)

    def count(self) -> int:
        return len(self._shown)

    def go(self, step: int) -> None:
        self.set_first(max(self.first() + step, 0))
        self.repaint_rows()

    def _set_range(self) -> None:
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.setRange(0, max(self.count() - self.slots(), 0))
            bar.setPageStep(self.slots())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        viewport = self.viewport()
        if viewport is None:
            return
        self._set_range()
        theme = look.theme
        painter = QPainter(viewport)
        painter.fillRect(viewport.rect(), QColor(theme.panel))
        width, rows, height = viewport.width(), self.rows_in_view(), self.row_height
        listed = [_cells(self._shown[row]) for row, _ in rows]
        columns = self._columns(listed, width)
        for (x, room), words in zip(columns, _TITLES, strict=True):
            draw_text(painter, QRectF(x, 2, room, 18), words, text_font(TINY_PX), theme.quiet)
        for (_, top), cells in zip(rows, listed, strict=True):
            for (x, room), (words, font, ink) in zip(columns, cells, strict=True):
                draw_text(painter, QRectF(x, top, room, height), words, font, ink)
        if not self._shown:
            words = self._nothing()
            draw_text(painter, QRectF(14, _HEAD + 6, width - 28, 20), words, text_font(SMALL_PX), theme.quiet)
        painter.end()

    def _columns(self, listed: list[list[_Cell]], width: int) -> list[tuple[float, float]]:
        """Return where each column begins and how wide it is: as its widest words so far, which makes no row jump."""
        for cells in listed:
            self._rooms = [
                max(room, advance(words, font) + 1) for room, (words, font, _) in zip(self._rooms, cells, strict=False)
            ]
        rest = max(width - 2 * _EDGE - len(_LEAST) * _BETWEEN - sum(self._rooms[:2]), 0.0)
        made, x = [], float(_EDGE)
        for room, most in zip(self._rooms, _MOST_OF_REST, strict=True):
            made.append((x, min(room, most * rest)))
            x += made[-1][1] + _BETWEEN
        return [*made, (x, width - x - _EDGE)]

    def _nothing(self) -> str:
        """Say why the list is empty."""
        if not self.rows:
            return "Nothing was sent or heard yet."
        return "It has not held since it was asked." if self._where else "No frame has these words."


def _cells(row: LogRow) -> list[_Cell]:
    """Return what stands in the columns of a row."""
    theme, seconds = look.theme, row.time_ns / 1e9
    clock = f"{int(seconds // 3600 % 24):02d}:{int(seconds // 60 % 60):02d}:{seconds % 60:09.6f}"
    return [
        (clock, figure_font(TINY_PX), theme.quiet),
        ("sent" if row.is_sent else "heard", text_font(TINY_PX), theme.zest_text if row.is_sent else theme.good),
        (row.lane, text_font(SMALL_PX), theme.ink),
        (row.where, figure_font(TINY_PX), theme.ink),
        (row.message, text_font(SMALL_PX), theme.ink),
        (row.says or row.payload, text_font(SMALL_PX) if row.says else figure_font(TINY_PX), theme.ink),
    ]


def _has(row: LogRow, words: str) -> bool:
    if not words:
        return True
    said = f"{'sent' if row.is_sent else 'heard'} {row.lane} {row.where} {row.message} {row.says} {row.payload}"
    return words in said.casefold()
