"""Claims: written from a selection or a finding, borne out or refuted, talked about, until they are fields."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, found, laid
from ...app.session import Session
from ...around.talk import TalkSection
from ...widgets.parts import EDGE, Choice, button, clear_layout, hairline, label, scrolled
from ...widgets.words import grouped
from ...widgets.wrapping import WrappingRow
from .claim_rows import ClaimRows, about_words
from .seen_curve_view import SeenCurveView
from .shown_bits import shown_bits

_ALL = "all"
ABOUT = ("these bits", "this message", "this lane")


class ClaimSide(QWidget):
    """The claims of the library, and the one in hand.

    Attributes
    ----------
    statement, about, rows, hand
        A new claim and what it is about; the list; the one in hand.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._claims = session.claims
        self.statement = QLineEdit()
        self.statement.setPlaceholderText("What do you hold to be true? (W)")
        self.statement.setAccessibleName("A new claim")
        self.about = Choice()
        self.about.addItems(ABOUT)
        self.about.setAccessibleName("What the claim is about")
        self.standing = Choice()
        self.standing.addItems((_ALL, "guess", "likely", "proven", "refuted"))
        self.standing.setAccessibleName("Standing of the claims that are listed")
        self.where = Choice()
        self.where.addItems(("everywhere", "in this message"))
        self.where.setAccessibleName("Whose claims are listed")
        self.hint = label("", "quiet", wrap=True)
        self.rows = ClaimRows(session)
        self.hand = ClaimInHand(session)
        self._build()
        self._claims.changed.connect(self.refresh)
        self._claims.hand_changed.connect(self.rows.repaint_rows)
        session.in_hand.changed.connect(self.refresh)
        self.standing.currentTextChanged.connect(self.refresh)
        self.where.currentTextChanged.connect(self.refresh)
        self.statement.returnPressed.connect(self.write)
        self.rows.chosen.connect(self._choose)
        self.refresh()

    def _build(self) -> None:
        head = QVBoxLayout()
        head.setContentsMargins(EDGE - 4, 6, EDGE - 4, 6)
        head.setSpacing(6)
        for parts in ((self.statement,), (self.about,), (self.standing, self.where)):
            line = QHBoxLayout()
            line.setSpacing(6)
            if parts == (self.about,):
                line.addWidget(label("about", "quiet"))
            if parts == (self.standing, self.where):
                line.addWidget(label("listed", "quiet"))
            for part in parts:
                line.addWidget(part, 1)
            head.addLayout(line)
        head.addWidget(self.hint)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(hairline())
        column.addWidget(self.rows, 1)
        column.addWidget(hairline())
        is_empty = self.hand.isHidden()
        self._scroll = scrolled(self.hand)
        # what a scroll area takes in it shows
        self.hand.setHidden(is_empty)
        column.addWidget(self._scroll, 2)

    def begin(self) -> None:
        """Begin a claim about what is selected, with what was found of it."""
        in_hand = self._session.findings.in_hand
        if in_hand is not None and not self.statement.text():
            self.statement.setText(found.title(in_hand[1]))
            self.statement.selectAll()
        self.about.setCurrentIndex(0 if self._session.in_hand.bits else 1)
        self.statement.setFocus()

    def write(self) -> bool:
        """Write the claim down; return whether it is on its way to the library."""
        session, statement = self._session, self.statement.text().strip()
        kind = session.in_hand.kind
        if not statement or session.capture is None or kind is None:
            session.told.emit("", "Choose a message, and say what you hold to be true of it.")
            return False
        key = session.kinds.key(kind)
        about = self.about.currentText()
        bits = session.in_hand.bits if about == ABOUT[0] else frozenset()
        address = None if about == ABOUT[2] else key.address
        in_hand, standing = session.findings.in_hand, laid.ClaimStanding.GUESS
        evidence: tuple[str, ...] = ()
        places = str(engine.places_of(bits, low_byte_first=False)) if bits else ""
        if in_hand is not None and bits and bits == shown_bits(session, *in_hand):
            # what was found bears the claim out, as far as it goes, and says in which order the bits are read
            evidence = (in_hand[1].reason,)
            places = in_hand[1].places if found.bits_of(in_hand[1]) else places
            if in_hand[1].confidence >= found.LIKELY:
                standing = laid.ClaimStanding.LIKELY
        self._claims.write(statement, session.capture.lanes[key.lane].name, address, places, standing, evidence)
        self.statement.clear()
        return True

    def refresh(self) -> None:
        """List what is known now."""
        session, wanted = self._session, self.standing.currentText()
        heads = [head for head in self._claims.heads if wanted in (_ALL, head.state.standing.value)]
        if self.where.currentIndex() == 1 and session.in_hand.kind is not None:
            key = session.kinds.key(session.in_hand.kind)
            lane = session.capture.lanes[key.lane].name
            heads = [
                head for head in heads if head.state.lane == lane and head.state.address in (None, key.address)
            ]  # fmt: skip
        self.rows.list_things(heads)
        self.hint.setText(
            "" if heads else "No claim is like that." if self._claims.heads else
            "Write down what you believe before it is a field: others see it, bear it out, or refute it."
        )  # fmt: skip
        self.hint.setVisible(bool(self.hint.text()))

    def _choose(self, head: Any) -> None:
        """Look at a claim: its message and bits are taken in hand."""
        self._claims.take(head.state.id)
        self.show_bits_of(head)

    def show_bits_of(self, head: Any) -> None:
        """Take the message and the bits that a claim is about in hand, if this capture has them."""
        session, claim = self._session, head.state
        kind = self._kind_of(claim)
        if kind is None:
            return
        session.in_hand.take_kind(kind)
        if claim.places:
            session.findings.take(None)
            session.in_hand.select_bits(frozenset(engine.parse_places(claim.places).bits))

    def _kind_of(self, claim: Any) -> int | None:
        capture = self._session.capture
        for kind, key in enumerate(capture.kinds.keys if capture is not None else ()):
            if capture.lanes[key.lane].name == claim.lane and key.address == claim.address and key.is_data:
                return kind
        return None


class ClaimInHand(QWidget):
    """A claim in full: its standing, what was seen, what was said, and the way to a field.

    Events
    ------
    field_wanted
        (head) its bits are to become a field.
    frame_wanted, curve_wanted
        The frame at the cursor, or the curve that is looked at, is to be evidence.
    """

    field_wanted = pyqtSignal(object)
    frame_wanted = pyqtSignal()
    curve_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._claims = session.claims
        self._shown: laid.Claim | None = None
        self.name = label("", "title", wrap=True, selectable=True)
        self.where = label("", "quiet", wrap=True)
        self.standing = Choice()
        self.standing.setAccessibleName("Standing of the claim")
        self.why = QLineEdit()
        self.why.setPlaceholderText("why, kept as evidence")
        self.why.setAccessibleName("Why the claim stands like that")
        self.evidence = QVBoxLayout()
        self.seen = QLineEdit()
        self.seen.setPlaceholderText("what was seen")
        self.seen.setAccessibleName("What was seen")
        self.frame = button("This frame", "Add the frame at the cursor as evidence (E)")
        self.curve = button("This curve", "Add the chosen reading, and what is laid over it, as evidence (Shift E)")
        self.field = button("Make it a field", "Select its bits and give them a name", main=True)
        self.talk = TalkSection(session, "claim")
        self._build()
        self._claims.hand_changed.connect(self._show)
        self.standing.activated.connect(lambda _number: self._stand())
        self.why.returnPressed.connect(self._stand)
        self.seen.returnPressed.connect(self._add_seen)
        self.frame.clicked.connect(self.frame_wanted)
        self.curve.clicked.connect(self.curve_wanted)
        self.field.clicked.connect(lambda: self.field_wanted.emit(self._claims.in_hand))
        self._show()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(EDGE, 8, EDGE, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.name, 1)
        head.addWidget(self.field, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(head)
        column.addWidget(self.where)
        standing = QHBoxLayout()
        standing.setSpacing(6)
        standing.addWidget(self.standing)
        standing.addWidget(self.why, 1)
        added = WrappingRow(6)
        added.addWidget(self.frame)
        added.addWidget(self.curve)
        column.addLayout(standing)
        column.addWidget(label("seen", "section"))
        column.addLayout(self.evidence)
        column.addWidget(self.seen)
        column.addLayout(added)
        column.addWidget(self.talk)
        column.addStretch(1)

    def _show(self) -> None:
        head = self._claims.in_hand
        self.setVisible(head is not None)
        self.talk.show_about(head.state.id if head is not None else None)
        before, self._shown = self._shown, head.state if head is not None else None
        if self._shown is None or self._shown == before:
            # read again because of something else: what is chosen and typed here meanwhile stays
            return
        claim = self._shown
        if before is None or before.id != claim.id:
            self.why.clear()
            self.seen.clear()
        self._show_claim(claim, head.revision.author)

    def _show_claim(self, claim: laid.Claim, author: str) -> None:
        if not self.standing.count():
            # only now: the window stands before what the library is made of is loaded
            self.standing.addItems([one.value for one in laid.ClaimStanding])
        self.name.setText(claim.name)
        self.where.setText(f"{about_words(self._session, claim)} · {author}")
        self.standing.setCurrentText(claim.standing.value)
        clear_layout(self.evidence)
        for sentence in claim.evidence:
            self.evidence.addWidget(label(sentence, wrap=True, selectable=True))
        for curve in claim.curves:
            self.evidence.addWidget(SeenCurveView(curve))
        self.field.setVisible(bool(claim.places) and claim.standing is not laid.ClaimStanding.REFUTED)

    def _stand(self) -> None:
        """Let the claim stand as chosen; a refuted one says why, so that nobody tries it again."""
        standing, why = laid.ClaimStanding(self.standing.currentText()), self.why.text().strip()
        if standing is laid.ClaimStanding.REFUTED and not why:
            self.why.setFocus()
            self._session.told.emit("", "Say what refutes it, and press Enter: whoever tries it again will read that.")
            return
        self._claims.set_standing(standing, why)
        self.why.clear()

    def _add_seen(self) -> None:
        self._claims.add_evidence(self.seen.text())
        self.seen.clear()

    def add_curve(self, reading: engine.ReadingCurve | None, over: engine.Curve | None, over_name: str) -> None:
        """Add a reading over the visible time, with what is laid over it, as evidence."""
        session, head = self._session, self._claims.in_hand
        if head is None or reading is None or reading.reading.column.value is None:
            session.told.emit("", "Choose a claim, and a reading of its bits that has a curve.")
            return
        clock, trial = session.clock, session.trial.file
        run = f" of {trial.name} {trial.run}".rstrip() if trial.name else ""
        words = f"{reading.reading.field.places} {reading.reading.words}{run}"
        span = clock.view_first_ns, clock.view_last_ns
        self._claims.add_curve(laid.curve_seen(words, reading.curve, span, over, over_name))

    def add_frame(self, reading: engine.ReadingCurve | None) -> None:
        """Add the frame at the cursor as evidence, with what its bits say in the reading that is looked at."""
        session, head = self._session, self._claims.in_hand
        if head is None or session.in_hand.kind is None:
            session.told.emit("", "Choose a claim first.")
            return
        at = session.store.frame_at(session.in_hand.kind, None, session.clock.cursor_ns)
        if at is None:
            session.told.emit("", "There is no frame of this message at the cursor yet.")
            return
        value = _value_words(head.state.places, reading, at.payload)
        trial = session.trial.file
        run = f" of {trial.name} {trial.run}".rstrip() if trial.name else ""
        which = f"frame {grouped(at.number + 1)} at {session.clock.words(at.time_ns)} s"
        self._claims.add_evidence(f"{value}{at.payload.hex(' ').upper()}, {which}{run}.")


def _value_words(places: str, reading: engine.ReadingCurve | None, payload: bytes) -> str:
    """Say what the bits of a claim are in a payload, read as they are looked at; nothing where they are not in it."""
    raw = engine.parse_places(places).raw_in(payload) if places else None
    if raw is None:
        return ""
    if reading is not None and str(reading.reading.field.places) == places:
        return f"{places} is {reading.reading.value_in(payload)}, {reading.reading.words}, in "
    return f"{places} is {grouped(raw)} in "
