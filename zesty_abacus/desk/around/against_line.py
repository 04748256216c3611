"""A second condition set against the one in hand: how often one comes within a time of the other."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from ..app.asking import Asking
from ..app.doors import asked
from ..app.session import Session
from ..widgets.parts import ElidedLabel, button, label
from ..widgets.words import counted, grouped, span_text

_WITHIN = "10 ms"


class AgainstLine(QWidget):
    """Shown only while there is a second condition."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._first, self._second = session.asking, session.second
        self.within = QLineEdit(_WITHIN)
        self.within.setAccessibleName("within")
        self.within.setFixedWidth(70)
        self.said = ElidedLabel()
        self.said.setObjectName("quiet")
        self.off = button("×", "Show it no more")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        row.addWidget(label("within", "quiet"))
        row.addWidget(self.within)
        row.addWidget(self.said, 1)
        row.addWidget(self.off)
        for asking in (self._first, self._second):
            asking.changed.connect(self._show)
        self.within.textChanged.connect(self._show)
        self.off.clicked.connect(lambda: self._second.ask(""))
        self._show()

    def within_ns(self) -> int | None:
        """Return the time that is typed, None if it is none."""
        try:
            seconds = asked.read_quantity(self.within.text(), "s")
        except asked.ExpressionError:
            return None
        return None if seconds is None else round(seconds * 1_000_000_000)

    def _show(self) -> None:
        is_asked = bool(self._second.text.strip())
        self.setVisible(is_asked)
        if is_asked:
            self.said.setText(self.sentence())

    def sentence(self) -> str:
        """Say how the two lie to each other."""
        name = named(self._session, self._second)
        if self._second.trouble:
            return f"{name}: {self._second.trouble}"
        first, second, within = self._first.hits, self._second.hits, self.within_ns()
        if second is None or within is None:
            return f"{name}: looking…" if second is None else "Write a time, as 10 ms."
        if first is None:
            return f"{name}: {counted(len(second), 'hit')}. Ask something above to set it against."
        found = asked.against(first, second, within)
        lag = ""
        if found.first_near:
            after = "later" if found.lag_ns > 0 else "earlier"
            lag = f", {span_text(abs(found.lag_ns))} {after} by the median" if found.lag_ns else ", at the same time"
        return (
            f"{grouped(found.first_near)} of {grouped(found.first)} hits have one of {name} as near{lag}; "
            f"{grouped(found.second_near)} of its {grouped(found.second)} have one of these."
        )


def named(session: Session, asking: Asking) -> str:
    """Return what a condition is called where it is kept or shared, else what it asks."""
    if session.trial is None:
        return asking.words
    known = [*session.trial.file.conditions, *session.shared.conditions]
    return next((one.name for one in known if one.text == asking.text), asking.words or asking.text)
