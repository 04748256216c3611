"""Two layouts, or two states of one: in beads side by side, below in words and by what they give on the capture."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any
from uuid import UUID

import numpy as np
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...around.curve_pair import CurvePair, has_curves
from ...widgets.abacus import Abacus
from ...widgets.beads import AbacusState, Drawing
from ...widgets.parts import button, clear_layout, hairline, label, scrolled
from ...widgets.theme import text_font

_MOST_BYTES = 64
_BETWEEN_PX = 48
_CURVE_SHARE = 3, 4
"""Of the width of a row, what words and curves take."""


class CompareView(QWidget):
    """Before at the left, after at the right, below them what differs between them.

    Events
    ------
    taken_back
        (thing) a field, part, check or computed value is to be as it is at the left.
    left_out
        (id) a thing that is only at the right is to go.
    head_taken_back
        (layout) name, size, when it applies, sender and note are to be as they are at the left.
    done
        Back to the plan, or keep what was chosen.
    """

    head_taken_back = pyqtSignal(object)

    taken_back = pyqtSignal(object)
    left_out = pyqtSignal(object)
    done = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setAccessibleName("Comparison")
        self.compared: list[laid.Compared] = []
        self.before, self.after = Abacus(Drawing.PLACES), Abacus(Drawing.PLACES)
        self.titles = label("", wrap=True), label("", wrap=True)
        self.words = label("", "quiet", wrap=True)
        self.close_button = button("", "Esc")
        self.close_button.clicked.connect(self.done)
        self._take_words = ""
        self._clashing: frozenset[UUID] = frozenset()
        self._only_look = False
        self._curve_words = ("before", "after")
        self._rows = QVBoxLayout()
        self._rows.setSpacing(6)
        head = QHBoxLayout()
        head.setContentsMargins(14, 8, 14, 0)
        head.addWidget(self.words, 1)
        head.addWidget(self.close_button)
        self._sides = [self._side(self.titles[0], self.before), self._side(self.titles[1], self.after)]
        plans = QHBoxLayout()
        plans.setSpacing(_BETWEEN_PX)
        for side in self._sides:
            plans.addWidget(side, 0, Qt.AlignmentFlag.AlignTop)
        plans.addStretch(1)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(14, 6, 14, 10)
        column.addLayout(plans)
        column.addWidget(hairline())
        column.addLayout(self._rows)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(head)
        whole.addWidget(scrolled(inner), 1)

    def _side(self, title: Any, abacus: Abacus) -> QWidget:
        title.setFont(text_font(bold=True))
        made = QWidget()
        made.setFixedWidth(abacus.sizeHint().width() + 18)
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(title)
        column.addWidget(abacus)
        return made

    def compare(
        self, before: engine.Layout, before_title: str, after: engine.Layout, after_title: str, kind: int | None,
        *, choosing: bool = False, clashing: Collection[UUID] = (), only_look: bool = False,
    ) -> None:  # fmt: skip
        """Show two layouts; ``kind`` is the message their curves are drawn of.

        When choosing between two changes that clash, the left one is what somebody else kept, and ``clashing`` are
        the things that both changed: they come first. Where there is nothing to choose, nothing is offered.
        """
        self._clashing, self._only_look = frozenset(clashing), only_look
        self._curve_words = ("theirs", "yours") if choosing else ("before", "after")
        self._take_words = "Take theirs" if choosing else "Take it as it was"
        self.close_button.setText("Keep it as it is at the right" if choosing else "Back to the plan")
        self.compared = laid.compare_layouts(before, after)
        for label_, words in zip(self.titles, (before_title, after_title), strict=True):
            label_.setText(words)
        size = max(before.size, after.size)
        pictured = 0 < size <= _MOST_BYTES and before.registers is None and after.registers is None
        for side, abacus, layout in zip(self._sides, (self.before, self.after), (before, after), strict=True):
            side.setVisible(pictured)
            marked = self._marked(before=abacus is self.before)
            still = np.zeros(size * 8, np.bool_)
            abacus.show_state(AbacusState(size, b"", still, self._owners(layout, size), marked=marked))
            abacus.setMinimumHeight(abacus.sizeHint().height())
        self._show_words()
        clear_layout(self._rows)
        self._show_head(before, after)
        # what both changed is what has to be chosen: it comes first
        for one in sorted(self.compared, key=lambda one: one.item not in self._clashing):
            if one.standing.value != "same":
                self._rows.addWidget(self._row(one, before, after, kind))
                self._rows.addWidget(hairline())

    def _marked(self, *, before: bool) -> frozenset[int]:
        """Return the bits of one side whose field lies elsewhere, or nowhere, on the other."""
        marked: set[int] = set()
        for one in self.compared:
            mine, other = (one.before, one.after) if before else (one.after, one.before)
            places = getattr(mine, "places", ())
            if places != getattr(other, "places", ()):
                marked |= set(places)
        return frozenset(marked)

    def _owners(self, layout: engine.Layout, size: int) -> np.ndarray:
        """Return whose each bit is, numbered so that one thing has one colour on both sides."""
        numbers: dict[Any, int] = {}
        for number, one in enumerate(self.compared):
            numbers |= {item.id: number for item in (one.before, one.after) if item is not None}
        owners = np.full(size * 8, -1, np.int16)
        for field in layout.fields:
            owners[[bit for bit in field.places if bit < len(owners)]] = numbers[field.id]
        return owners

    def _show_head(self, before: engine.Layout, after: engine.Layout) -> None:
        """Show what differs about the message itself, with a way to have it as at the left."""
        said = laid.head_changes(before, after)
        if not said:
            return
        name = label("the message itself", wrap=True)
        name.setFont(text_font(bold=True))
        self._rows.addWidget(name)
        for sentence in said:
            self._rows.addWidget(label(sentence, wrap=True))
        if not self._only_look:
            back = button(self._take_words, "Have this as it is at the left", link=True)
            back.clicked.connect(lambda: self.head_taken_back.emit(before))
            self._rows.addWidget(back, 0, Qt.AlignmentFlag.AlignLeft)
        self._rows.addWidget(hairline())

    def _show_words(self) -> None:
        counts: dict[str, int] = {}
        for one in self.compared:
            counts[one.standing.value] = counts.get(one.standing.value, 0) + 1
        said = [f"{number} {word}" for word, number in counts.items()]
        self.words.setText(", ".join(said) or "Nothing differs.")

    def _row(self, one: laid.Compared, before: engine.Layout, after: engine.Layout, kind: int | None) -> QWidget:
        row = QWidget()
        across = QHBoxLayout(row)
        across.setContentsMargins(0, 2, 0, 2)
        words = QVBoxLayout()
        across.addLayout(words, _CURVE_SHARE[0])
        state = "both changed it, choose" if one.item in self._clashing else one.standing.value
        if self._clashing and one.item not in self._clashing:
            state = f"only one of you {'added' if one.before is None else 'changed'} it"
        name = label(f"{one.name}: {state}", "wrong" if one.item in self._clashing else "", wrap=True)
        name.setFont(text_font(bold=True))
        words.addWidget(name)
        for sentence in one.words or (self._said(one),):
            words.addWidget(label(sentence, wrap=True))
        if not self._only_look:
            words.addWidget(self._way_back(one), 0, Qt.AlignmentFlag.AlignLeft)
        words.addStretch(1)
        if has_curves(one):
            curves = CurvePair(self._session, [(before, one.before), (after, one.after)], kind, self._curve_words)
            across.addWidget(curves, _CURVE_SHARE[1], Qt.AlignmentFlag.AlignTop)
        return row

    def _way_back(self, one: laid.Compared) -> QWidget:
        """Return the link that has this one thing as it is at the left."""
        if one.before is not None:
            back = button(self._take_words, "Have this one thing as it is at the left", link=True)
            back.clicked.connect(lambda: self.taken_back.emit(one.before))
        else:
            back = button("Leave it out", "Have this one thing go, as at the left", link=True)
            back.clicked.connect(lambda: self.left_out.emit(one.item))
        return back

    def _said(self, one: laid.Compared) -> str:
        item = one.after if one.after is not None else one.before
        places = getattr(item, "places", None)
        return f"at {places}" if places else item.words()

    def keyPressEvent(self, event: Any) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.done.emit()
        else:
            super().keyPressEvent(event)

    def sizeHint(self) -> QSize:
        return QSize(900, 500)
