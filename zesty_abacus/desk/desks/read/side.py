"""The right side of Read: what is true at the cursor, what is wrong in the recording, figures of what is in view."""

from __future__ import annotations

from ...app.session import Session
from ...widgets.side_tabs import SideTabs
from .figures_side import FiguresSide
from .problem_side import ProblemSide
from .readout import Readout

READOUT, PROBLEMS, FIGURES = range(3)


class ReadSide(SideTabs):
    """Readout, problems and figures, one at a time.

    Attributes
    ----------
    readout, problems, figures
    """

    def __init__(self, session: Session) -> None:
        self.readout = Readout(session)
        self.readout.head.hide()
        self.problems = ProblemSide(session)
        self.figures = FiguresSide(session)
        super().__init__(
            "What is shown beside the traces",
            {"Readout": self.readout, "Problems": self.problems, "Figures": self.figures},
        )
        session.problems.changed.connect(lambda: self.show_count(PROBLEMS, len(session.problems.told or ())))

    def show_problems(self) -> None:
        """Show what is wrong, with the hands on the list."""
        self.show_page(PROBLEMS)
        self.problems.begin()
