"""Fields reshaped on the plan: moved, stretched, split and joined, by mouse and by keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.parts import menu_of
from .plan import PlanView
from .plan_abacus import Grab

_OFFERED = 8


class Reshaper(QObject):
    """Turns drags and keys into changed layouts.

    Parameters
    ----------
    layout
        Gives the layout whose beads are shown, None for none.
    keep
        Keeps a changed layout; returns whether it was valid.
    """

    def __init__(
        self,
        session: Session,
        plan: PlanView,
        layout: Callable[[], engine.Layout | None],
        keep: Callable[[Any], bool],
    ) -> None:
        super().__init__(plan)
        self._session, self._plan = session, plan
        self._layout, self._keep = layout, keep
        plan.pictures.abacus.preview = self._preview
        plan.pictures.abacus.is_end = self._is_end
        plan.pictures.abacus.dragged.connect(self._on_dragged)
        plan.pictures.abacus.split.connect(self._on_split)
        plan.pictures.ladder.swept.connect(self.add_registers)

    def _field(self, owner: int) -> engine.Field | None:
        layout = self._layout()
        return layout.fields[owner] if layout is not None and 0 <= owner < len(layout.fields) else None

    def _low_first(self) -> bool:
        """Return how fields within one byte go on: as most of the others of the message do."""
        layout = self._layout()
        words = [field.places.order_words() for field in layout.fields] if layout is not None else []
        return words.count("high byte first") <= words.count("low byte first")

    def _is_end(self, owner: int, bit: int) -> bool:
        field = self._field(owner)
        if field is None or not len(field.places):
            return False
        ends = laid.ends_of(field.places, low_byte_first=self._low_first())
        return bit in ends and not (len(field.places) == 1 and field.kind.value == "flag")

    def _places_after(self, grab: Grab) -> Any:
        """Return where a drag puts a field; raises as the reshaping does."""
        field = self._field(grab.owner)
        assert field is not None
        if self._is_end(grab.owner, grab.bit):
            return laid.stretched(field.places, grab.bit, grab.to, low_byte_first=self._low_first())
        return laid.moved(field.places, grab.bit, grab.to, low_byte_first=self._low_first())

    def _preview(self, grab: Grab) -> frozenset[int] | None:
        if self._field(grab.owner) is None:
            return None
        try:
            return frozenset(self._places_after(grab).bits)
        except engine.AbacusError:
            return None

    def _on_dragged(self, grab: Grab) -> None:
        field = self._field(grab.owner)
        if field is None:
            return
        try:
            places = self._places_after(grab)
        except engine.AbacusError as error:
            self._session.told.emit("", str(error))
            return
        self._reshape(field, places, open_it=True)

    def _reshape(self, field: engine.Field, places: Any, *, open_it: bool) -> None:
        layout = self._layout()
        assert layout is not None
        changed = laid.reshaped(layout, field, places)
        gone = [one.name for one in layout.fields if all(one.id != kept.id for kept in changed.fields)]
        if self._keep(changed):
            if gone:
                self._session.told.emit("", f"{field.name} joined with {', '.join(gone)}.")
            if open_it:
                self._plan.pick(field.id)
        else:
            self._plan.pictures.abacus.show_bits(frozenset())

    def _on_split(self, owner: int, bits: frozenset[int]) -> None:
        field = self._field(owner)
        if field is not None:
            self._split(field, bits)

    def _split(self, field: engine.Field, bits: frozenset[int]) -> None:
        session, layout = self._session, self._layout()
        assert layout is not None
        try:
            changed, made = laid.split_off(layout, field, bits)
        except engine.AbacusError as error:
            session.told.emit("", str(error))
            return
        if self._keep(changed):
            self._plan.pick(made.id)

    # keys

    def _open_field(self) -> engine.Field | None:
        layout = self._layout()
        found = None
        if layout is not None:
            found = next((field for field in layout.fields if field.id == self._plan.current), None)
        if found is None:
            self._session.told.emit("", "Open the card of a field with fixed places first.")
        return found

    def split(self) -> None:
        """Split the open field at its middle: its higher half becomes a field of its own."""
        field = self._open_field()
        if field is not None:
            bits = field.places.bits
            self._split(field, frozenset(bits[: (len(bits) + 1) // 2]))

    def join(self) -> None:
        """Join the open field with the one behind it."""
        session, field, layout = self._session, self._open_field(), self._layout()
        if field is None or layout is None:
            return
        other = laid.neighbour_of(layout, field)
        if other is None:
            session.told.emit("", f"There is no field behind {field.name}.")
            return
        if self._keep(laid.joined(layout, field, other)):
            session.told.emit("", f"{field.name} joined with {other.name}.")

    def shift(self, step: int) -> None:
        """Move the open field by a bit along its bytes."""
        self._by_key(lambda laid, field, bit, to, low: laid.moved(field.places, bit, to, low_byte_first=low), step)

    def stretch(self, step: int) -> None:
        """Move the far end of the open field by a bit: longer or shorter."""
        field = self._open_field()
        if field is not None and len(field.places) + step > 0:
            self._by_key(lambda laid, one, bit, to, low: laid.stretched(one.places, bit, to, low_byte_first=low), step)

    def _by_key(self, change: Callable[..., Any], step: int) -> None:
        session, field = self._session, self._open_field()
        if field is None:
            return
        low = self._low_first()
        _, last = laid.ends_of(field.places, low_byte_first=low)
        words = field.places.order_words()
        runs_low = low if not words else words == "low byte first"
        number = last if runs_low else last // 8 * 8 + 7 - last % 8
        to = number + step
        if to < 0:
            return
        try:
            places = change(laid, field, last, to if runs_low else to // 8 * 8 + 7 - to % 8, low)
        except engine.AbacusError as error:
            session.told.emit("", str(error))
            return
        self._reshape(field, places, open_it=False)

    # register maps

    def add_registers(self, first: int, last: int) -> None:
        """Add a field over registers of a map that nobody laid out; several are offered as the numbers they may be."""
        layout = self._layout()
        if layout is None or layout.registers is None:
            return

        def show(readings: list[Any]) -> None:
            # another message may have been taken in hand meanwhile
            now = self._layout()
            if now is not None and now.id == layout.id:
                self._offer(readings, first, last)

        if not self._plan.pictures.held.offer(layout, first, last, show):
            self._add_registers(first, last)

    def _offer(self, readings: list[Any], first: int, last: int) -> None:
        """Offer ways to read registers as one number, the smoothest first."""
        if not readings:
            self._add_registers(first, last)
            return
        ladder = self._plan.pictures.ladder
        menu = menu_of(ladder)
        for one in readings[:_OFFERED]:
            menu.addAction(_words_of(one), lambda field=one.field: self._add_field(field.places, field.kind))
        menu.popup(ladder.mapToGlobal(ladder.rung_of(last).bottomLeft().toPoint()))

    def _add_registers(self, first: int, last: int) -> None:
        layout = self._layout()
        assert layout is not None and layout.registers is not None
        width = layout.registers.space.register_bits
        if width == 1:
            text = " ".join(f"B{n // 8}[{n % 8}]" for n in range(last, first - 1, -1))
        else:
            unit = "R" if width == 16 else "B"
            text = " ".join(f"{unit}{number}" for number in range(first, last + 1))
        kind = engine.FieldKind("flag" if width * (last - first + 1) == 1 else "unsigned")
        self._add_field(engine.parse_places(text), kind)

    def _add_field(self, places: Any, kind: Any) -> None:
        layout = self._layout()
        if layout is None:
            return
        field = engine.new_field(engine.free_name(layout, "field"), places, kind)
        if self._keep(layout.with_field(field)):
            self._plan.pick(field.id)
            self._plan.column.form.lines["name"].setFocus()
            self._plan.column.form.lines["name"].selectAll()


def _words_of(reading: Any) -> str:
    """Return what a reading is called in a menu: how, and from where to where the numbers go."""
    values = reading.column.plot_values()
    return f"{reading.words}: {engine.wording.range_text(values.min(), values.max(), reading.field)}"
