"""Puts the Hand over desk together: tables, code, a report, the trial itself and readings forwarded, each a page."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from ...app.session import Session
from ...widgets.parts import DeskHead, hairline
from ...widgets.side_tabs import SideTabs
from ..desk import NARROW, Desk
from .code import CodePage
from .forward import ForwardPage
from .handed import HandedOver
from .report import ReportPage
from .tables import TablesPage
from .trial import TrialPage

TABLES, CODE, REPORT, TRIAL, FORWARD = range(5)


class HandOverDesk(Desk):
    """Lets what is known leave the program in forms that others use.

    Attributes
    ----------
    side
        The panel for the right side: what was handed over.
    tables, code, report, trial, forward
        The pages.
    """

    name = "Hand over"
    side: HandedOver
    # what is handed over is what is in hand elsewhere
    left_from = NARROW

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.head = DeskHead("Hand over", "what is known, for other programs and people")
        self.side = HandedOver()
        self.tables = TablesPage(session, self.side)
        self.code = CodePage(session, self.side)
        self.report = ReportPage(session, self.side)
        self.trial = TrialPage(session, self.side)
        self.forward = ForwardPage(session)
        pages = {"Tables": self.tables, "Code": self.code, "Report": self.report, "Trial": self.trial,
                 "Forward": self.forward}  # fmt: skip
        self.pages = SideTabs("What leaves", pages)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self.pages, 1)
