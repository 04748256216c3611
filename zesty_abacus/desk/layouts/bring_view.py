"""Brings layouts of others in: what the file gives, what each would change, what could not be carried over."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QSplitter, QVBoxLayout, QWidget

from ..session import Session
from ..settings import table_columns_path
from ..widgets.parts import button, label
from .table_picker import TablePicker

if TYPE_CHECKING:
    from .. import engine as heavy


class BringView(QWidget):
    """A file of layouts before it is kept.

    Events
    ------
    done
        Back to the plan.
    """

    done = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setAccessibleName("Bring layouts in")
        self.path: Path | None = None
        self.brought: heavy.laid.Brought | None = None
        self.words = label("", wrap=True)
        self.picker = TablePicker(session)
        self.picker.changed.connect(self._read)
        self.found = QListWidget()
        self.found.setAccessibleName("Layouts in the file")
        self.left = QListWidget()
        self.left.setAccessibleName("Not carried over")
        self.left_words = label("", "section")
        self.keep = button("Bring in", "Keep the ticked layouts in the library, each as one change", main=True)
        self.keep.clicked.connect(self.keep_ticked)
        leave = button("Leave", "Keep nothing of it (Esc)")
        leave.clicked.connect(self.done)
        self._build(leave)

    def _build(self, leave: QWidget) -> None:
        head = QHBoxLayout()
        head.addWidget(self.words, 1)
        head.addWidget(self.keep)
        head.addWidget(leave)
        lists = QHBoxLayout()
        for title, inner in ((label("in the file", "section"), self.found), (self.left_words, self.left)):
            column = QVBoxLayout()
            column.addWidget(title)
            column.addWidget(inner, 1)
            lists.addLayout(column, 1)
        lower = QWidget()
        lower.setLayout(lists)
        lists.setContentsMargins(0, 4, 0, 0)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(self.picker)
        split.addWidget(lower)
        split.setSizes([340, 220])
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 10)
        column.addLayout(head)
        column.addWidget(split, 1)

    def begin(self, path: Path) -> None:
        """Read a file and show what it gives; errors are told and keep the view open."""
        engine = self._session.engine
        self.path, self.brought = path, None
        self.found.clear()
        self.left.clear()
        try:
            is_table = engine.laid.is_table_file(path)
            if is_table:
                self.picker.begin(path, engine.laid.MappingShelf(table_columns_path()))
        except engine.AbacusError as error:
            self._on_failed(str(error))
            return
        self.picker.setVisible(is_table)
        self._read()

    def _read(self) -> None:
        session, path = self._session, self.path
        assert path is not None
        laid, known = session.engine.laid, session.edits.layouts()
        mapping = self.picker.mapping if not self.picker.isHidden() else None
        session.jobs.start(
            "bring in", f"reading {path.name}", lambda progress: laid.bring_in_layouts(path, known, mapping, progress),
            self._show, self._on_failed,
        )  # fmt: skip

    def _on_failed(self, sentence: str) -> None:
        self.words.setText(sentence)
        self.found.clear()
        self.left.clear()
        self.keep.setEnabled(False)

    def _show(self, brought: heavy.laid.Brought) -> None:
        self.brought = brought
        self.words.setText(f"{brought.path.name}, {brought.form}: tick what is to be kept")
        self.found.clear()
        for layout in brought.layouts:
            words, differs = self._standing(layout)
            item = QListWidgetItem(f"{layout.name}: {words}")
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if differs else Qt.CheckState.Unchecked)
            item.setToolTip(words)
            self.found.addItem(item)
        self.left.clear()
        things = "1 thing is" if len(brought.left) == 1 else f"{len(brought.left)} things are"
        self.left_words.setText(f"{things} not carried over" if brought.left else "nothing is lost")
        for left in brought.left:
            item = QListWidgetItem(f"{left.place}: {left.reason}")
            item.setToolTip(item.text())
            self.left.addItem(item)
        self.keep.setEnabled(bool(brought.layouts))

    def _standing(self, layout: heavy.Layout) -> tuple[str, bool]:
        known = self._session.edits.layout(layout.id)
        if known is None:
            return f"new, {layout.applies.address_text()}, {len(list(layout.all_fields()))} fields", True
        if known == layout:
            return "as the library has it", False
        return self._session.engine.describe_change(known, layout), True

    def keep_ticked(self) -> None:
        """Keep what is ticked, remember the columns, and go back to the plan."""
        session = self._session
        assert self.brought is not None
        kept = 0
        for number, layout in enumerate(self.brought.layouts):
            item = self.found.item(number)
            if item is not None and item.checkState() == Qt.CheckState.Checked:
                kept += session.edits.change(layout, f"brought in from {self.brought.path.name}")
        if not self.picker.isHidden() and self.picker.mapping is not None:
            session.engine.laid.MappingShelf(table_columns_path()).keep(self.picker.mapping)
        session.told.emit("good", f"{kept} layouts were brought in from {self.brought.path.name}.")
        self.done.emit()

    def keyPressEvent(self, event: Any) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.done.emit()
        else:
            super().keyPressEvent(event)
