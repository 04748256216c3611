"""The finding in hand in full: why, the frames to look at, and keeping it with a name."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, found
from ...app.session import Session
from ...widgets.parts import EDGE, button, hairline, label
from ...widgets.words import grouped


class FindingInHand(QWidget):
    """What is said of the finding in hand, and what can be done with it.

    Events
    ------
    kept
        It is in the library.
    """

    kept = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._findings = session.findings
        self.reason = label("", wrap=True, selectable=True)
        self.counts = label("", "quiet", wrap=True)
        self.show_for = button("Show", "Go to the frame that speaks most for it (S)")
        self.show_against = button("Show against", "Go to a frame that contradicts it (Shift S)")
        self.message = self._line("Message", "name of the message")
        self.name = self._line("Name", "name of the field")
        self.unit = self._line("Unit", "its unit")
        self.scale = label("", "quiet", wrap=True)
        self.keep = button("Keep", "Make it a part of the layout (K)", main=True)
        self.trouble = label("", "wrong", wrap=True)
        self._form = QWidget()
        self._build()
        self._findings.hand_changed.connect(self._show)
        session.layouts_changed.connect(self._show_message)
        self.show_for.clicked.connect(self.go_for)
        self.show_against.clicked.connect(self.go_against)
        self.keep.clicked.connect(self.keep_it)
        for line in (self.message, self.name, self.unit):
            line.returnPressed.connect(self.keep_it)
        self._show()

    @staticmethod
    def _line(name: str, hint: str) -> QLineEdit:
        made = QLineEdit()
        made.setPlaceholderText(hint)
        made.setAccessibleName(name)
        made.setMaxLength(200)
        return made

    def _build(self) -> None:
        acts = QHBoxLayout()
        acts.setSpacing(6)
        for one in (self.keep, self.show_for, self.show_against):
            acts.addWidget(one)
        acts.addStretch(1)
        form = QFormLayout(self._form)
        form.setContentsMargins(0, 2, 0, 2)
        form.setVerticalSpacing(5)
        self._message_label = label("Message", "quiet")
        form.addRow(self._message_label, self.message)
        # in one row: what stands below the list takes its room
        called = QHBoxLayout()
        called.setSpacing(6)
        called.addWidget(self.name, 3)
        called.addWidget(self.unit, 2)
        form.addRow(label("Name, unit", "quiet"), called)
        column = QVBoxLayout(self)
        column.setContentsMargins(EDGE, 8, EDGE, 10)
        column.setSpacing(6)
        column.insertWidget(0, hairline())
        for part in (self.reason, self.counts, self._form, self.scale, self.trouble):
            column.addWidget(part)
        column.addLayout(acts)

    # showing

    def _show(self) -> None:
        in_hand = self._findings.in_hand
        self.setVisible(in_hand is not None)
        self.trouble.hide()
        if in_hand is None:
            return
        kind, finding = in_hand
        self.reason.setText(finding.reason)
        against = grouped(finding.against) if finding.against else "none"
        frames = "1 frame speaks" if finding.frames == 1 else f"{grouped(finding.frames)} frames speak"
        self.counts.setText(f"{frames} for it, {against} against.")
        self.show_against.setVisible(bool(finding.against))
        behind = found.field_behind(finding, self._findings.of(kind))
        can = behind.kind in found.KEPT and bool(finding.places) and not self._findings.is_explained(kind, finding)
        self.keep.setVisible(can)
        self._form.setVisible(can)
        self.scale.hide()
        if can:
            self._offer(kind, finding)
        self._show_message()

    def _offer(self, kind: int, finding: found.Finding) -> None:
        """Fill in what is known of its name, unit and scale."""
        offered = self._session.keeping.offered(kind, finding)
        self.name.setText(offered.name)
        self.unit.setText(offered.unit)
        if (offered.ratio, offered.offset) != (1, 0):
            self.scale.setText(
                f"In steps of {engine.format_exact(offered.ratio)}, from {engine.format_exact(offered.offset)} on."
            )
            self.scale.show()

    def _show_message(self) -> None:
        in_hand = self._findings.in_hand
        if in_hand is None:
            return
        named = self._session.reading.layout_of(in_hand[0]) is not None
        self.message.setVisible(not named)
        self._message_label.setVisible(not named)
        if not self.message.isModified():
            self.message.setText(self.message_name(in_hand[0]))

    def message_name(self, kind: int) -> str:
        """Return what a message is called that nobody has named: as it was typed, or by its address."""
        typed = self.message.text().strip()
        return typed if typed and self.message.isModified() else self._session.kinds.name_to_begin(kind)

    # acting

    def go_for(self) -> None:
        """Go to the frame that speaks most for it."""
        self._findings.witness(lambda seen: self._go(seen.speaks, "No frame shows it."))

    def go_against(self) -> None:
        """Go to a frame that contradicts it."""
        self._findings.witness(lambda seen: self._go(seen.against, "No frame contradicts it among the first ones."))

    def _go(self, sight: found.Sight | None, nothing: str) -> None:
        session = self._session
        if sight is None:
            session.told.emit("", nothing)
            return
        session.clock.set_cursor(sight.time_ns, follow=True)

    def keep_it(self) -> bool:
        """Make it a part of the layout; return whether it is."""
        session, in_hand = self._session, self._findings.in_hand
        if in_hand is None or self.keep.isHidden():
            return False
        kind, finding = in_hand
        name = self.name.text().strip()
        problem = "" if name else "Give it a name."
        if not problem:
            try:
                message = self.message_name(kind)
                layout, why = session.keeping.with_one(kind, finding, name, self.unit.text(), message)
                problems = engine.check_layout(layout)
                problem = problems[0].sentence if problems else ""
            except found.MisuseError as error:
                problem = str(error)
        self.trouble.setText(problem)
        self.trouble.setVisible(bool(problem))
        if problem:
            self.name.setFocus()
            return False
        if not session.edits.change(layout, why):
            return False
        session.told.emit("good", f"{layout.name}.{name} is kept in {session.library.name}.")
        self.message.setModified(False)
        self.kept.emit()
        return True
