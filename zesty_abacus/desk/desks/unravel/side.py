"""The right side of Unravel: what was found, and what is known about the selection."""

from __future__ import annotations

from PyQt6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout, QWidget

from ...app.doors import found
from ...app.session import Session
from ...widgets.parts import hairline
from ...widgets.words import grouped
from .finding_side import FindingSide
from .keep_panel import KeepPanel

FINDINGS, SELECTION = range(2)


class UnravelSide(QWidget):
    """Findings, and the selection, one at a time.

    Attributes
    ----------
    tabs, findings, selection
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("panel")
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("What is shown beside the abacus")
        self.findings = FindingSide(session)
        self.selection = KeepPanel(session)
        self.selection.head.hide()
        self._pages = QStackedWidget()
        for title, page in (("Findings", self.findings), ("Selection", self.selection)):
            self.tabs.addTab(title)
            self._pages.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.tabs)
        column.addWidget(hairline())
        column.addWidget(self._pages, 1)
        self.tabs.currentChanged.connect(self._pages.setCurrentIndex)
        session.findings.changed.connect(self._show_count)
        session.kind_changed.connect(self._show_count)
        session.bits_changed.connect(self._follow)

    @property
    def page(self) -> int:
        """Which one is shown."""
        return self.tabs.currentIndex()

    def show_findings(self) -> None:
        """Show what was found, with the hands on the list."""
        self.tabs.setCurrentIndex(FINDINGS)
        self.findings.begin()

    def _follow(self) -> None:
        """Show what is known of bits that were selected by hand."""
        session, in_hand = self._session, self._session.findings.in_hand
        of_finding = frozenset(found.bits_of(in_hand[1])) if in_hand is not None else frozenset()
        if session.bits and session.bits != of_finding:
            self.tabs.setCurrentIndex(SELECTION)

    def _show_count(self) -> None:
        number = len(self._session.findings.of(self._session.kind))
        self.tabs.setTabText(FINDINGS, f"Findings {grouped(number)}" if number else "Findings")
