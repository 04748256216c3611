"""The roster: message kinds by lane, with their bits and how many of them are explained."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QProgressBar,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..app.doors import engine
from ..app.session import Session
from ..widgets.paint import draw_ribbon, draw_text
from ..widgets.parts import EDGE, Choice, hairline, label, plain_tip
from ..widgets.theme import SMALL_PX, TEXT_PX, TINY_PX, figure_font, look, text_font

REWARDING = "most rewarding first"
KIND_ROLE = Qt.ItemDataRole.UserRole
ORDERS = {
    "by address": lambda s, k: (s.kinds.key(k),),
    "least explained first": lambda s, k: (_share(s, k), -s.capture.kinds.count(k)),
    REWARDING: lambda s, k: (-s.findings.reward(k), -_unexplained(s, k), s.kinds.key(k)),
    "by name": lambda s, k: (not s.kinds.name(k), s.kinds.name(k).lower(), s.kinds.key(k)),
    "most frames first": lambda s, k: (-s.capture.kinds.count(k),),
}


def _share(session: Session, kind: int) -> float:
    explained = session.reading.counts.explained_of(kind)
    share = explained.share if explained is not None else None
    return 2.0 if share is None else share


def _unexplained(session: Session, kind: int) -> int:
    explained = session.reading.counts.explained_of(kind)
    return round(explained.moving * (1 - (explained.share or 0.0))) if explained is not None else 0


class RosterModel(QAbstractListModel):
    """Rows of the roster: lane headings (a name) and kinds (a number).

    Attributes
    ----------
    entries
        Those that are shown, from the top.
    known
        How many kinds there were when they were arranged.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.known = 0
        self.entries: list[str | int] = []

    def arrange(self, order: str, wanted: str) -> None:
        """Fill the rows: kinds of each lane in an order, those that match a filter."""
        self.beginResetModel()
        self.entries = []
        capture = self._session.capture
        self.known = len(capture.kinds.keys) if capture is not None else 0
        for number, lane in enumerate(capture.lanes if capture is not None else ()):
            kinds = [k for k, key in enumerate(capture.kinds.keys) if key.lane == number and self._matches(k, wanted)]
            kinds.sort(key=lambda kind: ORDERS[order](self._session, kind))
            if kinds:
                self.entries += [lane.name, *kinds]
        self.endResetModel()

    def _matches(self, kind: int, wanted: str) -> bool:
        session = self._session
        words = [session.kinds.address(kind), session.kinds.name(kind) or "unnamed"]
        for reader in session.reading.readers(kind):
            words += [field.name for field in reader.shown.all_fields()]
        text = " ".join(words).lower()
        return all(part in text for part in wanted.lower().split())

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return len(self.entries)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entries[index.row()]
        if role == KIND_ROLE:
            return entry
        words = entry if isinstance(entry, str) else self._words(entry)
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(words)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return words
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if isinstance(self.entries[index.row()], str):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def _words(self, kind: int) -> str:
        session = self._session
        explained = session.reading.counts.explained_of(kind)
        shown = f", {explained.share_text()} explained" if explained is not None and explained.moving else ""
        return f"{session.kinds.address(kind)} {session.kinds.name(kind) or 'unnamed'}{shown}"


_LONG_ADDRESS = 14


class RosterDelegate(QStyledItemDelegate):
    """Paints a kind: address, name, rate, bit ribbon and explained share."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._ribbons: dict[tuple, QPixmap] = {}
        for event in (session.opened, session.layouts_changed, session.reading.counts.changed):
            event.connect(self._ribbons.clear)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, 22 if isinstance(index.data(KIND_ROLE), str) else 38)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        entry = index.data(KIND_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(option.rect)
        if isinstance(entry, str):
            row = rect.adjusted(EDGE, 4, -EDGE, 0)
            draw_text(painter, row, entry, text_font(TINY_PX), look.theme.quiet)
        else:
            self._paint_kind(painter, rect, entry, bool(option.state & QStyle.StateFlag.State_Selected))
        painter.restore()

    def _paint_kind(self, painter: QPainter, rect: QRectF, kind: int, chosen: bool) -> None:
        theme, session = look.theme, self._session
        if chosen:
            painter.fillRect(rect, QColor(theme.selected))
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), QColor(theme.zest))
        name = session.kinds.name(kind)
        top = QRectF(rect.left() + EDGE, rect.top() + 3, rect.width() - 2 * EDGE, 16)
        address = figure_font(SMALL_PX, bold=True)
        words = session.kinds.address(kind)
        rate = _rate_text(session.kinds.rate(kind))
        draw_text(painter, top, rate, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        room = top.adjusted(0, 0, -painter.fontMetrics().horizontalAdvance(rate) - 6, 0)
        font = text_font(SMALL_PX, italic=not name)
        color = theme.ink if name else theme.unexplained
        if len(words) > _LONG_ADDRESS and name:
            # a register exchange is known by its message; its address says which registers
            draw_text(painter, room, name, text_font(SMALL_PX, bold=True), theme.ink)
            offset = painter.fontMetrics().horizontalAdvance(name) + 8
            draw_text(painter, room.adjusted(offset, 0, 0, 0), words, text_font(TINY_PX), theme.quiet)
        else:
            rest = room.adjusted(QFontMetricsF(address).horizontalAdvance(words) + 8, 0, 0, 0)
            # where a long address leaves no room for the word, its own colour says that nobody named it
            has_room = bool(name) or QFontMetricsF(font).horizontalAdvance("unnamed") <= rest.width()
            draw_text(painter, room, words, address, theme.ink if has_room else theme.unexplained)
            if has_room:
                draw_text(painter, rest, name or "unnamed", font, color, middle=True)
        self._paint_bits(painter, QRectF(rect.left() + EDGE, rect.top() + 23, rect.width() - 2 * EDGE - 46, 9), kind)
        explained = session.reading.counts.explained_of(kind)
        if explained is not None:
            words = explained.share_text()
            place = QRectF(rect.right() - EDGE - 44, rect.top() + 19, 44, 16)
            draw_text(painter, place, words, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)

    def _paint_bits(self, painter: QPainter, rect: QRectF, kind: int) -> None:
        """Paint the ribbon of a kind; it is drawn once and kept until layouts or counts change."""
        if kind >= len(self._session.reading.counts.activities):
            return
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        key = (kind, rect.width(), ratio, look.theme.name)
        if key not in self._ribbons:
            self._ribbons[key] = self._ribbon(kind, rect.width(), rect.height(), ratio)
        painter.drawPixmap(rect.topLeft(), self._ribbons[key])

    def _ribbon(self, kind: int, width: float, height: float, ratio: float) -> QPixmap:
        session = self._session
        activity = session.reading.counts.activities[kind]
        owners = session.owners.by_all(kind, activity.size)
        pixmap = QPixmap(math.ceil(width * ratio), math.ceil(height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        used = width if activity.size >= 4 else width * max(activity.size, 1) / 8
        draw_ribbon(painter, QRectF(0, 0, used, height), activity.moves, owners, look.theme)
        painter.end()
        return pixmap


def _rate_text(rate: float | None) -> str:
    if not rate:
        return "not here" if rate is None else "once"
    if rate >= 9.5:
        return f"{rate:.0f} Hz"
    return f"{rate:.1f} Hz" if rate >= 0.95 else f"{rate * 60:.1f}/min"


class Roster(QWidget):
    """The list of kinds with filter and order, and the explained share of the whole capture."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = RosterModel(session)
        self.view = QListView()
        self.view.setModel(self.model)
        self._delegate = RosterDelegate(session)
        self.view.setItemDelegate(self._delegate)
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setAccessibleName("Message kinds")
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter kinds and fields")
        self.filter.setClearButtonEnabled(True)
        self.filter.setAccessibleName("Filter the roster")
        self.order = Choice()
        self.order.addItems(list(ORDERS))
        self.order.setAccessibleName("Order of the roster")
        self.count = label("", "quiet")
        self._build()
        self._connect()

    def _build(self) -> None:
        title = label("Roster", "title")
        title.setFont(text_font(TEXT_PX, bold=True))
        head = QHBoxLayout()
        head.setContentsMargins(EDGE, 7, EDGE, 5)
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.count)
        tools = QHBoxLayout()
        tools.setContentsMargins(EDGE - 4, 0, EDGE - 4, 6)
        tools.setSpacing(4)
        tools.addWidget(self.filter, 1)
        tools.addWidget(self.order)
        self.order.setMaximumWidth(104)
        self.total = label("Explained bits, whole capture")
        self.total_share = label("", "title")
        self.total_share.setFont(text_font(bold=True))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.bar.setObjectName("explained")
        self.bar.setAccessibleName("Explained bits of the whole capture")
        foot = QHBoxLayout()
        foot.addWidget(self.total, 1)
        foot.addWidget(self.total_share)
        bottom = QVBoxLayout()
        bottom.setContentsMargins(EDGE, 7, EDGE, 9)
        bottom.setSpacing(5)
        bottom.addLayout(foot)
        bottom.addWidget(self.bar)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addLayout(tools)
        column.addWidget(hairline())
        column.addWidget(self.view, 1)
        column.addWidget(hairline())
        column.addLayout(bottom)

    def _connect(self) -> None:
        session = self._session
        self.filter.textChanged.connect(self._arrange)
        self.order.currentTextChanged.connect(self._arrange)
        selection = self.view.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._on_current)
        session.opened.connect(self._arrange)
        session.grown.connect(self._on_grown)
        session.clock.stretch_changed.connect(self._repaint)
        session.layouts_changed.connect(self._repaint)
        session.reading.counts.changed.connect(self._on_explained)
        session.findings.changed.connect(self._on_findings)
        session.kind_changed.connect(self._show_kind)
        look.changed.connect(self._repaint)

    def sizeHint(self) -> QSize:
        return QSize(246, 500)

    def show_entry(self, kind: int) -> QModelIndex:
        """Return the model index of a kind, invalid if it is filtered away."""
        row = self.model.entries.index(kind) if kind in self.model.entries else -1
        return self.model.index(row) if row >= 0 else QModelIndex()

    def _on_findings(self) -> None:
        # while they are looked for rows would jump away under the hand
        if self.order.currentText() == REWARDING and not self._session.findings.is_looking:
            self._arrange()

    def _arrange(self) -> None:
        if self.order.currentText() == REWARDING:
            self._session.findings.want()
        self.model.arrange(self.order.currentText(), self.filter.text())
        kinds = [entry for entry in self.model.entries if isinstance(entry, int)]
        total = len(self._session.capture.kinds.keys) if self._session.capture is not None else 0
        of = f"{len(kinds)} of " if len(kinds) != total else ""
        self.count.setText(f"{of}{total} kind{'' if total == 1 else 's'}")
        self._show_kind()

    def _on_grown(self) -> None:
        """Show kinds that have come; those that are there keep their places, and say how often they come now."""
        if self.model.known != len(self._session.capture.kinds.keys):
            self._arrange()
        else:
            self._repaint()

    def _on_current(self, current: QModelIndex) -> None:
        entry = current.data(KIND_ROLE) if current.isValid() else None
        if isinstance(entry, int):
            self._session.select_kind(entry)

    def _show_kind(self) -> None:
        kind = self._session.kind
        index = self.show_entry(kind) if kind is not None else QModelIndex()
        selection = self.view.selectionModel()
        assert selection is not None
        selection.blockSignals(True)
        self.view.setCurrentIndex(index)
        selection.blockSignals(False)
        if index.isValid():
            self.view.scrollTo(index)
        self._repaint()

    def _on_explained(self) -> None:
        explained = self._session.reading.counts.explained_of_all()
        if explained is not None and explained.share is not None:
            self.bar.setValue(round(explained.share * 1000))
            proved = engine.percent(explained.proved_share or 0.0)
            self.total.setText(f"Explained bits, {proved} proved")
            self.total_share.setText(explained.share_text())
            self.total.setToolTip(f"{explained.words()}")
        if self.order.currentText() == "least explained first":
            self._arrange()
        self._repaint()

    def _repaint(self) -> None:
        viewport = self.view.viewport()
        if viewport is not None:
            viewport.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.filter.text():
            self.filter.clear()
        # whatever Escape does besides is for the window to say
        super().keyPressEvent(event)
