"""The head of a layout as a form: what the message is called, and which frames it reads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import Choice, is_in_hand, label
from ...widgets.theme import figure_font, text_font

_CHOICES = (
    ("way", "goes", tuple((way or "both ways", way) for way in ("", "read", "write", "request", "answer"))),
    (
        "past_end",
        "past the end it",
        (("refuses", "refuse"), ("goes on with the first", "wrap"), ("ignores it", "ignore")),
    ),
    ("advances", "an access", (("goes on to the next register", True), ("stays on its register", False))),
)
_LINES = (
    ("name", "message", ""), ("sender", "sent by", ""), ("address", "address", "any"),
    ("lanes", "on lanes", "any lane"),
    ("size", "bytes", ""), ("sizes", "only of sizes", "any, or 8, 12..16"), ("pattern", "begins with", "A5 1? ??"),
    ("device", "device", "any"), ("first", "papers count from", "0 or 1"), ("count", "registers", "not known"),
    ("note", "note", ""),
)  # fmt: skip
_FIGURES = {"address", "size", "sizes", "pattern", "device", "first", "count"}
_OF_MAPS = {"device", "first", "count", "past_end", "advances"}


class MessageForm(QWidget):
    """When the layout applies, and what the message is called.

    Attributes
    ----------
    lines, choices
        What is typed and what is chosen, by name.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self.lines = {name: QLineEdit() for name, _, _ in _LINES}
        self.choices = {name: Choice() for name, _, _ in _CHOICES}
        self.why = label("", "quiet", wrap=True)
        self.problem = label("", "wrong", wrap=True)
        self._labels: dict[str, QWidget] = {}
        self._build()

    def _build(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(6, 6, 14, 8)
        grid.setVerticalSpacing(5)
        heading = label("Message and when it applies")
        heading.setFont(text_font(bold=True))
        grid.addWidget(heading, 0, 0, 1, 2)
        for row, (name, words, hint) in enumerate(_LINES, 1):
            line = self.lines[name]
            line.setAccessibleName(words)
            line.setPlaceholderText(hint)
            if name in _FIGURES:
                line.setFont(figure_font())
            line.editingFinished.connect(lambda name=name: self._take(name))
            self._labels[name] = label(words, "section")
            grid.addWidget(self._labels[name], row, 0)
            grid.addWidget(line, row, 1)
        for row, (name, words, offered) in enumerate(_CHOICES, len(_LINES) + 1):
            choice = self.choices[name]
            for text, value in offered:
                choice.addItem(text, value)
            choice.setAccessibleName(words)
            choice.activated.connect(lambda _index, name=name: self._take(name))
            self._labels[name] = label(words, "section")
            grid.addWidget(self._labels[name], row, 0)
            grid.addWidget(choice, row, 1)
        below = len(_LINES) + len(_CHOICES) + 1
        grid.addWidget(self.why, below, 0, 1, 2)
        grid.addWidget(self.problem, below + 1, 0, 1, 2)
        self.problem.hide()

    def show_layout(self, layout: engine.Layout, why: str) -> None:
        """Show another layout, or the same one changed; ``why`` says why it reads the message in hand."""
        same = self._layout is not None and self._layout.id == layout.id
        self._layout = layout
        applies, registers = layout.applies, layout.registers
        texts = {"name": layout.name, "address": engine.span_text(applies), "size": str(layout.size),
                 "lanes": ", ".join(applies.lanes), "sender": layout.sender, "note": layout.note,
                 "sizes": str(applies.sizes), "pattern": applies.pattern}  # fmt: skip
        if registers is not None:
            device = "" if registers.device is None else f"0x{registers.device:02X}"
            texts |= {"device": device, "first": str(registers.first), "count": str(registers.count or "")}
        for name, text in texts.items():
            if self.lines[name].text() != text and not (same and is_in_hand(self.lines[name])):
                self.lines[name].setText(text)
        map_of = registers or engine.RegisterMap()
        for name, value in (
            ("way", applies.way), ("past_end", map_of.past_end.value), ("advances", map_of.advances),
        ):  # fmt: skip
            self.choices[name].setCurrentIndex(max(self.choices[name].findData(value), 0))
        self._show_what_counts(layout)
        self.why.setText(why)
        if not (same and any(map(is_in_hand, self.lines.values()))):
            self.problem.hide()

    def _show_what_counts(self, layout: engine.Layout) -> None:
        """Hide what has no meaning for this kind of layout."""
        is_map = layout.registers is not None
        spoken = engine.protocol_named(layout.applies.protocol)
        shown = {name: name not in _OF_MAPS or is_map for name in (*self.lines, *self.choices)}
        shown |= {"address": not is_map, "size": not is_map, "sizes": not is_map, "pattern": not is_map}
        shown["way"] = spoken.asks_way and not is_map
        shown["advances"] = layout.registers is not None and layout.registers.space is engine.Space.BYTES
        for name, visible in shown.items():
            self._labels[name].setVisible(visible)
            (self.choices.get(name) or self.lines[name]).setVisible(visible)
        head = self._labels["address"]
        head.setText(f"{spoken.address_title} is")  # type: ignore[attr-defined]
        self.lines["address"].setPlaceholderText(f"any, or {spoken.address_example}")
        self._labels["size"].setText("fixed bytes" if layout.moves else "bytes")  # type: ignore[attr-defined]

    def _take(self, name: str) -> None:
        if self._layout is None:
            return
        try:
            if name in self.choices:
                changed = self._chosen(name, self.choices[name].currentData())
            else:
                changed = self._changed(name, self.lines[name].text().strip())
        except (ValueError, engine.AbacusError) as error:
            self._say(str(error))
            return
        problems = engine.check_layout(changed)
        if problems:
            self._say(problems[0].sentence)
        elif changed != self._layout:
            if name in self.lines:
                self.lines[name].setModified(False)
            self._session.edits.change(changed)
            # with another address it may read another message, or none: it is the layout that is in hand
            self._session.in_hand.take_layout(changed.id)

    def _chosen(self, name: str, value: Any) -> engine.Layout:
        layout = self._layout
        assert layout is not None
        if name == "way":
            return msgspec.structs.replace(layout, applies=msgspec.structs.replace(layout.applies, way=value))
        assert layout.registers is not None
        value = engine.PastEnd(value) if name == "past_end" else value
        return msgspec.structs.replace(layout, registers=msgspec.structs.replace(layout.registers, **{name: value}))

    def _changed(self, name: str, text: str) -> engine.Layout:
        layout = self._layout
        assert layout is not None
        applies, changed = layout.applies, msgspec.structs.replace
        made: dict[str, Callable[[], engine.Applies]] = {
            "address": lambda: engine.with_span(applies, text),
            "lanes": lambda: changed(applies, lanes=tuple(part.strip() for part in text.split(",") if part.strip())),
            "sizes": lambda: changed(applies, sizes=engine.parse_raw_set(text)),
            "pattern": lambda: changed(applies, pattern=text.upper()),
        }
        if name in made:
            return changed(layout, applies=made[name]())
        if name in _OF_MAPS:
            assert layout.registers is not None
            value = _number(text) if text else (None if name == "device" else 0)
            return msgspec.structs.replace(layout, registers=msgspec.structs.replace(layout.registers, **{name: value}))
        if name == "size":
            if not text.isdigit() or len(text) > 6:
                raise ValueError(f"{text!r} is not a number of bytes.")
            return msgspec.structs.replace(layout, size=int(text))
        return msgspec.structs.replace(layout, **{name: text})

    def _say(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()


def _number(text: str) -> int:
    try:
        return int(text, 0)
    except ValueError as error:
        raise ValueError(f"{text!r} is not a number; write 17 or 0x11.") from error
