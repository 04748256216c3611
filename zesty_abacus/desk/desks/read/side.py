"""The right side of Read: what is true at the cursor, what is wrong in the recording, figures of what is in view."""

from __future__ import annotations

from PyQt6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout, QWidget

from ...app.session import Session
from ...widgets.parts import hairline
from ...widgets.words import grouped
from .figures_side import FiguresSide
from .problem_side import ProblemSide
from .readout import Readout


class ReadSide(QWidget):
    """Readout, problems and figures, one at a time.

    Attributes
    ----------
    tabs, readout, problems, figures
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("panel")
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("What is shown beside the traces")
        self.readout = Readout(session)
        self.readout.head.hide()
        self.problems = ProblemSide(session)
        self._pages = QStackedWidget()
        self.figures = FiguresSide(session)
        for title, page in (("Readout", self.readout), ("Problems", self.problems), ("Figures", self.figures)):
            self.tabs.addTab(title)
            self._pages.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.tabs)
        column.addWidget(hairline())
        column.addWidget(self._pages, 1)
        self.tabs.currentChanged.connect(self._pages.setCurrentIndex)
        session.problems.changed.connect(self._show_count)

    def show_problems(self) -> None:
        """Show what is wrong, with the hands on the list."""
        self.tabs.setCurrentIndex(1)
        self.problems.begin()

    def _show_count(self) -> None:
        told = self._session.problems.told
        self.tabs.setTabText(1, f"Problems {grouped(len(told))}" if told else "Problems")
