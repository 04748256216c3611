"""One change of a layout, as the history lists it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...app.doors import engine
from ...widgets.parts import button, hairline, label
from ...widgets.theme import TINY_PX, figure_font, text_font
from ...widgets.words import when_text
from ...widgets.wrapping import WrappingRow


@dataclass(frozen=True, slots=True)
class Change:
    """What a layout became by a change; two that are equal look alike.

    Attributes
    ----------
    revision
    words
        What became different, empty where that is not known.
    when
        As of today.
    is_newest
    layout
        None where the change took it out.
    """

    revision: engine.Revision
    words: str
    when: str
    is_newest: bool
    layout: engine.Layout | None = field(compare=False)  # the revision says which it is; to hash it takes long


def changes_of(revisions: list[engine.Revision], states: list[engine.Layout | None]) -> list[Change]:
    """Return the changes of a history, newest first, with what each made of the layout."""
    made = []
    for number, (revision, layout) in enumerate(zip(revisions, states, strict=True)):
        before = states[number + 1] if number + 1 < len(states) else None
        made.append(Change(revision, _in_words(before, layout), when_text(revision.time), number == 0, layout))
    return made


def _in_words(before: engine.Layout | None, after: engine.Layout | None) -> str:
    return engine.describe_change(before, after) if before is not None and after is not None else ""


class HistoryEntry(QWidget):
    """What was changed, who did it, when and why; all but the newest can be restored and compared."""

    def __init__(self, change: Change, restore: Callable[[Change], object], compare: Callable[[Change], object]):
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(3)
        reason = change.revision.reason
        what, _, why = reason.partition(": ")
        headline = label(what if why else reason, wrap=True)
        headline.setFont(text_font(bold=True))
        column.addWidget(headline)
        if why:
            column.addWidget(label(why, wrap=True))
        column.addWidget(label(f"{change.revision.author} · {change.when}", "quiet"))
        if change.words and change.words not in reason:
            detail = label(change.words, "quiet", wrap=True)
            detail.setFont(figure_font(TINY_PX))
            column.addWidget(detail)
        if not change.is_newest and change.layout is not None:
            column.addLayout(_acts(change, restore, compare))
        column.addSpacing(6)
        column.addWidget(hairline())


def _acts(change: Change, restore: Callable[[Change], object], compare: Callable[[Change], object]) -> WrappingRow:
    row = WrappingRow(8)
    back = button("Restore", "Make this state the newest again, as a change of its own", link=True)
    back.clicked.connect(lambda: restore(change))
    beside = button("Compare with now", "Show this state beside the newest, in beads and words", link=True)
    beside.clicked.connect(lambda: compare(change))
    row.addWidget(beside)
    row.addWidget(back)
    return row
