"""The layout in hand, and what changes it: one way in for buttons, keys, cards and drags."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QLineEdit

from ...app.doors import engine, found, laid
from ...app.session import Session
from .message_form import MessageForm
from .plan import PlanView


class LayoutInHand(QObject):
    """Gives the layout of the selected message, and keeps every change of it that is valid.

    Parameters
    ----------
    plan
        Shows the beads that a new field is made of, and the card that is open.
    message
        The card of the message, whose name is asked for when a layout is begun.
    """

    def __init__(self, session: Session, plan: PlanView, message: MessageForm) -> None:
        super().__init__(plan)
        self._session, self._plan, self._message = session, plan, message

    @property
    def shown(self) -> engine.Layout | None:
        """The layout as the plan shows it: of a register map, the part that the exchange carries."""
        return self._session.in_hand.layout

    @property
    def whole(self) -> engine.Layout | None:
        """The layout as the library has it: of a register map, the whole map."""
        layout = self.shown
        return self._session.edits.layout(layout.id) if layout is not None else None

    @property
    def reshaped(self) -> engine.Layout | None:
        """The layout that drags and keys reshape: fixed places only, or a whole register map."""
        layout = self.whole
        return None if layout is None or layout.moves else layout

    @property
    def has_beads_to_mark(self) -> bool:
        """Whether a new field is made of marked beads; elsewhere it goes behind the others."""
        layout = self.whole
        return layout is None or (layout.registers is None and not layout.moves)

    def keep(self, changed: engine.Layout) -> bool:
        """Keep a changed layout if it is valid; otherwise say what is wrong beside it."""
        session = self._session
        problems = engine.check_layout(changed)
        if problems:
            self._plan.show_problem(problems[0].attribute, problems[0].sentence)
            if self._plan.current is None:
                session.told.emit("wrong", problems[0].sentence)
            return False
        if not session.edits.may_edit():
            return False
        session.edits.change(changed)
        return True

    def keep_item(self, item: Any) -> bool:
        """Keep a changed field, part, check or computed value, or one that is new."""
        whole = self.whole
        return whole is not None and self.keep(whole.with_item(item))

    def add_field(self) -> None:
        """Make a field of the selected beads and open its card, name first."""
        layout = self.whole
        if layout is not None and not self.has_beads_to_mark:
            self._add_behind(layout)
            return
        bits = self._plan.pictures.abacus.bits
        if layout is None or self._plan.current is not None or not bits:
            is_open = self._plan.current is not None
            first = "Close the open field with Esc, then drag" if is_open else "Drag"
            self._session.told.emit("", f"{first} over the free beads that are to be the new field.")
            return
        number = len(layout.fields) + 1
        while layout.field_named(f"field {number}") is not None:
            number += 1
        places = engine.places_of(bits, low_byte_first=True)
        field = engine.new_field(f"field {number}", places, engine.FieldKind("flag" if len(bits) == 1 else "unsigned"))
        if self.keep_item(field):
            self._plan.pick(field.id)
            _ask_for(self._plan.column.form.lines["name"])

    def _add_behind(self, layout: engine.Layout) -> None:
        """Add a field where no beads can be marked: in the first free register, or in the byte behind the others."""
        changed = engine.with_field_behind(layout)
        known = {field.id for field in layout.fields}
        if self.keep(changed):
            self._plan.pick(next(field.id for field in changed.fields if field.id not in known))

    def add_next(self) -> None:
        """Take what is being typed over, and begin a field in the first free bits: a paper is typed in row by row."""
        window = self._plan.window()
        focused = window.focusWidget() if window is not None else None
        if isinstance(focused, QLineEdit):
            focused.clearFocus()
        layout = self.whole
        if layout is not None and not self._plan.column.form.problem.isVisible():
            self._add_behind(layout)
            _ask_for(self._plan.column.form.lines["name"])

    def turn_order(self) -> None:
        """Turn the byte order of the open field round."""
        layout = self.whole
        field = next((f for f in layout.all_fields() if f.id == self._plan.current), None) if layout else None
        if field is not None and len(field.places):
            self.keep_item(msgspec.structs.replace(field, places=field.places.other_order()))

    def remove_field(self) -> None:
        """Remove what is open: a field, a part, a check or a computed value; undo brings it back."""
        layout = self.whole
        if layout is not None and self._plan.current is not None:
            self.keep(layout.without_item(self._plan.current))

    def drop(self, template: Any) -> bool:
        """Add something ready-made to the layout, or to the part whose card is open, and open its card."""
        layout = self.whole
        if layout is None:
            return False
        group = self.group_in_hand(template)
        kind = self._session.in_hand.kind
        if template.reads_lines and group is None and kind is not None and not (layout.fields or layout.parts):
            self._drop_lines(layout, kind, template)
            return True
        try:
            changed = template.add(layout) if group is None else engine.with_template_inside(layout, group, template)
        except engine.NothingToDoError as error:
            self._session.told.emit("", str(error))
            return False
        return self._dropped(layout, changed)

    def _drop_lines(self, layout: engine.Layout, kind: int, template: Any) -> None:
        """Drop in the columns that the lines of a message have, or some to be filled in where it has none."""

        self._read_lines(
            layout, kind, lambda read: self._dropped(layout, template.add(layout) if read is layout else read)
        )

    def _read_lines(self, layout: engine.Layout, kind: int, then: Callable[[engine.Layout], Any]) -> None:
        """Hand over the layout with the columns that lines of text have, or as it is where the frames are none."""
        frames = self._session.capture.kind_frames

        self._session.jobs.start(
            "lines", "reading the lines", lambda _progress: found.lines_of(layout, frames(kind)), then
        )

    def _dropped(self, layout: engine.Layout, changed: engine.Layout) -> bool:
        """Keep a layout with something new in it, and open its card."""
        known = {item.id for item in _items(layout)}
        if not self.keep(changed):
            return False
        new = next((item for item in _items(changed) if item.id not in known), None)
        if new is not None:
            self._plan.pick(new.id)
        return True

    def group_in_hand(self, template: Any) -> Any:
        """Return the part whose card is open, if a check or value is dropped into it; None if into the message."""
        layout, current = self.whole, self._plan.current
        if layout is None or current is None or template.family not in engine.FAMILIES_INSIDE:
            return None
        item = layout.item(current)
        return item if isinstance(item, engine.Group) else None

    def take_order(self, order: laid.Order, first: int) -> bool:
        """Read the open field, or a new one, as an order says whose first byte is the given one of the message."""
        layout, whole = self.shown, self.whole
        if layout is None or whole is None:
            return False
        registers = layout.registers
        shift = first * 8
        if registers is not None and registers.window is not None:
            shift += registers.window * registers.space.register_bits
        places = type(order.places)(bit + shift for bit in order.places)
        field = next((one for one in whole.fields if one.id == self._plan.current), None)
        if field is None:
            field = engine.new_field(engine.free_name(whole, "field"), places, order.kind)
        changed = msgspec.structs.replace(
            field, places=places, kind=order.kind, ratio=order.ratio, inverted=order.inverted
        )
        if not self.keep_item(changed):
            return False
        self._plan.pick(field.id)
        return True

    def _item_in_hand(self) -> Any:
        current = self._plan.current
        return self.whole.item(current) if self.whole is not None and current is not None else None

    def field_in_hand(self) -> engine.Field | None:
        """Return the open field, or that of the open string."""
        item = self._item_in_hand()
        if isinstance(item, engine.Run):
            return item.field
        return item if isinstance(item, engine.Field) else None

    def take_code(self, symbols: tuple[engine.Symbol, ...]) -> bool:
        """Read the open field, or the open string, by a code table."""
        field = self.field_in_hand()
        if field is None or self.whole is None:
            return False
        changed, item = engine.read_by(field, symbols), self._item_in_hand()
        return self.keep_item(msgspec.structs.replace(item, field=changed) if isinstance(item, engine.Run) else changed)

    def begin(self) -> None:
        """Begin a layout for a message that has none; the keys stay in the work, where bits become fields.

        Of a request that only asks for registers, that of its answer, in which they are. Lines of text begin with their
        columns.
        """
        session = self._session
        if session.in_hand.kind is None:
            return
        session.in_hand.take_kind(engine.kind_with_registers(session.capture, session.in_hand.kind))
        begun = session.kinds.layout_for_new_field(session.in_hand.kind)
        if begun.registers is None:
            # a map shows no beads, and what is not seen must not have the keys
            self._plan.pictures.abacus.setFocus()
        if session.reading.layout_of(session.in_hand.kind) is not None:
            return
        if engine.protocol_named(begun.applies.protocol).may_be_text:
            self._read_lines(begun, session.in_hand.kind, session.edits.change)
        else:
            session.edits.change(begun)

    def begin_unrecorded(self, begun: engine.Layout) -> None:
        """Keep an empty layout of a message that was not recorded, and take it in hand."""
        if self.keep(begun):
            self._session.in_hand.take_layout(begun.id)
            if begun.registers is None:
                self._plan.pictures.abacus.setFocus()

    def begin_another(self) -> None:
        """Begin a second layout for the message, which reads frames that begin like the one at the cursor."""
        session, layout = self._session, self.whole
        if layout is None or session.in_hand.kind is None or layout.registers is not None:
            session.told.emit("", "Only a message that has a layout, and no register map, can have another one.")
            return
        at = session.store.frame_at(session.in_hand.kind, None, session.clock.cursor_ns)
        if at is None or not at.payload:
            session.told.emit("", "No frame of this message is at the cursor yet.")
            return
        applies = msgspec.structs.replace(layout.applies, pattern=f"{at.payload[0]:02X}")
        made = engine.new_layout(f"{layout.name} {applies.pattern}", applies, len(at.payload))
        if self.keep(made):
            session.reading.choose(session.in_hand.kind, made.id)
            _ask_for(self._message.lines["name"])


def _items(layout: engine.Layout) -> list[Any]:
    return [*layout.parts, *layout.all_checks(), *layout.all_computed()]


def _ask_for(line: QLineEdit) -> None:
    """Put the keys into a line, with all of it marked to be typed over."""
    line.setFocus()
    line.selectAll()
