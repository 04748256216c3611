"""A report on what is open: its pages before they are written, and the file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray, QRectF, QSize, QUrl
from PyQt6.QtGui import QColor, QDesktopServices, QPainter, QPaintEvent
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from ...app.doors import leaving
from ...app.session import Session
from ...widgets.parts import button, hairline, label
from ...widgets.pdf import pdf_of
from ...widgets.theme import look
from ...widgets.words import counted
from .choices import Choices
from .handed import HandedOver
from .target_line import TargetLine

_FORMS = ((".html", "HTML, one file"), (".pdf", "PDF"))
_GAP = 14
_WIDEST = 900
_A4 = 595.0, 842.0


class ReportPage(QWidget):
    """Makes a report, shows its pages and writes it.

    Attributes
    ----------
    made
        The report that is shown, None before there is one.
    """

    def __init__(self, session: Session, handed: HandedOver) -> None:
        super().__init__()
        self._session, self._handed = session, handed
        self.made: Any = None
        self._made_of: object = None
        self.form = Choices("Form", _FORMS, self._suggest_ending)
        self.open = button("Open it", "Show the file that was written in the program of the system")
        self.target = TargetLine("File of the report", "Write the report", self._ask_path, self.run, self.open)
        self.path, self.problem, self.replace = self.target.path, self.target.problem, self.target.replace
        self.sheet = PagesView()
        self._written: Path | None = None
        self._build()
        self._connect()

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 8)
        grid.setVerticalSpacing(7)
        grid.setHorizontalSpacing(14)
        grid.addWidget(label("as", "quiet"), 0, 0)
        grid.addWidget(self.form, 0, 1)
        grid.addWidget(label("to", "quiet"), 1, 0)
        grid.addWidget(self.target, 1, 1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.sheet)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        column.addWidget(hairline())
        column.addWidget(area, 1)
        self.open.setEnabled(False)

    def _connect(self) -> None:
        session = self._session
        for event in (session.opened, session.layouts_changed):
            event.connect(self._refresh)
        session.on_opened(self._suggest)
        self.open.clicked.connect(self._open)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()

    def _suggest(self) -> None:
        self.target.suggest(self._session.trial.folder / f"report{self.form.value}")
        self.open.setEnabled(False)

    def _suggest_ending(self) -> None:
        self.target.end_with(self.form.value)

    def _ask_path(self, path: str) -> str:
        return QFileDialog.getSaveFileName(self, "Write the report to", path)[0]

    def _refresh(self) -> None:
        """Make the report anew if what it says may be another; what is only looked at costs nothing."""
        session = self._session
        meaning = session.reading.meaning
        if session.capture is None or meaning is None or not self.isVisible() or meaning is self._made_of:
            return
        self._made_of = meaning
        self.sheet.show_pages([], "The report is being made…")
        file, outcomes, origin, library = session.trial.file, session.outcomes, session.origin(), session.library
        references = list(session.overlays.references)

        def work(progress: Any) -> Any:
            claims = library.claims.states() if library is not None else []
            material = leaving.Material(meaning, file, outcomes, origin, claims, references)
            made = leaving.make_report(material, progress)
            return made, leaving.report_pages(made)

        session.jobs.start("report", "making a report", work, self._take, self._failed, cancelled=self._cancelled)

    def _take(self, answer: tuple[Any, list[str]]) -> None:
        self.made, pages = answer
        self.sheet.show_pages(pages)

    def _failed(self, sentence: str) -> None:
        self._made_of = None
        self.sheet.show_pages([], sentence)

    def _cancelled(self) -> None:
        self._failed("It was cancelled. Come back to this page to make it again.")

    def run(self) -> None:
        """Write the report on a thread."""
        session, made = self._session, self.made
        if made is None:
            self.target.say("The report is not made yet.")
            return
        self.target.complete(self.form.value)
        target = self.target.free_target(session.trial.files(), leaving.check_ending)
        if target is None:
            return
        self.target.say("")

        def done(_nothing: object) -> None:
            self._written = target.path
            self.open.setEnabled(True)
            pages = counted(len(self.sheet.pages), "page")
            self._handed.add(target.path, f"a report of {pages}, {session.origin().words()}")
            session.told.emit("good", f"{target.path.name} is written.")

        def work(_progress: Any) -> None:
            leaving.write_report(target, made, pdf_of)

        session.jobs.start("write report", f"writing {target.path.name}", work, done, self.target.say)

    def _open(self) -> None:
        if self._written is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._written)))


class PagesView(QWidget):
    """Pages one under the other, as wide as there is room.

    Attributes
    ----------
    pages
        SVG documents of A4.
    """

    def __init__(self) -> None:
        super().__init__()
        self.pages: list[str] = []
        self._drawn: dict[int, QSvgRenderer] = {}
        self._instead = ""
        self.setAccessibleName("Pages of the report")
        look.changed.connect(self.update)

    def show_pages(self, pages: list[str], instead: str = "") -> None:
        """Show other pages, or a sentence instead."""
        self.pages, self._instead = pages, instead
        self._drawn.clear()
        self._fit()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, 400)

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._fit()

    def _page_size(self) -> tuple[float, float]:
        width = min(max(self.width() - 2 * _GAP, 200), _WIDEST)
        return width, width * _A4[1] / _A4[0]

    def _fit(self) -> None:
        _, height = self._page_size()
        self.setMinimumHeight(int(_GAP + len(self.pages) * (height + _GAP)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(look.theme.paper))
        if not self.pages:
            painter.setPen(QColor(look.theme.ink))
            painter.drawText(QRectF(18, 12, self.width() - 36, 40), self._instead)
        width, height = self._page_size()
        left = (self.width() - width) / 2
        shown = event.rect() if event is not None else self.rect()
        for number in range(len(self.pages)):
            top = _GAP + number * (height + _GAP)
            if top > shown.bottom() or top + height < shown.top():
                continue
            # a page is read when it is first in view: there may be hundreds
            if number not in self._drawn:
                self._drawn[number] = QSvgRenderer(QByteArray(self.pages[number].encode()))
            self._drawn[number].render(painter, QRectF(left, top, width, height))
        painter.end()
