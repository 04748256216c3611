"""The releases of the library: which there are, and what differs between two, in words and on the open capture."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.library_choice import use_release
from ...app.session import Session
from ...widgets.parts import Choice, Hint, button, clear_layout, hairline, label, scrolled_column
from ...widgets.theme import text_font
from ...widgets.words import counted, grouped, when_text

NOW = ""
"""The newest state, as the end of a comparison."""
_LISTED = 200


class ReleasesView(QWidget):
    """Releases at the left, the comparison of two at the right.

    Events
    ------
    pair_wanted
        (before, after, titles) a layout is to be shown as both have it.
    place_wanted
        (difference, time) the place where a value comes out otherwise is to be shown.
    make_wanted
        A release is to be made.

    Attributes
    ----------
    before, after
        What is compared.
    compare
        Begins the comparison.
    words, values
        What came out: changed layouts, and values that are decoded otherwise; None before there was one.
    """

    pair_wanted = pyqtSignal(object, object, object)
    place_wanted = pyqtSignal(object, object)
    make_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.releases: list[Any] = []
        self.words: list[Any] | None = None
        self.values: list[Any] | None = None
        self.before, self.after = Choice(), Choice()
        self.before.setAccessibleName("Compare this release")
        self.after.setAccessibleName("with this one")
        self.compare = button("Compare", "In words, and by decoding the open capture with both", main=True)
        self.compare.setEnabled(False)
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        self._result = QVBoxLayout()
        self._result.setSpacing(6)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        left = QVBoxLayout()
        self.make = button("Make a release…", "Give the newest state of every layout a name that stays")
        left.addWidget(self.make, 0, Qt.AlignmentFlag.AlignLeft)
        left.addLayout(self._list)
        self.make.clicked.connect(self.make_wanted)
        row.addWidget(scrolled_column(left), 2)
        row.addWidget(self._right(), 3)
        self.compare.clicked.connect(self.run)
        for event in (session.shared.releases_changed, session.shared.seen):
            event.connect(self.refresh)

    def _right(self) -> QWidget:
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        row.setContentsMargins(14, 0, 14, 0)
        row.addWidget(label("what differs between", "quiet"))
        row.addWidget(self.before)
        row.addWidget(label("and", "quiet"))
        row.addWidget(self.after)
        row.addWidget(self.compare)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(scrolled_column(self._result), 1)
        return right

    def refresh(self) -> None:
        """Read the releases again."""
        if self.isVisible() and self._session.library is not None:
            self._session.shared.ask("reading releases", lambda library: library.releases.all(), self._take)

    def _take(self, releases: list[Any]) -> None:
        self.releases = releases
        for choice, newest in ((self.before, False), (self.after, True)):
            chosen = choice.currentData()
            choice.clear()
            if newest:
                choice.addItem("now", NOW)
            for one in releases:
                choice.addItem(one.name, one.name)
            choice.setCurrentIndex(max(choice.findData(chosen), 0))
        self.compare.setEnabled(bool(releases))
        clear_layout(self._list)
        for one in releases:
            self._add_release(one)
        if not releases:
            self._list.addWidget(Hint(
                "No release yet. Make one, so that everybody can decode with the same words, also years from now."
            ))  # fmt: skip

    def _add_release(self, one: Any) -> None:
        name = label(one.name)
        name.setFont(text_font(bold=True))
        self._list.addWidget(name)
        if one.notes:
            self._list.addWidget(label(one.notes, wrap=True))
        self._list.addWidget(label(f"{counted(one.layouts, 'layout')} · {one.author} · {when_text(one.time)}", "quiet"))
        session = self._session
        if session.edits.release == one.name:
            back = button("Decode with the newest state again", "This trial is decoded with this release", link=True)
            back.clicked.connect(lambda: use_release(session, ""))
        else:
            back = button("Decode this trial with it", "Layouts as they were then, for as long as you like", link=True)
            back.clicked.connect(lambda: use_release(session, one.name))
        self._list.addWidget(back, 0, Qt.AlignmentFlag.AlignLeft)
        self._list.addWidget(hairline())

    def run(self) -> None:
        """Compare, first in words, then on the capture; the latter can be cancelled in the foot."""
        session = self._session
        before, after = self.before.currentData(), self.after.currentData()
        if before is None or session.capture is None:
            return
        library, capture = session.library, session.capture
        newest, ties = session.edits.layouts(), session.trial.file.ties
        self.words, self.values = None, None

        def read(_progress: Any) -> tuple[list[Any], list[Any]]:
            return library.layouts.of_release(before), library.layouts.of_release(after) if after != NOW else newest

        def both(sides: tuple[list[Any], list[Any]]) -> None:
            self.words = laid.compare_sets(*sides)
            self._show()
            session.jobs.start(
                "compare decoded", "decoding both ways",
                lambda progress: laid.decoded_differences(both_ways(sides[0]), both_ways(sides[1]), progress), done,
            )  # fmt: skip

        def both_ways(layouts: list[Any]) -> Any:
            return engine.Meaning.of(capture, layouts, ties)

        def done(values: list[Any]) -> None:
            self.values = values
            self._show()

        session.jobs.start("compare releases", "reading releases", read, both)

    def _show(self) -> None:
        clear_layout(self._result)
        number = len(self.words or [])
        self._head(f"{number} layout{' differs' if number == 1 else 's differ'}")
        for one in self.words or []:
            self._result.addWidget(self._layout_row(one))
        if self.values is None:
            self._result.addWidget(label("Decoding the open capture both ways…", "quiet"))
            return
        fields = len(self.values)
        words = f"{fields} field{' comes' if fields == 1 else 's come'} out otherwise on the open capture"
        self._head(words if fields else "The open capture is decoded alike.")
        for value in self.values[:_LISTED]:
            self._result.addWidget(self._value_row(value))

    def _head(self, words: str) -> None:
        made = label(words, wrap=True)
        made.setFont(text_font(bold=True))
        self._result.addWidget(made)

    def _layout_row(self, one: Any) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        said = f": {'; '.join(one.words)}" if one.words else ""
        line.addWidget(label(f"{one.name} {one.standing.value}{said}", wrap=True), 1)
        show = button("Show", "In beads, words and curves", link=True)
        titles = (f"{one.name}, {self.before.currentText()}", f"{one.name}, {self.after.currentText()}")
        show.clicked.connect(lambda: self.pair_wanted.emit(one.before, one.after, titles))
        line.addWidget(show)
        return row

    def _value_row(self, value: laid.Difference) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        change = f"{value.before or 'nothing'} → {value.after or 'nothing'}"
        words = (
            f"{value.lane}, {value.message}.{value.field}: in {grouped(value.differing)} of {grouped(value.frames)} "
            f"frames, first {change}"
        )
        line.addWidget(label(words, wrap=True), 1)
        show = button("Show", "Go to the first frame that is decoded otherwise", link=True)
        show.clicked.connect(lambda: self.place_wanted.emit(value, value.first_ns))
        line.addWidget(show)
        return row

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()
