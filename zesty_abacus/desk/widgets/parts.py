"""Small parts of which panels are made."""

from __future__ import annotations

import html
from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from .theme import look, text_font

USES_SPACE = "uses space"
"""A property of widgets that are worked by the space bar."""
EDGE = 12
"""Distance of words from the edge of a panel."""


def label(text: str = "", role: str = "", *, wrap: bool = False, selectable: bool = False) -> QLabel:
    """Return a label in a role of the style sheet; text is never read as markup."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setObjectName(role)
    if wrap:
        made.setWordWrap(True)
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    if selectable:
        made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made


def button(text: str, tip: str = "", *, main: bool = False, link: bool = False) -> QPushButton:
    """Return a button with a word on it."""
    made = QPushButton(text)
    made.setToolTip(tip)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    if main:
        made.setObjectName("main")
    elif link:
        made.setObjectName("link")
    return made


def plain_tip(text: str) -> str:
    """Return a text for a tooltip, which would read what looks like markup as markup."""
    if "<" not in text:
        return text
    return f"<qt>{html.escape(text)}</qt>".replace("\n", "<br>")


class Choice(QComboBox):
    """A choice that letters search: they are not taken for the keys of the desk.

    What keys pass on the way is shown and not chosen: it applies when the choice is left, or Return takes it; Escape
    goes back to what was chosen.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._chosen: int | None = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._chosen is not None:
            self._take()
        elif event.key() == Qt.Key.Key_Escape and self._chosen is not None:
            back, self._chosen = self._chosen, None
            self.blockSignals(True)
            self.setCurrentIndex(back)
            self.blockSignals(False)
        else:
            before = self.currentIndex()
            self.blockSignals(True)
            super().keyPressEvent(event)
            self.blockSignals(False)
            if self.currentIndex() != before and self._chosen is None:
                self._chosen = before

    def setCurrentIndex(self, index: int) -> None:
        if self._chosen is not None:
            # somebody is choosing: what comes from elsewhere is what Escape goes back to
            self._chosen = index
            return
        super().setCurrentIndex(index)

    def setCurrentText(self, text: str | None) -> None:
        place = self.findText(text or "")
        if place >= 0:
            self.setCurrentIndex(place)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._take()
        super().focusOutEvent(event)

    def _take(self) -> None:
        """Let what is shown be chosen, if it is another one; tell of it as Qt does."""
        before, self._chosen = self._chosen, None
        index = self.currentIndex()
        if before is None or before == index:
            return
        self.currentIndexChanged.emit(index)
        self.currentTextChanged.emit(self.currentText())
        self.activated.emit(index)
        self.textActivated.emit(self.currentText())

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
            if plain and event.text().isprintable() and event.text():
                event.accept()
                return True
        return super().event(event)


def with_offers(completer: QCompleter) -> QCompleter:
    """Return a completer whose list has a ground: it is a window of its own, and lists have none."""
    popup = completer.popup()
    if popup is not None:
        popup.setObjectName("offered")
        look.dress(popup)
    return completer


class NoWheel(QObject):
    """Keeps the wheel of the mouse from changing a choice that is scrolled past."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Wheel:
            event.ignore()
            return True
        return False


def is_in_hand(line: QLineEdit) -> bool:
    """Whether somebody is typing into an entry: what comes from elsewhere must not disturb it."""
    return line.hasFocus() and line.isModified()


def one_shot(parent: QObject, milliseconds: int, call: Callable[[], object]) -> QTimer:
    """Return a timer that calls once after it was last started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(call)
    return timer


def hairline() -> QFrame:
    """Return a thin horizontal line."""
    made = QFrame()
    made.setObjectName("hairline")
    return made


_POINT = " · "


class ElidedLabel(QLabel):
    """A line of words that is shortened to the room there is; the tooltip has all of it.

    What stands between points in the middle goes whole: ``8 bytes · sent by …`` says less than ``8 bytes · …``.
    """

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self.setToolTip(plain_tip(text or ""))

    def minimumSizeHint(self) -> QSize:
        return QSize(40, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.shown())
        painter.end()

    def shown(self) -> str:
        """Return what there is room for."""
        metrics, text = self.fontMetrics(), self.text()
        parts = text.split(_POINT)
        for count in range(len(parts) - 1, 0, -1):
            if metrics.horizontalAdvance(text) <= self.width():
                break
            text = f"{_POINT.join(parts[:count])}{_POINT}…"
        return metrics.elidedText(text, Qt.TextElideMode.ElideRight, self.width())


class Panel(QWidget):
    """A raised column with a title, a quiet note beside it, and a body that scrolls.

    Attributes
    ----------
    head
        Title and note; hidden where something else says what the panel is.
    note
        The label at the right of the title.
    body
        Layout to put parts in.
    """

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title = label(title, "title")
        self.title.setFont(text_font(bold=True))
        self.note = label("", "quiet")
        self.head = QWidget()
        head = QHBoxLayout(self.head)
        head.setContentsMargins(EDGE, 7, EDGE, 7)
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.note)
        self.inner = QWidget()
        self.body = QVBoxLayout(self.inner)
        self.body.setContentsMargins(EDGE, 8, EDGE, EDGE)
        self.body.setSpacing(6)
        self.area = scrolled(self.inner)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self.area, 1)

    def sizeHint(self) -> QSize:
        return QSize(272, 400)

    def clear(self) -> None:
        """Take everything out of the body."""
        clear_layout(self.body)


def menu_of(owner: QWidget) -> QMenu:
    """Return an empty menu that goes when it is closed."""
    menu = QMenu(owner)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def while_there(owner: QObject, hear: Callable[[Any], object]) -> Callable[[Any], None]:
    """Return what hears an answer as long as its owner is there: a menu may be closed before a server has answered."""

    def heard(answer: Any) -> None:
        if not sip.isdeleted(owner):
            hear(answer)

    return heard


def scrolled(inner: QWidget) -> QScrollArea:
    """Return a scroll area around a widget, as high as it wants to be and never wider than the room."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    return area


def in_room(inner: QWidget) -> QScrollArea:
    """Return a scroll area around what fills its room, and scrolls where that is less than it can do with."""
    area = scrolled(inner)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    area.setFrameShape(QFrame.Shape.NoFrame)
    return area


def scrolled_column(*parts: QWidget | QLayout) -> QScrollArea:
    """Return parts below one another that scroll, with room at the end."""
    inner = QWidget()
    column = QVBoxLayout(inner)
    column.setContentsMargins(14, 10, 14, 14)
    for part in parts:
        if isinstance(part, QLayout):
            column.addLayout(part)
        else:
            column.addWidget(part)
    column.addStretch(1)
    return scrolled(inner)


def let_go(widget: QWidget) -> None:
    """Take a widget out of sight and let it be deleted."""
    widget.hide()
    widget.setParent(None)
    widget.deleteLater()


def clear_layout(layout: QVBoxLayout | QHBoxLayout) -> None:
    """Take everything out of a layout and let the widgets go."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        widget = item.widget()
        if widget is not None:
            let_go(widget)
        inner = item.layout()
        if isinstance(inner, (QVBoxLayout, QHBoxLayout)):
            clear_layout(inner)


def clear_grid(grid: QGridLayout) -> None:
    """Take everything out of a grid and let the widgets go."""
    while grid.count():
        item = grid.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            let_go(widget)


def say_in(words: QLabel, sentence: str, role: str) -> None:
    """Show a sentence in a label, in the look of a role: ``quiet``, ``good``, ``wrong``."""
    words.setObjectName(role)
    words.setText(sentence)
    # a style sheet looks at names only when a widget is polished
    style = words.style()
    if style is not None:
        style.unpolish(words)
        style.polish(words)


class DeskHead(QWidget):
    """The line at the top of a desk: a name, quiet words after it, and room for actions at the right."""

    def __init__(self, title: str = "", words: str = "") -> None:
        super().__init__()
        self.setObjectName("paper")
        self.title = ElidedLabel(title)
        self.title.setTextFormat(Qt.TextFormat.PlainText)
        self.title.setFont(text_font(16, bold=True))
        self.words = ElidedLabel(words)
        # what is beside the title gives way to it
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.words.setObjectName("quiet")
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(14, 7, 14, 7)
        self.row.setSpacing(10)
        self.row.addWidget(self.title)
        self.row.addWidget(self.words, 1)


class Hint(QWidget):
    """What an empty view says: the next step, in the middle."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.words = label(text, "quiet", wrap=True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column = QVBoxLayout(self)
        column.setContentsMargins(40, 40, 40, 40)
        column.addWidget(self.words)
