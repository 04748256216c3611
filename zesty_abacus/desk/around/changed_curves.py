"""What a change of a layout makes of the open capture: of each number that it changes, its curve now and then."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from ..app.doors import engine, laid
from ..app.session import Session
from ..widgets.parts import label
from .curve_pair import CurvePair, has_curves

_MOST = 3
_NAME_PX = 150


class ChangedCurves(QWidget):
    """The curves of the numbers that differ between two states of a layout, the first few of them.

    Attributes
    ----------
    pairs
        By the names of what they are of.
    """

    def __init__(self, session: Session, before: engine.Layout, after: engine.Layout, words: tuple[str, str]) -> None:
        super().__init__()
        self.pairs: dict[str, CurvePair] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setColumnMinimumWidth(0, _NAME_PX)
        grid.setColumnStretch(1, 1)
        kind = session.reading.kind_read_by(after.id, session.in_hand.kind) if session.capture is not None else None
        compared = laid.compare_layouts(before, after)
        changed = [one for one in compared if one.standing.value != "same" and has_curves(one)]
        for one in changed[:_MOST] if kind is not None else ():
            pair = CurvePair(session, [(before, one.before), (after, one.after)], kind, words)
            self.pairs[one.name] = pair
            row = grid.rowCount()
            grid.addWidget(label(one.name, wrap=True), row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(pair, row, 1)
        if said := _said(changed, is_here=kind is not None):
            grid.addWidget(label(said, "quiet", wrap=True), grid.rowCount(), 0, 1, 2)


def _said(changed: list[laid.Compared], *, is_here: bool) -> str:
    """Return why there is no curve, or how many more there are."""
    if not is_here:
        return "The open recordings hold no such message, so there are no curves of it." if changed else ""
    more = len(changed) - _MOST
    return f"{more} more {'changes' if more == 1 else 'change'}, too; Compare shows all." if more > 0 else ""
