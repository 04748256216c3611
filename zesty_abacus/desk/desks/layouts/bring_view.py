"""Brings layouts of others in: what the file gives, what each would change, what could not be carried over."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QSplitter, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...app.settings import table_columns_path
from ...widgets.parts import button, label, plain_tip
from ...widgets.words import counted
from .table_picker import TablePicker


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
        self.brought: laid.Brought | None = None
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
        session = self._session
        self.path, self.brought = path, None
        self.found.clear()
        self.left.clear()
        self.words.setText(f"Reading {path.name}…")
        shelf = laid.MappingShelf(table_columns_path())
        session.jobs.start(
            "bring in", f"reading {path.name}", lambda progress: laid.open_layout_table(path, shelf, progress),
            self._on_opened, self._on_failed,
        )  # fmt: skip

    def _on_opened(self, table: laid.OpenedTable | None) -> None:
        if table is not None:
            self.picker.show_table(table)
        self.picker.setVisible(table is not None)
        self._read()

    def _read(self) -> None:
        session, path = self._session, self.path
        assert path is not None
        known = session.edits.layouts()
        table = self.picker.table_in_hand if not self.picker.isHidden() else None
        session.jobs.start(
            "bring in", f"reading {path.name}", lambda progress: laid.bring_in_layouts(path, known, table, progress),
            self._show, self._on_failed,
        )  # fmt: skip

    def _on_failed(self, sentence: str) -> None:
        self.words.setText(sentence)
        self.found.clear()
        self.left.clear()
        self.keep.setEnabled(False)

    def _show(self, brought: laid.Brought) -> None:
        self.brought = brought
        self.words.setText(f"{brought.path.name}, {brought.form}: tick what is to be kept")
        self.found.clear()
        for layout, standing in zip(brought.layouts, brought.standings, strict=True):
            item = QListWidgetItem(f"{layout.name}: {standing or 'as the library has it'}")
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if standing else Qt.CheckState.Unchecked)
            item.setToolTip(plain_tip(item.text()))
            self.found.addItem(item)
        if not self.picker.isHidden():
            self.picker.show_trouble(brought.trouble)
        self.left.clear()
        things = "1 thing is" if len(brought.left) == 1 else f"{len(brought.left)} things are"
        self.left_words.setText(f"{things} not carried over" if brought.left else "nothing is lost")
        for left in brought.left:
            item = QListWidgetItem(f"{left.place}: {left.reason}")
            item.setToolTip(plain_tip(item.text()))
            self.left.addItem(item)
        self.keep.setEnabled(bool(brought.layouts))

    def keep_ticked(self) -> None:
        """Keep what is ticked, remember the columns, and go back to the plan."""
        session = self._session
        assert self.brought is not None
        ticked = []
        for number, layout in enumerate(self.brought.layouts):
            item = self.found.item(number)
            if item is not None and item.checkState() == Qt.CheckState.Checked:
                ticked.append(layout)
        if not session.edits.may_edit():
            return
        kept = session.edits.change_all(ticked, f"brought in from {self.brought.path.name}")
        if not self.picker.isHidden() and self.picker.mapping is not None:
            laid.MappingShelf(table_columns_path()).keep(self.picker.mapping)
        said = f"{counted(kept, 'layout', 'was', 'were')} brought in from {self.brought.path.name}."
        fresh = {layout.id for layout in ticked}
        clash = next(
            (one for one in engine.clashes(session.edits.layouts()) if fresh & {each.id for each in one.layouts}), None
        )
        session.told.emit("good" if clash is None else "wrong", said if clash is None else f"{said} {clash.sentence()}")
        self.done.emit()

    def keyPressEvent(self, event: Any) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.done.emit()
        else:
            super().keyPressEvent(event)
