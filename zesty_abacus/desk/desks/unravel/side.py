"""The right side of Unravel: what was found, what is known about the selection, what people hold to be true."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout, QWidget

from ...app.doors import engine, found
from ...app.session import Session
from ...widgets.parts import hairline
from ...widgets.words import grouped
from .claim_side import ClaimSide
from .finding_side import FindingSide
from .keep_panel import KeepPanel

FINDINGS, SELECTION, CLAIMS = range(3)


class UnravelSide(QWidget):
    """Findings, the selection, and claims, one at a time.

    Attributes
    ----------
    tabs, findings, selection, claims
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
        self.claims = ClaimSide(session)
        self._pages = QStackedWidget()
        for title, page in (("Findings", self.findings), ("Selection", self.selection), ("Claims", self.claims)):
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
        session.claims.changed.connect(self._show_count)
        self.claims.hand.field_wanted.connect(self._make_field)

    @property
    def page(self) -> int:
        """Which one is shown."""
        return self.tabs.currentIndex()

    def show_findings(self) -> None:
        """Show what was found, with the hands on the list."""
        self.tabs.setCurrentIndex(FINDINGS)
        self.findings.begin()

    def begin_claim(self) -> None:
        """Begin a claim about what is in hand."""
        self.tabs.setCurrentIndex(CLAIMS)
        self.claims.begin()

    def _make_field(self, head: Any) -> None:
        """Go on from a claim to a field: its bits are read every way, its words are the name."""
        self.claims.show_bits_of(head)
        self.tabs.setCurrentIndex(SELECTION)
        self.selection.field.setText(head.state.name)
        self.selection.why.setText("; ".join(head.state.evidence)[:200])
        self.selection.field.setFocus()
        self.selection.field.selectAll()

    def _follow(self) -> None:
        """Show what is known of bits that were selected by hand."""
        session, in_hand = self._session, self._session.findings.in_hand
        of_finding = frozenset(found.bits_of(in_hand[1])) if in_hand is not None else frozenset()
        claim = session.claims.in_hand
        of_claim = frozenset(engine.parse_places(claim.state.places).bits) if claim is not None else frozenset()
        if session.bits and session.bits != of_finding and not (self.page == CLAIMS and session.bits == of_claim):
            self.tabs.setCurrentIndex(SELECTION)

    def _show_count(self) -> None:
        number = len(self._session.findings.of(self._session.kind))
        self.tabs.setTabText(FINDINGS, f"Findings {grouped(number)}" if number else "Findings")
        claims = len(self._session.claims.heads)
        self.tabs.setTabText(CLAIMS, f"Claims {grouped(claims)}" if claims else "Claims")
