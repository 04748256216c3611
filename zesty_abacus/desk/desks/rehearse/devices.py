"""Register devices: asked at a period with their values as they come, or played with every access in sight."""

from __future__ import annotations

import time
from collections.abc import Iterable
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.registers import RegistersHere
from ...widgets.parts import Choice, ElidedLabel, button, clear_grid, hairline, in_room, label
from ...widgets.words import figure_text

_MOST_ACCESSES = 12
_BYTES = "registers"
"""The protocol of registers of a byte."""
_NO_POLL = "Only devices behind Modbus are polled; one of byte registers can be played"
_LEAST_CHOICE = 56
_MODBUS_PLACE = "modbus://127.0.0.1:5020/1"


class Devices(QWidget):
    """Polls a map of registers, writes its fields, or serves it.

    Attributes
    ----------
    map, lane, every, poll
        Which map is asked for, of what, how often, and the switch.
    around
        Asks who answers at all, and what they have.
    place, serve
        Where a device is played, and the switch.
    values
        By field: an entry to type a value, and the label with what was read.
    """

    def __init__(self, here: RegistersHere) -> None:
        super().__init__()
        self._here = here
        self._maps: dict[str, Any] = {}
        self.map = Choice()
        self.map.setAccessibleName("Map of registers")
        self.lane = Choice()
        self.lane.setAccessibleName("Device to ask")
        self.every = QLineEdit("500 ms")
        self.every.setAccessibleName("Poll period")
        self.poll = button("Poll", "Ask for these registers at this period")
        self.around = button("Look around", "Ask which units answer there, and what they have; nothing is written")
        self.place = QLineEdit()
        self.place.setAccessibleName("Where the device listens")
        self.place.setPlaceholderText(_MODBUS_PLACE)
        self.serve = button("Be the device", "Answer as this device would, with the values typed below")
        self.said = label("", "quiet", wrap=True)
        self.values: dict[str, tuple[QLineEdit, Any]] = {}
        self._accesses: list[str] = []
        self._units: list[str] = []
        self._usual_place = _MODBUS_PLACE
        self.log = label("", "quiet", wrap=True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(3)
        for choice in (self.map, self.lane):
            choice.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumWidth(_LEAST_CHOICE)
        self._build()
        self.map.currentTextChanged.connect(self._show_map)
        self.poll.clicked.connect(self._poll)
        self.serve.clicked.connect(self._serve)
        here.changed.connect(self.refresh)
        here.read.connect(self._read)
        here.accessed.connect(self._accessed)
        here.found.connect(self._found)
        self.around.clicked.connect(self._look_around)
        self.refresh()

    def _build(self) -> None:
        look, ask = QHBoxLayout(), QHBoxLayout()
        look.setSpacing(6)
        look.addWidget(self.lane, 1)
        look.addWidget(self.around)
        ask.setSpacing(6)
        ask.addWidget(label("every", "quiet"))
        ask.addWidget(self.every, 1)
        ask.addWidget(self.poll)
        play = QHBoxLayout()
        play.setSpacing(6)
        play.addWidget(self.place, 1)
        self.place.setMinimumWidth(_LEAST_CHOICE)
        play.addWidget(self.serve)
        head = QVBoxLayout()
        head.setContentsMargins(12, 8, 12, 4)
        head.setSpacing(6)
        head.addWidget(self.map)
        head.addLayout(look)
        head.addLayout(ask)
        head.addLayout(play)
        head.addWidget(self.said)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 4, 12, 12)
        inside.addLayout(self._grid)
        inside.addWidget(self.log)
        inside.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(hairline())
        column.addWidget(in_room(inner), 1)

    def offer(self, layouts: Iterable[Any]) -> None:
        """Offer the register maps of the library."""
        chosen = self.map.currentText()
        found = [one for one in layouts if one.registers is not None]
        self._maps = {one.name: one for one in sorted(found, key=lambda one: one.name.casefold())}
        self.map.blockSignals(True)
        self.map.clear()
        self.map.addItems(list(self._maps))
        self.map.blockSignals(False)
        if chosen in self._maps:
            self.map.setCurrentText(chosen)
        self._show_map(self.map.currentText())

    def _show_map(self, name: str) -> None:
        clear_grid(self._grid)
        self.values = {}
        layout = self._maps.get(name)
        for row, field in enumerate(layout.fields if layout is not None else ()):
            line = QLineEdit()
            line.setAccessibleName(f"{field.name} to write")
            line.setPlaceholderText("write, or feed")
            line.setMaximumWidth(160)
            line.setMinimumWidth(110)
            line.editingFinished.connect(lambda line=line: line.setCursorPosition(0))
            line.returnPressed.connect(lambda name=field.name, line=line: self._write(name, line))
            read = ElidedLabel("–")
            read.setMinimumWidth(60)
            self._grid.addWidget(label(field.name, "quiet"), row, 0)
            self._grid.addWidget(read, row, 1)
            self._grid.addWidget(label(field.unit, "quiet"), row, 2)
            self._grid.addWidget(line, row, 3)
            self.values[field.name] = (line, read)
        self._grid.setColumnStretch(1, 1)
        self.refresh()

    def _poll(self) -> None:
        if self._here.is_polling:
            self._here.stop_poll()
            return
        layout = self._maps.get(self.map.currentText())
        if layout is not None:
            self._here.poll(layout, self.lane.currentText(), self.every.text())

    def _look_around(self) -> None:
        self._units = []
        self._show_log()
        self._here.look_around(self.lane.currentText())

    def _found(self, unit: Any) -> None:
        self._units.append(unit.words[:1].upper() + unit.words[1:])
        self._show_log()

    def _show_log(self) -> None:
        """List who was found, and below it who asked the device that is played."""
        lines = [*self._units, *reversed(self._accesses)]
        self.log.setText("\n".join(lines))
        self.log.setVisible(bool(lines))

    def _serve(self) -> None:
        if self._here.serves_at:
            self._here.stop_serving()
            return
        layout = self._maps.get(self.map.currentText())
        if layout is not None:
            self._accesses = []
            feeds = {name: line.text() for name, (line, _) in self.values.items()}
            self._here.serve(layout, self.place.text().strip() or self._usual_place, feeds)

    def _write(self, name: str, line: QLineEdit) -> None:
        layout = self._maps.get(self.map.currentText())
        if layout is not None and not self._here.serves_at and line.text().strip():
            self._here.write(layout, self.lane.currentText(), name, line.text().strip())

    def _read(self, rows: list[dict[str, Any]]) -> None:
        for row in rows:
            if row["field"] in self.values and row["message"] == self.map.currentText():
                _, read = self.values[row["field"]]
                value = row["label"] or ("" if row["value"] is None else figure_text(row["value"]))
                sign = "" if row["valid"] == "good" else f" ({row['valid']})"
                read.setText(f"{value}{sign}" or "–")
        self.refresh_counts()

    def _accessed(self, access: Any) -> None:
        self._accesses.append(f"{time.strftime('%H:%M:%S')}  {access.words}")
        self._accesses = self._accesses[-_MOST_ACCESSES:]
        self._show_log()
        self.refresh_counts()

    def refresh(self) -> None:
        """Show what can be done now."""
        layout = self._maps.get(self.map.currentText())
        wanted = layout.applies.lanes if layout is not None and layout.applies.protocol == _BYTES else None
        is_of_bytes = wanted is not None
        self._show_place(wanted)
        for part in (self.poll, self.every):
            part.setEnabled(not is_of_bytes or self._here.is_polling)
        self.poll.setToolTip(_NO_POLL if is_of_bytes else "Ask for these registers at this period")
        lanes = self._here.lanes()
        if [self.lane.itemText(n) for n in range(self.lane.count())] != lanes:
            self.lane.clear()
            self.lane.addItems(lanes)
        self.lane.setEnabled(bool(lanes))
        self.around.setEnabled(bool(lanes))
        self.lane.setToolTip("" if lanes else "No Modbus device is connected")
        self.poll.setText("Stop" if self._here.is_polling else "Poll")
        self.serve.setText("Stop" if self._here.serves_at else "Be the device")
        self._show_log()
        self.refresh_counts()

    def _show_place(self, wanted: Iterable[str] | None) -> None:
        """Say where the map can be played: at a port, or where registers are bytes on a lane, best a wanted one."""
        self._usual_place = _MODBUS_PLACE
        if wanted is not None:
            lanes = self._here.device_lanes()
            self._usual_place = next((lane for lane in wanted if lane in lanes), lanes[0] if lanes else "")
        self.place.setPlaceholderText(self._usual_place or "a lane of bench:yuzu")

    def refresh_counts(self) -> None:
        """Say how it goes."""
        here = self._here
        if here.serves_at:
            counts = here.served
            self.said.setText(f"Serving at {here.serves_at}: {counts.answered} answered, {counts.refused} refused, "
                              f"{counts.others} for others, {counts.damaged} damaged.")  # fmt: skip
        elif here.counts is not None:
            counts = here.counts
            self.said.setText(f"{counts.asked} asked, {counts.good} answered well, {counts.bad} not.")
        elif not self._maps:
            self.said.setText("The library has no map of registers.")
        elif self._usual_place != _MODBUS_PLACE:
            self.said.setText(
                "Type values and be the device: who asks it on the bus gets them."
                if self._usual_place
                else "Registers of a byte are played on the simulated bench: connect bench:yuzu first."
            )
        else:
            self.said.setText("Connect modbus://HOST:PORT/UNIT and poll it; or type values and be the device.")
