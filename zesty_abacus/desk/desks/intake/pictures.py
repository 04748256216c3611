"""Small pictures of the recipe panel: levels seen, lengths of pulses, and how repeats voted."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import lines
from ...widgets.paint import draw_text
from ...widgets.parts import plain_tip
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import span_text

if TYPE_CHECKING:
    from collections.abc import Sequence

_VOTE_ROW = 34


class LevelHistogramView(QWidget):
    """How often each level was seen on the channels in use, with their thresholds."""

    def __init__(self) -> None:
        super().__init__()
        self._lines: dict[str, lines.PreparedLine] = {}
        self.setMinimumHeight(74)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Levels seen")

    def sizeHint(self) -> QSize:
        return QSize(240, 74)

    def show_lines(self, lines: dict[str, lines.PreparedLine]) -> None:
        """Show the levels of lines."""
        self._lines = {name: line for name, line in lines.items() if line.histogram is not None}
        self.setVisible(bool(self._lines))
        parts = [line.suggestion.reason for line in self._lines.values() if line.suggestion is not None]
        self.setAccessibleDescription("; ".join(parts))
        self.setToolTip(plain_tip("\n".join(parts)))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0, 2, 0, -2)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.chip))
        painter.drawRoundedRect(box, 6, 6)
        if self._lines:
            low = min(line.histogram.edges[0] for line in self._lines.values() if line.histogram is not None)
            high = max(line.histogram.edges[-1] for line in self._lines.values() if line.histogram is not None)
            inner = box.adjusted(8, 6, -8, -6)
            scale = inner.width() / (high - low or 1)
            for number, line in enumerate(self._lines.values()):
                self._draw_line(painter, inner, line, low, scale, number)
        painter.end()

    def _draw_line(
        self, painter: QPainter, box: QRectF, line: lines.PreparedLine, low: float, scale: float, number: int
    ) -> None:
        theme, histogram = look.theme, line.histogram
        assert histogram is not None
        # the root shows the flanks beside the levels, where a line rests nearly always
        heights = np.sqrt(histogram.counts / max(histogram.counts.max(), 1))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(faded(theme.field(number + 1), 0.6))
        width = max((histogram.edges[1] - histogram.edges[0]) * scale, 1)
        for edge, height in zip(histogram.edges, heights, strict=False):
            if height > 0:
                tall = height * box.height()
                painter.drawRect(QRectF(box.left() + (edge - low) * scale, box.bottom() - tall, width, tall))
        painter.setPen(QPen(QColor(theme.zest), 1.4, Qt.PenStyle.DashLine))
        for level in (line.setting.above, line.setting.below):
            if level is not None and line.threshold is None:
                x = box.left() + (level - low) * scale
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))


_BAR = 2
"""Pixels that a bar of lengths is wide."""


class LengthsView(QWidget):
    """How long pulses and the spaces between them last, on a logarithmic scale."""

    def __init__(self) -> None:
        super().__init__()
        self._widths: tuple[np.ndarray, np.ndarray] = (np.empty(0), np.empty(0))
        self.setMinimumHeight(92)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Lengths of pulses and spaces")

    def sizeHint(self) -> QSize:
        return QSize(240, 92)

    def show_edges(self, edges: lines.Edges) -> None:
        """Show the lengths of a line's pulses."""
        widths, level = edges.widths(), edges.level[:-1]
        self._widths = (widths[(level != 0) & (widths > 0)], widths[(level == 0) & (widths > 0)])
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        both = np.concatenate(self._widths)
        if len(both):
            low, high = np.log10(max(both.min(), 1)) - 0.1, np.log10(both.max()) + 0.1
            half = (self.height() - 18) / 2
            for number, (words, widths) in enumerate(zip(("pulses", "spaces"), self._widths, strict=True)):
                box = QRectF(0, 2 + number * half, self.width(), half - 3)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(theme.chip))
                painter.drawRoundedRect(box, 5, 5)
                counts = self.counts(box.width(), widths, (low, high))
                self._draw_counts(painter, box, counts, theme.field(4 if number == 0 else 1))
                line = box.adjusted(5, 0, -5, -box.height() / 2)
                draw_text(painter, line, words, text_font(TINY_PX - 1), theme.quiet, self.side_for(words, counts))
            ends = QRectF(2, self.height() - 15, self.width() - 4, 14)
            draw_text(painter, ends, span_text(10**low), figure_font(TINY_PX - 1), theme.quiet)
            draw_text(
                painter, ends, span_text(10**high), figure_font(TINY_PX - 1), theme.quiet, Qt.AlignmentFlag.AlignRight
            )
        painter.end()

    def counts(self, width: float, widths: np.ndarray, span: tuple[float, float]) -> np.ndarray:
        """Return how many lengths fall into each bar of a picture so wide; ``span`` in powers of ten."""
        return np.histogram(np.log10(np.maximum(widths, 1)), max(int(width // _BAR), 8), span)[0]

    def side_for(self, words: str, counts: np.ndarray) -> Qt.AlignmentFlag:
        """Return on which side words stand on lower bars."""
        under = int(QFontMetricsF(text_font(TINY_PX - 1)).horizontalAdvance(words) / _BAR) + 4
        is_clear = counts[:under].max(initial=0) <= counts[-under:].max(initial=0)
        return Qt.AlignmentFlag.AlignLeft if is_clear else Qt.AlignmentFlag.AlignRight

    def _draw_counts(self, painter: QPainter, box: QRectF, counts: np.ndarray, color: QColor) -> None:
        painter.setBrush(faded(color, 0.75))
        for column in np.flatnonzero(counts):
            tall = max(np.sqrt(counts[column] / counts.max()) * (box.height() - 2), 2)
            painter.drawRect(QRectF(box.left() + float(column) * _BAR, box.bottom() - tall, _BAR, tall))


class VotesView(QWidget):
    """Repeats voted bit by bit: a bead a bit, smaller where the repeats do not agree."""

    def __init__(self) -> None:
        super().__init__()
        self._votes: Sequence[lines.Vote] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Repeats and votes")

    def sizeHint(self) -> QSize:
        return QSize(240, max(len(self._votes), 1) * _VOTE_ROW + 4)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def show_votes(self, votes: Sequence[lines.Vote]) -> None:
        """Show groups of repeats."""
        self._votes = votes[:40]
        self.setVisible(bool(votes))
        words = [
            f"{vote.text}: {len(vote.bursts)} repeats, least agreement {vote.agreement.min():.0%}" for vote in votes
        ]
        self.setToolTip(plain_tip("\n".join(words[:40])))
        self.setAccessibleDescription("; ".join(words[:40]))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for row, vote in enumerate(self._votes):
            top = row * _VOTE_ROW + 2
            least = float(vote.agreement.min())
            words = f"× {len(vote.bursts)}" + (f" · {least:.0%}" if len(vote.bursts) > 1 else "")
            line = QRectF(0, top, self.width(), 16)
            draw_text(painter, line, vote.text, figure_font(SMALL_PX, bold=True), theme.ink)
            color = theme.good if least > 0.99 and len(vote.bursts) > 1 else theme.quiet
            draw_text(painter, line, words, text_font(TINY_PX), color, Qt.AlignmentFlag.AlignRight)
            step = min(self.width() / max(len(vote.bits), 1), 9.0)
            for place, (bit, agreement) in enumerate(zip(vote.bits, vote.agreement, strict=True)):
                centre = QPointF((place + 0.5) * step, top + 23)
                radius = max(step * 0.42 * (agreement * 2 - 1), 0.8)
                sure = agreement > 0.99
                painter.setPen(QPen(theme.field(0) if sure else QColor(theme.unexplained), 1))
                fill = theme.field(0) if sure else QColor(theme.unexplained)
                painter.setBrush(fill if bit else Qt.BrushStyle.NoBrush)
                painter.drawEllipse(centre, radius, radius)
        painter.end()


class RegistersView(QWidget):
    """The registers of a device at the cursor, eight a row; those nobody has seen yet are dots."""

    def __init__(self) -> None:
        super().__init__()
        self._state: lines.RegisterState | None = None
        self._device = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Registers at the cursor")

    def sizeHint(self) -> QSize:
        return QSize(240, len(self._rows()) * 15 + 18)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def _rows(self) -> list[int]:
        """Return the rows in which any register was seen."""
        if self._state is None:
            return []
        return sorted({int(place) // 8 for place in np.flatnonzero(self._state.seen_ns >= 0)})

    def show_state(self, device: int, state: lines.RegisterState) -> None:
        """Show the registers of a device."""
        self._device, self._state = device, state
        seen = np.flatnonzero(state.seen_ns >= 0)
        self.setAccessibleDescription(", ".join(f"0x{place:02X} is {int(state.value[place])}" for place in seen[:64]))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, state = look.theme, self._state
        painter = QPainter(self)
        if state is not None:
            pointer = f", pointer at 0x{state.pointer:02X}" if state.pointer >= 0 else ""
            head = QRectF(0, 0, self.width(), 15)
            draw_text(painter, head, f"device 0x{self._device:02X}{pointer}", text_font(TINY_PX), theme.quiet)
            newest = int(state.seen_ns.max())
            for line, row in enumerate(self._rows()):
                top = 16 + line * 15
                draw_text(painter, QRectF(0, top, 34, 15), f"0x{row * 8:02X}", figure_font(TINY_PX), theme.quiet)
                for place in range(row * 8, min(row * 8 + 8, len(state.value))):
                    box = QRectF(38 + (place % 8) * 25, top, 24, 15)
                    seen = int(state.seen_ns[place])
                    if seen == newest and seen >= 0:
                        painter.fillRect(box.adjusted(-1, 1, -5, -1), QColor(theme.selected))
                    text = f"{int(state.value[place]):02X}" if seen >= 0 else "·"
                    draw_text(painter, box, text, figure_font(SMALL_PX), theme.ink if seen >= 0 else theme.quiet)
        painter.end()
