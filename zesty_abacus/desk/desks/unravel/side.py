"""The right side of Unravel: what was found, what is known about the selection, what people hold to be true."""

from __future__ import annotations

from typing import Any

from ...app.doors import engine
from ...app.session import Session
from ...widgets.side_tabs import SideTabs
from .claim_side import ClaimSide
from .finding_side import FindingSide
from .keep_panel import KeepPanel
from .shown_bits import shown_bits

FINDINGS, SELECTION, CLAIMS = range(3)


class UnravelSide(SideTabs):
    """Findings, the selection, and claims, one at a time.

    Attributes
    ----------
    findings, selection, claims
    """

    def __init__(self, session: Session) -> None:
        self.findings = FindingSide(session)
        self.selection = KeepPanel(session)
        self.selection.head.hide()
        self.claims = ClaimSide(session)
        super().__init__(
            "What is shown beside the abacus",
            {"Findings": self.findings, "Selection": self.selection, "Claims": self.claims},
        )
        self._session = session
        session.findings.changed.connect(self._count_findings)
        session.in_hand.changed.connect(self._count_findings)
        session.in_hand.bits_changed.connect(self._follow)
        session.claims.changed.connect(self._count_claims)
        self.claims.hand.field_wanted.connect(self._make_field)
        self._count_findings()
        self._count_claims()
        self._follow()

    def show_findings(self) -> None:
        """Show what was found, with the hands on the list."""
        self.show_page(FINDINGS)
        self.findings.begin()

    def begin_claim(self) -> None:
        """Begin a claim about what is in hand."""
        self.show_page(CLAIMS)
        self.claims.begin()

    def _make_field(self, head: Any) -> None:
        """Go on from a claim to a field: its bits are read every way, its words are the name."""
        self.claims.show_bits_of(head)
        self.show_page(SELECTION)
        self.selection.field.setText(head.state.name)
        self.selection.why.setText("; ".join(head.state.evidence)[:200])
        self.selection.field.setFocus()
        self.selection.field.selectAll()

    def _follow(self) -> None:
        """Show what is known of bits that were selected by hand."""
        session, in_hand = self._session, self._session.findings.in_hand
        of_finding = shown_bits(session, *in_hand) if in_hand is not None else frozenset()
        claim = session.claims.in_hand
        of_claim = frozenset(engine.parse_places(claim.state.places).bits) if claim is not None else frozenset()
        if (
            session.in_hand.bits
            and session.in_hand.bits != of_finding
            and not (self.page == CLAIMS and session.in_hand.bits == of_claim)
        ):
            self.show_page(SELECTION)

    def _count_claims(self) -> None:
        self.show_count(CLAIMS, len(self._session.claims.heads))

    def _count_findings(self) -> None:
        self.show_count(FINDINGS, len(self._session.findings.of(self._session.in_hand.kind)))
