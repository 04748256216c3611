"""A picture in the place of the traces, until somebody goes back to them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from ...app.session import Session
from ...around.save_view import save_view
from ...widgets.parts import EDGE, button, hairline, label, one_shot
from ...widgets.picture_file import FORMS
from ...widgets.theme import look, text_font
from .plots import Plot

_SETTLED_MS = 60


class PlotView(QWidget):
    """Shows one plot of what is in view; it follows the view, the cursor and edits.

    Attributes
    ----------
    plot
        None while none is shown.
    canvas
        What it is drawn on.

    Events
    ------
    closed
        Somebody wants the traces back.
    """

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.plot: Plot | None = None
        self.title = label("")
        self.title.setFont(text_font(bold=True))
        self.back = button("‹ Traces", "Back to the traces (Escape)")
        self.save = button("Save the picture…", "As PNG or SVG")
        self.canvas = PlotCanvas()
        row = QHBoxLayout()
        row.setContentsMargins(EDGE, 6, EDGE, 4)
        row.setSpacing(12)
        row.addWidget(self.back)
        row.addWidget(self.title)
        row.addStretch(1)
        row.addWidget(self.save)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(hairline())
        column.addWidget(self.canvas, 1)
        self._soon = one_shot(self, _SETTLED_MS, self._reckon)
        self.back.clicked.connect(self.closed)
        self.save.clicked.connect(self.ask_picture)
        for event in (session.clock.view_changed, session.layouts_changed, session.store.curve_ready):
            event.connect(self._on_change)
        session.clock.cursor_changed.connect(self.canvas.update)
        session.opened.connect(self.closed)
        look.changed.connect(self.canvas.update)

    def show_plot(self, plot: Plot) -> None:
        """Show another plot."""
        self.plot = plot
        self.title.setText(plot.title)
        self.canvas.show_made(plot, None)
        self.canvas.setFocus()
        self._reckon()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)

    def _on_change(self) -> None:
        if self.isVisible() and self.plot is not None:
            self._soon.start()

    def _reckon(self) -> None:
        plot = self.plot
        if plot is None:
            return

        def finish(made: Any) -> None:
            if plot is self.plot:
                self.canvas.show_made(plot, made)

        self._session.jobs.start("plot", "drawing", plot.work(), finish)

    def ask_picture(self) -> None:
        """Ask where the picture is to be saved."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the picture", "picture.png", FORMS)
        if name:
            save_view(self._session, name, self.canvas.size(), self.canvas.draw)


class PlotCanvas(QWidget):
    """What a plot is drawn on."""

    def __init__(self) -> None:
        super().__init__()
        self.made: Any = None
        self._plot: Plot | None = None
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_made(self, plot: Plot, made: Any) -> None:
        """Show a plot with what was worked out for it."""
        self._plot, self.made = plot, made
        self.setAccessibleName(plot.title)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter)
        painter.end()

    def draw(self, painter: QPainter) -> None:
        """Draw the plot, on the screen or into a file."""
        painter.fillRect(self.rect(), QColor(look.theme.panel))
        if self._plot is not None:
            self._plot.draw(painter, QRectF(self.rect()), self.made)
