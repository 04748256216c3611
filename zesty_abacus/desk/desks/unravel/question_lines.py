"""The lines in which a person asks something of the bits; the answers come into the list of findings."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.questions import Pair, Questions
from ...app.session import Session
from ...widgets.parts import Choice, button, label
from ...widgets.theme import figure_font


class QuestionLine(QWidget):
    """What the lines share: parts below one another, the answers, and what to do while there are none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.questions: Questions = session.questions
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 2, 0, 2)
        self.column.setSpacing(5)

    def row(self, *parts: QWidget) -> None:
        """Put parts beside one another; the first one takes the room."""
        line = QHBoxLayout()
        line.setSpacing(6)
        for number, part in enumerate(parts):
            line.addWidget(part, 0 if number else 1)
        self.column.addLayout(line)

    def begin(self) -> None:
        """Put the hands where something is to be filled in."""

    def show_state(self) -> None:
        """Show what is asked now."""

    def answers(self) -> list[Pair]:
        """Return the answers."""
        raise NotImplementedError

    def hint(self) -> str:
        """Say what to do, or what came of it."""
        raise NotImplementedError


def _offer(choice: Choice, names: list[str]) -> None:
    """Let a choice offer these names; what is chosen stays, and nobody is told."""
    if names == [choice.itemText(number) for number in range(choice.count())]:
        return
    before = choice.currentText()
    choice.blockSignals(True)
    choice.clear()
    choice.addItems(names)
    choice.setCurrentText(before)
    choice.blockSignals(False)


class ValueLine(QuestionLine):
    """*I know a value*: typed where it was seen; each further one leaves fewer places."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.value = QLineEdit()
        self.value.setPlaceholderText('12.5, 0xCAFE or "YUZU"')
        self.value.setAccessibleName("Value at the cursor")
        self.value.setFont(figure_font())
        self.where = Choice()
        self.where.addItems(("here", "anywhere"))
        self.where.setAccessibleName("Where to look for the value")
        self.said = label("", "quiet", wrap=True)
        self.forget = button("Forget", "Ask for another value", link=True)
        self.row(self.value, self.where)
        self.row(self.said, self.forget)
        self.value.returnPressed.connect(self._add)
        self.forget.clicked.connect(self.questions.forget_values)
        self.show_state()

    def begin(self) -> None:
        self.value.setFocus()

    def _add(self) -> None:
        session = self.session
        if session.capture is None:
            return
        everywhere = self.where.currentIndex() == 1 or session.in_hand.kind is None
        keys = session.capture.kinds.keys
        kinds = [kind for kind, key in enumerate(keys) if key.is_data] if everywhere else [session.in_hand.kind or 0]
        self.questions.add_value(self.value.text(), kinds)
        self.value.selectAll()

    def show_state(self) -> None:
        clock = self.session.clock
        seen = [f"{one.text} at {clock.words(one.time_ns)} s" for one in self.questions.sightings]
        self.said.setText(", ".join(seen))
        self.said.setVisible(bool(seen))
        self.forget.setVisible(bool(seen))

    def answers(self) -> list[Pair]:
        return self.questions.values or []

    def hint(self) -> str:
        if self.questions.values is None:
            return "Go to the frame where the value was seen, type it, press Enter."
        if not self.questions.values:
            return "No place has it. Look at its scale, or at the time; then forget and type it again."
        return "Go to another time and type what it was there: fewer places are left."


class ReferenceLine(QuestionLine):
    """*I have a reference*: a column of a table, or readings typed at the cursor."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.column_of = Choice()
        self.column_of.setAccessibleName("Reference")
        self.open = button("Open…", "Bring a table of measurements into the trial")
        self.name, self.reading = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText("quantity")
        self.name.setAccessibleName("Quantity that was read off")
        self.reading.setPlaceholderText("as 12.5 kn")
        self.reading.setAccessibleName("Reading at the cursor")
        self.row(self.column_of, self.open)
        self.row(self.name, self.reading)
        self.column_of.currentTextChanged.connect(lambda _text: self.questions.changed.emit())
        self.open.clicked.connect(self._ask_file)
        self.reading.returnPressed.connect(self._add)
        session.overlays.changed.connect(self.show_state)
        self.show_state()

    def begin(self) -> None:
        (self.column_of if self.column_of.count() else self.open).setFocus()

    def _keys(self) -> list[tuple[str, str]]:
        return [one.key for one in self.session.overlays.references]

    def show_state(self) -> None:
        names = [f"{name} of {source}" if source else f"{name}, typed" for source, name in self._keys()]
        _offer(self.column_of, names)

    def _ask_file(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Bring measurements in", "", "Tables (*.csv);;All files (*)")
        if names:
            self.session.trials.add_sources([Path(name) for name in names])

    def _add(self) -> None:
        number, _, unit = self.reading.text().strip().partition(" ")
        name = self.name.text().strip()
        try:
            value = float(engine.parse_exact(number))
        except engine.AbacusError as error:
            self.questions.told.emit(str(error))
            return
        if not name:
            self.name.setFocus()
            self.questions.told.emit("Say what was read off.")
            return
        self.questions.add_reading(name, value, unit.strip())
        self.reading.selectAll()

    def answers(self) -> list[Pair]:
        number = self.column_of.currentIndex()
        keys = self._keys()
        return self.questions.following(keys[number]) if 0 <= number < len(keys) else []

    def hint(self) -> str:
        if not self.column_of.count():
            return "Open a table of measurements, or type readings at five times or more."
        if self.session.findings.is_looking:
            return "Looking on…"
        if not self.answers():
            return "Nothing that is not explained follows it."
        return ""


class ActionLine(QuestionLine):
    """*I did something*: which bits answer the moments of the trial."""

    ANY = "anything that was done"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.moment = Choice()
        self.moment.setAccessibleName("What was done")
        self.row(self.moment)
        self.moment.currentTextChanged.connect(lambda _text: self.questions.changed.emit())
        session.trial_changed.connect(self.show_state)
        session.opened.connect(self.show_state)
        self.show_state()

    def begin(self) -> None:
        self.moment.setFocus()

    def show_state(self) -> None:
        trial = self.session.trial
        texts = list(dict.fromkeys(one.text for one in trial.file.moments)) if trial is not None else []
        names = [self.ANY, *texts]
        _offer(self.moment, names)

    def answers(self) -> list[Pair]:
        text = self.moment.currentText()
        return self.questions.answering("" if text == self.ANY else text)

    def hint(self) -> str:
        if self.moment.count() < 2:
            return "Press M at the cursor to write down what was done; do it several times for a sure answer."
        if self.session.findings.is_looking:
            return "Looking on…"
        return "" if self.answers() else "Nothing that is not explained answers it."


class StretchLine(QuestionLine):
    """*Compare two stretches*: two times, taken from what is in view."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.spans = {name: label("", "quiet") for name in ("A", "B")}
        self.takes = {name: button(f"{name} is in view", f"Take the visible time as {name}") for name in ("A", "B")}
        for name, span in self.spans.items():
            self.row(span, self.takes[name])
            self.takes[name].clicked.connect(lambda _on, name=name: self._take(name))
        self.show_state()

    def begin(self) -> None:
        self.takes["A" if "A" not in self.questions.stretches else "B"].setFocus()

    def _take(self, name: str) -> None:
        clock = self.session.clock
        self.questions.take_stretch(name, clock.view_first_ns, clock.view_last_ns)

    def show_state(self) -> None:
        clock = self.session.clock
        for name, span in self.spans.items():
            taken = self.questions.stretches.get(name)
            words = f"{clock.words(taken[0])} to {clock.words(taken[1])} s" if taken is not None else "not chosen"
            span.setText(f"{name}: {words}")

    def answers(self) -> list[Pair]:
        return self.questions.unlike or []

    def hint(self) -> str:
        if len(self.questions.stretches) < 2:
            return "Show one stretch, take it as A; show the other, take it as B."
        if self.questions.unlike is None:
            return "Comparing…"
        return "" if self.questions.unlike else "Nothing tells them apart."
