"""The line in which something is asked of the frames, with what it means said back below it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QStringListModel, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QInputDialog, QLineEdit, QMenu, QVBoxLayout, QWidget

from ..app.asking import Asking
from ..app.session import Session
from ..widgets.parts import EDGE, ElidedLabel, button, label, menu_of, one_shot, plain_tip, say_in, with_offers
from ..widgets.words import grouped
from .against_line import AgainstLine
from .table_file import ask_table_file, frame_titles, write_table

_SOON_MS = 250


class ConditionLine(QWidget):
    """A sentence under construction: what is typed, what it means, and how often it holds."""

    def __init__(self, session: Session, asking: Asking | None = None) -> None:
        """Begin with what is asked of the open capture, or of other frames."""
        super().__init__()
        self._session = session
        self._asking = session.asking if asking is None else asking
        self.line = QLineEdit()
        self.line.setPlaceholderText('Which frames?   size > 4,   changes(…),   has_text("…")')
        self.line.setAccessibleName("Condition")
        self.line.setClearButtonEnabled(True)
        self.said = ElidedLabel()
        self.said.setObjectName("quiet")
        self.back = button("‹", "The hit before (Shift Space)")
        self.on = button("›", "The next hit (Space)")
        self.count = label("", "quiet")
        self.write = button("Write…", "Write the hits to a file")
        self.kept = button("Kept ▾", "Conditions that this trial keeps")
        self._soon = one_shot(self, _SOON_MS, lambda: self._asking.ask(self.line.text()))
        self._completer = QCompleter(self)
        self._words = QStringListModel(self)
        self._completer.setModel(self._words)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self._completer.setWidget(self.line)
        with_offers(self._completer)
        self._start = 0
        self._build()
        self._connect()
        self._show()

    def _build(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(label("Ask", "title"))
        row.addWidget(self.line, 1)
        row.addWidget(self.count)
        for one in (self.back, self.on, self.write, self.kept):
            row.addWidget(one)
        column = QVBoxLayout(self)
        column.setContentsMargins(EDGE, 6, EDGE, 4)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.said)
        if self._asking is self._session.asking:
            self.against = AgainstLine(self._session)
            column.addWidget(self.against)

    def _connect(self) -> None:
        self.line.textEdited.connect(self._on_typed)
        self.line.textChanged.connect(self._soon.start)
        self.line.returnPressed.connect(self._on_enter)
        self.line.installEventFilter(self)
        self._completer.activated.connect(self._take)
        self.back.clicked.connect(lambda: self._asking.step(-1))
        self.on.clicked.connect(lambda: self._asking.step(1))
        self.write.clicked.connect(self._ask_where)
        self.kept.clicked.connect(self._show_kept)
        self._asking.changed.connect(self._show)
        self._session.clock.cursor_changed.connect(self._show_count)

    def begin(self) -> None:
        """Put the cursor into the line."""
        self.line.setFocus()
        self.line.selectAll()

    def _on_typed(self) -> None:
        if not self._asking.has_frames:
            return
        before = self.line.text()[: self.line.cursorPosition()]
        offer = self._asking.offers(before)
        self._start = offer.start
        typed = before[offer.start :]
        words = [word for word in offer.words if word != typed]
        self._words.setStringList(words)
        popup = self._completer.popup()
        if words and (typed.strip() or not before):
            box = self.line.cursorRect()
            box.setWidth(260)
            self._completer.complete(box)
        elif popup is not None:
            popup.hide()

    def _take(self, word: str) -> None:
        """Put a word that was offered in the place of what was typed of it."""
        text, at = self.line.text(), self.line.cursorPosition()
        self.line.setText(text[: self._start] + word + text[at:])
        self.line.setCursorPosition(self._start + len(word))

    def _on_enter(self) -> None:
        self._soon.stop()
        self._asking.ask(self.line.text())
        self._asking.step(1)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape:
            self.line.clear()
            self.line.clearFocus()
            return True
        return False

    # showing

    def _show(self) -> None:
        asking = self._asking
        if asking.text != self.line.text() and not self._soon.isActive():
            self.line.setText(asking.text)
            self._soon.stop()
        self.said.setVisible(bool(asking.text.strip()))
        say_in(self.said, asking.trouble or self._sentence(), "wrong" if asking.trouble else "quiet")
        for one in (self.back, self.on, self.write):
            one.setEnabled(bool(asking.hits))
        self._show_count()

    def _sentence(self) -> str:
        asking = self._asking
        if not asking.words:
            return ""
        if asking.hits is None:
            return f"frames {asking.words}: {grouped(asking.so_far)} so far…"
        count = len(asking.hits)
        if not count:
            return f"frames {asking.words}: none"
        first = self._session.clock.words(int(asking.hits.time_ns[0]))
        return f"frames {asking.words}: {grouped(count)} {'hit' if count == 1 else 'hits'}, first at {first} s"

    def _show_count(self) -> None:
        hits = self._asking.hits
        self.count.setText(f"{grouped(self._asking.place())} of {grouped(len(hits))}" if hits else "")

    # keeping

    def _show_kept(self) -> None:
        """Offer what the trial keeps, and to keep or forget what is asked now."""
        if self._session.capture is None:
            return
        trials, text = self._session.trials, self.line.text().strip()
        kept = trials.trial.file.conditions
        menu = menu_of(self)
        for one in kept:
            action = menu.addAction(one.name)
            if action is not None:
                action.setToolTip(plain_tip(one.text))
                action.triggered.connect(lambda _on=False, text=one.text: self._asking.ask(text))
        menu.setToolTipsVisible(True)
        self._add_shared(menu)
        if self._asking is self._session.asking:
            self._add_against(menu)
        menu.addSeparator()
        same = next((one for one in kept if one.text == text), None)
        if same is not None:
            forget = menu.addAction(f"Forget {same.name}")
            if forget is not None:
                forget.triggered.connect(lambda: trials.keep_condition(same.name, ""))
        else:
            keep = menu.addAction("Keep this condition…")
            if keep is not None:
                keep.setEnabled(bool(self._asking.words))
                keep.triggered.connect(self._ask_name)
        share = menu.addAction("Share it with the team…")
        if share is not None:
            share.setEnabled(bool(self._asking.words))
            share.triggered.connect(self._ask_shared_name)
        menu.popup(self.kept.mapToGlobal(self.kept.rect().bottomLeft()))

    def _add_shared(self, menu: QMenu) -> None:
        """List what the team shares."""
        shared = self._session.shared.conditions
        if shared:
            menu.addSection("Shared by the team")
        for one in shared:
            action = menu.addAction(one.name)
            if action is not None:
                action.setToolTip(plain_tip(one.text))
                action.triggered.connect(lambda _on=False, text=one.text: self._asking.ask(text))

    def _add_against(self, menu: QMenu) -> None:
        """List what can be set against the condition in hand."""
        session = self._session
        known = {one.name: one.text for one in (*session.shared.conditions, *session.trial.file.conditions)}
        others = {name: text for name, text in known.items() if text != self._asking.text}
        against = menu.addMenu("Set against") if others else None
        for name, text in others.items() if against is not None else ():
            action = against.addAction(name)  # type: ignore[union-attr]
            if action is not None:
                action.triggered.connect(lambda _on=False, text=text: session.second.ask(text))

    def _ask_shared_name(self) -> None:
        text = self._asking.text.strip()
        same = next((one.name for one in self._session.trial.file.conditions if one.text == text), "")
        name, given = QInputDialog.getText(self, "Share it with the team", "What is it called?", text=same)
        if given and name.strip():
            self._session.shared.share_condition(name.strip(), text)

    def _ask_name(self) -> None:
        name, given = QInputDialog.getText(self, "Keep this condition", "What is it called?")
        if given and name.strip():
            self._session.trials.keep_condition(name.strip(), self._asking.text.strip())

    # writing

    def _ask_where(self) -> None:
        where = ask_table_file(self, "hits", frame_titles())
        if where is not None:
            self.write_to(*where)

    def write_to(self, path: Path, form: str = "") -> None:
        """Write the hits as the form that the file's name says, or else the one that was chosen."""
        write_table(self._session, "hits", frame_titles(), self._asking.write, path, form)
