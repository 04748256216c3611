"""The find-or-do box: any message, field, moment or command by a few letters."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QPoint, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..app.commands import Command
from ..app.session import Session
from ..widgets.paint import draw_text
from ..widgets.theme import SMALL_PX, TINY_PX, look, text_font

_SHOWN = 14
_ROW_HEIGHT = 26


@dataclass(frozen=True, slots=True)
class Finding:
    """One line of the list: what it is, its name, what stands at the right, and what happens."""

    what: str
    name: str
    beside: str
    run: Callable[[], object]


class _Known(NamedTuple):
    """Something that can be found: all its letters, where its name begins in them, and what makes the line of it.

    Lines are made of what is listed alone: to make those of thousands of fields takes longer than a key may.
    """

    letters: str
    name_at: int
    make: Callable[[], Finding]

    @classmethod
    def of(cls, what: str, name: str, beside: str, run: Callable[[], object]) -> _Known:
        return cls(f"{what} {name} {beside}".lower(), len(what) + 1, partial(Finding, what, name, beside, run))


class FindBox(QLineEdit):
    """A line that lists what matches while typing; Enter goes there or does it."""

    def __init__(self, session: Session, commands: Callable[[], list[Command]]) -> None:
        super().__init__()
        self._session = session
        self._commands = commands
        self._found: list[Finding] = []
        self._known: list[_Known] | None = None
        for event in (session.opened, session.trial_changed, session.layouts_changed):
            event.connect(self._forget)
        self.setObjectName("find")
        self.setPlaceholderText("Find a message, field, moment or command     Ctrl K")
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
        words = text.lower().split()
        if self._known is None:
            self._known = list(self._of_trial())
        found = [one for one in (*self._known, *self._of_commands()) if all(word in one.letters for word in words)]
        if words:
            found.sort(key=lambda one: not one.letters.startswith(words[0], one.name_at))
        self._found = [one.make() for one in found[:_SHOWN]]
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

    def _forget(self) -> None:
        self._known = None

    def _of_trial(self) -> Iterator[_Known]:
        """Yield what the trial holds: messages, their fields, moments, and what is asked again and again."""
        session = self._session
        if session.capture is not None:
            for kind in range(len(session.capture.kinds.keys)):
                yield from self._kind_findings(kind)
            for moment in session.trial.file.moments:
                at = session.clock.words(moment.time_ns)
                yield _Known.of("moment", moment.text, f"{at} s", partial(self._go, moment.time_ns))
            for kept in session.trial.file.conditions:
                yield _Known.of("ask", kept.name, kept.text, partial(self._ask, kept.text))

    def _of_commands(self) -> Iterator[_Known]:
        for command in self._commands():
            if command.enabled():
                yield _Known.of("do", command.title, command.shortcut, partial(self._do, command))

    def _kind_findings(self, kind: int) -> Iterator[_Known]:
        session = self._session
        address = session.kinds.address(kind)
        lane = session.capture.lanes[session.kinds.key(kind).lane].name
        name = session.kinds.name(kind)
        words, beside = name or f"{address} unnamed", f"{address} · {lane}"
        yield _Known.of("message", words, beside, lambda: session.select_kind(kind))
        for reader in session.reading.readers(kind):
            for field in reader.shown.once_a_frame():
                title = f"{reader.layout.name}.{field.name}"
                yield _Known.of("field", title, field.unit, partial(self._show_field, kind, field.id))

    def _show_field(self, kind: int, field_id) -> None:  # type: ignore[no-untyped-def]
        self._session.select_kind(kind)
        if (kind, field_id) not in self._session.traces.shown:
            self._session.traces.toggle(kind, field_id)
        self._session.desk_wanted.emit("Read")

    def _go(self, time_ns: int) -> None:
        self._session.clock.set_cursor(time_ns, follow=True)

    def _do(self, command: Command) -> None:
        """Do something where it can be seen."""
        if command.desk:
            self._session.desk_wanted.emit(command.desk)
        command.run()

    def _ask(self, condition: str) -> None:
        self._session.asking.ask(condition)
        self._session.desk_wanted.emit("Read")

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
