"""The roster: message kinds by lane, with their bits and how many of them are explained."""

from __future__ import annotations

import math

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPixmap
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

from ..app.doors import engine
from ..app.session import Session
from ..widgets.filter_line import FilterLine
from ..widgets.paint import draw_ribbon, draw_text
from ..widgets.parts import EDGE, Choice, hairline, label
from ..widgets.share_bar import ShareBar
from ..widgets.theme import SMALL_PX, TEXT_PX, TINY_PX, figure_font, look, text_font
from ..widgets.told import tell_whole
from ..widgets.words import counted
from .roster_model import ENTRY_ROLE, ORDERS, REWARDING, Device, RosterModel, explained_of, names_of

_LONG_ADDRESS = 14
_RATE_PX, _SHARE_PX = 54, 38
"""What is left of the second line for rate and share; the first one belongs to the name."""
_INSIDE = 12
"""How much further right the exchanges of a device begin than the device."""


class RosterDelegate(QStyledItemDelegate):
    """Paints a kind: address, name, rate, bit ribbon and explained share."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._ribbons: dict[tuple, QPixmap] = {}
        for event in (session.opened, session.layouts_changed, session.reading.counts.changed):
            event.connect(self._ribbons.clear)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, 22 if isinstance(index.data(ENTRY_ROLE), str) else 38)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        entry = index.data(ENTRY_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(option.rect)
        tell_whole(painter, rect)
        if isinstance(entry, str):
            row = rect.adjusted(EDGE, 4, -EDGE, 0)
            draw_text(painter, row, entry, text_font(TINY_PX), look.theme.quiet)
            painter.restore()
            return
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, QColor(look.theme.selected))
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), QColor(look.theme.zest))
        if isinstance(entry, Device):
            self._paint_device(painter, rect, entry)
        else:
            model = index.model()
            is_inside = isinstance(model, RosterModel) and model.device_around(entry) is not None
            self._paint_kind(painter, rect.adjusted(_INSIDE if is_inside else 0, 0, 0, 0), entry, is_inside=is_inside)
        painter.restore()

    def _paint_device(self, painter: QPainter, rect: QRectF, device: Device) -> None:
        """Paint a device: what it is called, how many exchanges it has, and whether they are listed below."""
        theme, session = look.theme, self._session
        top = QRectF(rect.left() + EDGE, rect.top() + 3, rect.width() - 2 * EDGE, 16)
        sign = "▾" if device.is_open else "▸"
        draw_text(painter, top, sign, text_font(SMALL_PX), theme.ink)
        font = figure_font(SMALL_PX, bold=True)
        words = top.adjusted(_INSIDE, 0, 0, 0)
        draw_text(painter, words, device.text, font, theme.ink)
        name = names_of(session, device.kinds)
        rest = words.adjusted(QFontMetricsF(font).horizontalAdvance(device.text) + 8, 0, 0, 0)
        color = theme.ink if name else theme.unexplained
        draw_text(painter, rest, name or "unnamed", text_font(SMALL_PX, italic=not name), color, middle=True)
        below = QRectF(words.left(), rect.top() + 19, words.width(), 16)
        draw_text(painter, below, counted(len(device.kinds), "exchange"), text_font(TINY_PX), theme.quiet)
        explained = explained_of(session, device.kinds)
        if explained is not None:
            share = explained.share_text()
            draw_text(painter, below, share, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)

    def _paint_kind(self, painter: QPainter, rect: QRectF, kind: int, *, is_inside: bool) -> None:
        """Paint a kind; ``is_inside`` says that the row of its device stands above, which need not be said again."""
        theme, session = look.theme, self._session
        name = session.kinds.name(kind)
        if name and session.kinds.is_apart(kind):
            # several layouts read it and say other numbers: the tooltip has them
            name = f"≠ {name}"
        top = QRectF(rect.left() + EDGE, rect.top() + 3, rect.width() - 2 * EDGE, 16)
        address = figure_font(SMALL_PX, bold=True)
        words = session.kinds.address_at_device(kind) if is_inside else session.kinds.address(kind)
        font = text_font(SMALL_PX, italic=not name)
        color = theme.ink if name else theme.unexplained
        if len(words) > _LONG_ADDRESS and name:
            # a register exchange is known by its message; its address says which registers
            draw_text(painter, top, name, text_font(SMALL_PX, bold=True), theme.ink)
            offset = painter.fontMetrics().horizontalAdvance(name) + 8
            draw_text(painter, top.adjusted(offset, 0, 0, 0), words, text_font(TINY_PX), theme.quiet)
        else:
            rest = top.adjusted(QFontMetricsF(address).horizontalAdvance(words) + 8, 0, 0, 0)
            # where a long address leaves no room for the word, its own colour says that nobody named it
            has_room = bool(name) or QFontMetricsF(font).horizontalAdvance("unnamed") <= rest.width()
            draw_text(painter, top, words, address, theme.ink if has_room else theme.unexplained)
            if has_room:
                draw_text(painter, rest, name or "unnamed", font, color, middle=True)
        figures = _RATE_PX + _SHARE_PX
        self._paint_bits(
            painter, QRectF(rect.left() + EDGE, rect.top() + 23, rect.width() - 2 * EDGE - figures, 9), kind
        )
        below = QRectF(rect.right() - EDGE - figures, rect.top() + 19, figures, 16)
        rate = _rate_text(session.kinds.rate(kind))
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, below.adjusted(0, 0, -_SHARE_PX, 0), rate, text_font(TINY_PX), theme.quiet, right)
        explained = session.reading.counts.explained_of(kind)
        if explained is not None:
            draw_text(painter, below, explained.share_text(), text_font(TINY_PX), theme.quiet, right)

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
        self.filter = FilterLine("Filter the roster", "Filter kinds and fields", "Filter kinds", "Filter")
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
        self.total = label("Explained bits, whole capture", wrap=True)
        self.total_share = label("", "title")
        self.total_share.setFont(text_font(bold=True))
        self.bar = ShareBar()
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
        self.filter.lead_to(self.view, self.model.kinds, session.in_hand.take_kind)
        self.order.currentTextChanged.connect(self._arrange)
        selection = self.view.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._on_current)
        self.view.clicked.connect(self._turn)
        session.opened.connect(self._arrange)
        session.grown.connect(self._on_grown)
        session.clock.stretch_changed.connect(self._repaint)
        session.layouts_changed.connect(self._repaint)
        session.reading.counts.changed.connect(self._on_explained)
        session.findings.changed.connect(self._on_findings)
        session.in_hand.changed.connect(self._show_kind)
        look.changed.connect(self._repaint)

    def sizeHint(self) -> QSize:
        return QSize(246, 500)

    def show_entry(self, kind: int) -> QModelIndex:
        """Return the model index of a kind, invalid if it is filtered away; the device that it is of is opened."""
        device = self.model.device_around(kind)
        if device is not None and not device.is_open:
            self.model.turn(device)
            self.model.arrange(self.order.currentText(), self.filter.text())
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
        shown = len(self.model.kinds())
        total = len(self._session.capture.kinds.keys) if self._session.capture is not None else 0
        of = f"{shown} of " if shown != total else ""
        self.count.setText(f"{of}{total} kind{'' if total == 1 else 's'}")
        # a device that somebody closed stays closed, whatever of it is in hand
        kind = self._session.in_hand.kind
        self._mark(self.model.index(self.model.row_of(kind)) if kind is not None else QModelIndex())

    def _on_grown(self) -> None:
        """Show kinds that have come; those that are there keep their places, and say how often they come now."""
        if self.model.known != len(self._session.capture.kinds.keys):
            self._arrange()
        else:
            self._repaint()

    def _turn(self, index: QModelIndex) -> None:
        """Open or close a device."""
        entry = index.data(ENTRY_ROLE)
        if isinstance(entry, Device):
            self.model.turn(entry)
            self.model.arrange(self.order.currentText(), self.filter.text())
            row = next((n for n, one in enumerate(self.model.entries) if isinstance(one, Device)
                        and one.place == entry.place), -1)  # fmt: skip
            self._mark(self.model.index(row))

    def _on_current(self, current: QModelIndex) -> None:
        entry = current.data(ENTRY_ROLE) if current.isValid() else None
        if isinstance(entry, int):
            self._session.in_hand.take_kind(entry)

    def _show_kind(self) -> None:
        kind = self._session.in_hand.kind
        self._mark(self.show_entry(kind) if kind is not None else QModelIndex())

    def _mark(self, index: QModelIndex) -> None:
        """Mark a row without taking anything in hand."""
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
            self.bar.show_share(explained.share)
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
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.view.hasFocus():
            self._turn(self.view.currentIndex())
            return
        if event is not None and event.key() == Qt.Key.Key_Escape and self.filter.text():
            self.filter.clear()
        # whatever Escape does besides is for the window to say
        super().keyPressEvent(event)
