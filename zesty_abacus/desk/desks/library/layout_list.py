"""All layouts of the library, found as one types, narrowed by lane, standing and author."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import islice
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.filter_line import FilterLine
from ...widgets.paint import draw_sentence, draw_text
from ...widgets.parts import Choice, label, one_shot, plain_tip
from ...widgets.theme import TINY_PX, figure_font, look, text_font
from ...widgets.words import counted, when_text

_TYPING_MS = 60
_ROW_HEIGHT = 46
_WIDEST = 170
"""Of a filter; its list shows whole words."""
_WITH_FIELDS = 700
"""From this width on there is room for what a layout reads."""
_MOST_NAMES = 40
"""Two lines of a wide window hold no more of them."""
_NAME = 0.34
"""Share of the width that a name then has."""
_GAP, _RIGHT = 16, 190
_ANY = ""
_MARKS = {"as released": "●", "changed since the release": "◐", "not released yet": "○", "a change is proposed": "◆"}
"""A shape for each standing, so that colour says nothing alone."""


class FoundModel(QAbstractListModel):
    """The layouts that were found."""

    def __init__(
        self, apart: Callable[[], Mapping[UUID, engine.Clash]] = dict,
        layout: Callable[[UUID], engine.Layout | None] = lambda _key: None,
    ) -> None:  # fmt: skip
        """Begin with none; ``apart`` says which others contradict a layout, ``layout`` what it is, by its id."""
        super().__init__()
        self._apart = apart
        self._layout = layout
        self.found: list[laid.Found] = []

    def reads(self, one: laid.Found) -> str:
        """Return the names of the fields that a layout reads, of many the first; empty if it is not at hand."""
        layout = self._layout(one.layout_id)
        names = (field.name for field in layout.all_fields() if field.name) if layout is not None else ()
        first = list(islice(names, _MOST_NAMES + 1))
        return ", ".join(first[:_MOST_NAMES]) + (" and more" if len(first) > _MOST_NAMES else "")

    def clash(self, one: laid.Found) -> engine.Clash | None:
        """Return what contradicts a layout in numbers, None if nothing does."""
        return self._apart().get(one.layout_id)

    def show(self, found: list[laid.Found]) -> None:
        """Show others."""
        self.beginResetModel()
        self.found = found
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.found)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        one = self.found[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return one.name
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return self._words(one) + (", layouts differ" if self.clash(one) is not None else "")
        if role == Qt.ItemDataRole.ToolTipRole:
            clash = self.clash(one)
            return plain_tip(self._words(one) + (f"\n{clash.sentence()}" if clash is not None else ""))
        return None

    def _words(self, one: laid.Found) -> str:
        reads = self.reads(one)
        return f"{one.name}, {address_words(one)}, {one.standing.value}" + (f"; reads {reads}" if reads else "")


def address_words(one: laid.Found) -> str:
    """Return an address the way lists write it."""
    if one.address is None:
        return "any"
    return engine.protocol_named(one.protocol).address_text(one.address, extended=one.extended)


class FoundDelegate(QStyledItemDelegate):
    """Paints a layout in two lines: address and name; where, how it stands, who changed it last, and what it reads."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model = index.model()
        if painter is None or not isinstance(model, FoundModel):
            return
        one, theme, box = model.found[index.row()], look.theme, QRectF(option.rect)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor(theme.selected))
        elif option.state & QStyle.StateFlag.State_MouseOver:
            painter.fillRect(box, QColor(theme.chip))
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        top = QRectF(box.left() + 14, box.top() + 5, 84, 18)
        draw_text(painter, top, address_words(one), figure_font(), theme.quiet)
        has_room = box.width() >= _WITH_FIELDS
        name = QRectF(top.right(), top.top(), box.width() * (_NAME if has_room else 0.5), 18)
        draw_text(painter, name, one.name, text_font(bold=True), theme.ink)
        right = Qt.AlignmentFlag.AlignRight
        who = QRectF(box.left(), top.top(), box.width() - 14, 18)
        draw_text(painter, who, f"{one.author} · {when_text(one.time)}", text_font(TINY_PX), theme.quiet, right)
        below = top.adjusted(0, 19, 0, 19)
        draw_text(painter, below, engine.protocol_named(one.protocol).title, text_font(TINY_PX), theme.quiet)
        clash = model.clash(one)
        words = QRectF(name.left(), below.top(), name.width() if has_room and clash is None else box.width() * 0.62, 18)
        if has_room:
            left = name.right() + _GAP
            fields = QRectF(left, top.top() + 1, box.right() - _RIGHT - left, 36)
            draw_sentence(painter, fields, model.reads(one), text_font(TINY_PX), theme.quiet, 1 if clash else 2)
        others = [layout.name for layout in clash.layouts if layout.id != one.layout_id] if clash is not None else []
        said = self._words(one) + (f" · ≠ {', '.join(others)}" if others else "")
        draw_text(painter, words, said, text_font(TINY_PX), theme.wrong if others else theme.quiet)
        standing = f"{_MARKS[one.standing.value]} {one.standing.value}"
        color = theme.zest_text if one.standing.value in ("a change is proposed",) else theme.quiet
        draw_text(painter, who.adjusted(0, 19, 0, 19), standing, text_font(TINY_PX), color, right)
        painter.restore()

    def _words(self, one: laid.Found) -> str:
        parts = [", ".join(one.lanes) or "any lane", f"{one.changes} change{'s' if one.changes != 1 else ''}"]
        if one.comments:
            parts.append(f"{one.comments} said about it")
        if one.matched not in ("", "name", "address"):
            parts.append(f"found by its {one.matched}")
        return " · ".join(parts)


class LayoutList(QWidget):
    """The search, its filters, and what they find.

    Events
    ------
    picked
        (layout id or None) another layout is chosen in the list.
    opened
        (layout id) a layout is to be opened.

    Attributes
    ----------
    line, lane, standing, author
        What is searched for.
    view, model
    """

    picked = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._all: list[laid.Found] = []
        self._held: Any = None
        self.line = FilterLine("Find layouts", "name, field, unit, address, comment", "name, field, unit …")
        self.lane, self.standing, self.author = Choice(), Choice(), Choice()
        self.count = label("", "quiet")
        self.model = FoundModel(lambda: session.reading.counts.apart, session.edits.layout)
        self.view = QListView()
        self.view.setModel(self.model)
        self.view.setItemDelegate(FoundDelegate(self.view))
        self.view.setMouseTracking(True)
        self.view.setUniformItemSizes(True)
        self.view.setAccessibleName("Layouts of the library")
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.nothing = label("", "quiet", wrap=True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.nothing.setContentsMargins(40, 40, 40, 40)
        self._soon = one_shot(self, _TYPING_MS, self.refresh)
        self._build()
        self._connect()

    def _build(self) -> None:
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(8)
        row.addWidget(self.line, 1)
        for choice, name in ((self.lane, "Lane"), (self.standing, "Standing"), (self.author, "Changed by")):
            choice.setAccessibleName(name)
            choice.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
            choice.setMaximumWidth(_WIDEST)
            row.addWidget(choice)
        row.addWidget(self.count)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.nothing)
        column.addWidget(self.view, 1)
        self.nothing.hide()

    def _connect(self) -> None:
        self.line.textChanged.connect(self._soon.start)
        # the first one found is in hand already
        self.line.lead_to(self.view, lambda: self.model.found, lambda _found: None)
        for choice in (self.lane, self.standing, self.author):
            choice.currentIndexChanged.connect(self._narrow)
        selection = self.view.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._on_current)
        self.view.activated.connect(lambda index: self.opened.emit(self.model.found[index.row()].layout_id))

    def refresh(self) -> None:
        """Search again, on a thread; a later search takes the place of an earlier one."""
        library, text = self._session.library, self.line.text()
        if library is None or not self.isVisible():
            return
        self._session.jobs.start("find layouts", "searching", lambda _progress: library.layouts.find(text), self._take)

    @property
    def current(self) -> laid.Found | None:
        """The layout that is chosen in the list."""
        index = self.view.currentIndex()
        return self.model.found[index.row()] if index.isValid() else None

    def _take(self, found: list[laid.Found]) -> None:
        self._all = found
        if not self.line.text().strip():
            # what there is to choose from does not change with every letter
            self._offer(self.lane, "any lane", sorted({lane for one in found for lane in one.lanes}))
            self._offer(self.standing, "any standing", [one.value for one in laid.LibraryStanding])
            self._offer(self.author, "anybody", sorted({one.author for one in found}))
        self._narrow()

    def _offer(self, choice: Choice, nothing: str, entries: list[str]) -> None:
        chosen = choice.currentData()
        choice.blockSignals(True)
        choice.clear()
        choice.addItem(nothing, _ANY)
        for entry in entries:
            choice.addItem(entry, entry)
        choice.setCurrentIndex(max(choice.findData(chosen), 0))
        choice.blockSignals(False)

    def _narrow(self) -> None:
        lane, standing, author = (choice.currentData() for choice in (self.lane, self.standing, self.author))
        shown = [
            one for one in self._all
            if (not lane or lane in one.lanes) and (not standing or one.standing.value == standing)
            and (not author or one.author == author)
        ]  # fmt: skip
        held = self._held
        self.model.show(shown)
        total = len(self._all)
        self.count.setText(f"{len(shown)} of {total}" if len(shown) != total else counted(total, "layout"))
        self.nothing.setVisible(not shown)
        self.view.setVisible(bool(shown))
        searching = bool(self.line.text().strip() or lane or standing or author)
        self.nothing.setText(
            "Nothing is found. Search for less, or for part of a word."
            if searching else "The library is empty. Bring layouts in on the Layouts desk, or begin one for a message."
        )  # fmt: skip
        row = next((n for n, one in enumerate(shown) if one.layout_id == held), 0)
        if shown:
            self.view.setCurrentIndex(self.model.index(row, 0))
        else:
            self.picked.emit(None)

    def _on_current(self, index: QModelIndex) -> None:
        self._held = self.model.found[index.row()].layout_id if index.isValid() else self._held
        if index.isValid():
            self.picked.emit(self._held)

    def row_box(self, row: int) -> QRect:
        """Return where a row is painted."""
        return self.view.visualRect(self.model.index(row, 0))
