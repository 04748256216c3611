"""The find-or-do box: any message, field, layout, moment or command by a few letters."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import chain, islice

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QPoint, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import (
    QFrame,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..app.commands import Command
from ..app.session import Session
from ..widgets.hinted_line import HintedLine
from ..widgets.paint import draw_text
from ..widgets.parts import one_shot
from ..widgets.theme import SMALL_PX, TINY_PX, look, text_font
from .findable import Findable, Finding, WhatIsThere, search

_SHOWN = 14
_AT_A_TIME, _BETWEEN_MS = 100, 20
"""How many messages are made ready to be found in one go, and how long the window has to itself between."""
_ROW_HEIGHT = 26
_HINTS = tuple(f"Find a {words}     Ctrl K" for words in ("message, field, moment or command", "message or command"))


class FindBox(HintedLine):
    """A line that lists what matches while typing; Enter goes there or does it."""

    def __init__(self, session: Session, commands: Callable[[], list[Command]]) -> None:
        super().__init__(*_HINTS)
        self._session = session
        self._commands = commands
        self._found: list[Finding] = []
        self._there = WhatIsThere(session)
        self._known: list[Findable] = []
        self._coming: Iterator[Findable] = iter(())
        self._kinds = 0
        self._soon = one_shot(self, _BETWEEN_MS, self._list_some)
        for event in (session.opened, session.trial_changed, session.layouts_changed):
            event.connect(self._list_anew)
        session.grown.connect(self._on_grown)
        self.setObjectName("find")
        self.setAccessibleName("Find or do")
        self.setToolTip("Find or do (Ctrl K)")
        self._list = QListView()
        self._list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._list.setItemDelegate(_FindingDelegate(self._list))
        self._list.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        self._model = QStandardItemModel()
        self._list.setModel(self._model)
        self._popup: QFrame | None = None
        self.textEdited.connect(self._search)
        self.returnPressed.connect(self._take)
        self._list.clicked.connect(lambda index: self._run(index.row()))

    def begin(self) -> None:
        """Take the keyboard and show what can be done."""
        self.setFocus()
        self.selectAll()
        self._search(self.text())

    def findings(self) -> list[str]:
        """Return the names that are listed now."""
        return [finding.name for finding in self._found]

    def _search(self, text: str) -> None:
        self._known += self._coming
        known = [*self._known, *self._there.of_commands(self._commands())]
        self._found = search(known, text, _SHOWN)
        self._model.clear()
        for finding in self._found:
            item = QStandardItem(finding.name)
            item.setData((finding.what, finding.beside), Qt.ItemDataRole.UserRole)
            self._model.appendRow(item)
        if self._found:
            self._list.setCurrentIndex(self._model.index(0, 0))
        else:
            nothing = QStandardItem("Nothing is called that.")
            nothing.setEnabled(False)
            nothing.setData(("", "try a part of a name"), Qt.ItemDataRole.UserRole)
            self._model.appendRow(nothing)
        self._show_popup()

    def _list_anew(self) -> None:
        """List what there is from the beginning, some of it at a time: all of it takes longer than a key may."""
        session = self._session
        self._kinds = len(session.capture.kinds.keys) if session.capture is not None else 0
        self._known, self._coming = [], chain(self._there.of_trial(), self._there.of_library())
        self._soon.start()

    def _list_some(self) -> None:
        some = list(islice(self._coming, _AT_A_TIME))
        self._known += some
        if some:
            self._soon.start()

    def _on_grown(self) -> None:
        if len(self._session.capture.kinds.keys) != self._kinds:
            self._list_anew()

    def _take(self) -> None:
        row = self._list.currentIndex().row()
        self._run(row if row >= 0 else 0)

    def _run(self, row: int) -> None:
        if 0 <= row < len(self._found):
            finding = self._found[row]
            self._hide_popup()
            self.clear()
            self.clearFocus()
            finding.run()

    def _show_popup(self) -> None:
        if self._popup is None:
            window = self.window()
            assert window is not None, "somebody types into it"
            self._popup = _Popup(window, self._list)
        corner = self.mapTo(self.window(), QPoint(0, self.height() + 3))
        height = self._model.rowCount() * _ROW_HEIGHT + 10
        self._popup.setGeometry(corner.x(), corner.y(), max(self.width(), 420), height)
        self._popup.show()
        self._popup.raise_()

    def _hide_popup(self) -> None:
        if self._popup is not None:
            self._popup.hide()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step and self._found:
            row = (self._list.currentIndex().row() + step) % len(self._found)
            self._list.setCurrentIndex(self._model.index(row, 0))
        elif event.key() == Qt.Key.Key_Escape:
            self._hide_popup()
            self.clear()
            self.clearFocus()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().focusOutEvent(event)
        if not (self._popup is not None and self._popup.underMouse()):
            self._hide_popup()


class _Popup(QFrame):
    """The list below the box; a part of the window, so that it needs no window manager."""

    def __init__(self, window: QWidget, view: QListView) -> None:
        super().__init__(window)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 4, 4, 4)
        column.addWidget(view)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.WindowDeactivate:
            self.hide()
        return False


class _FindingDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        theme = look.theme
        rect = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, QColor(theme.selected))
        what, beside = index.data(Qt.ItemDataRole.UserRole)
        row = rect.adjusted(10, 0, -10, 0)
        draw_text(painter, row, what, text_font(TINY_PX), theme.quiet)
        draw_text(painter, row, beside, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        used = painter.fontMetrics().horizontalAdvance(beside)
        draw_text(painter, row.adjusted(62, 0, -used - 8, 0), str(index.data()), text_font(SMALL_PX), theme.ink)
