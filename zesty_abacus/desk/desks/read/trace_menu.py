"""What can be done with a trace: lay something over it, write a reading down, see it otherwise, save the picture."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from ...app.doors import asked
from ...app.overlays import Over, OverField, OverReference
from ...app.session import Session
from ...app.traces import Trace
from ...around.ask_menu import add_asking
from ...widgets.parts import menu_of


def trace_menu(
    owner: QWidget, session: Session, trace: Trace, time_ns: int, at: QPoint,
    others: list[tuple[str, Callable[[], object]]],
) -> None:  # fmt: skip
    """Offer what can be done with a trace.

    Parameters
    ----------
    time_ns
        That is pointed at: its value there may be asked for.
    at
        On the screen.
    others
        Words and act of what the owner can do besides.
    """
    menu = menu_of(owner)
    field = session.traces.field(trace)
    if field is None:
        return
    over = menu.addMenu("Lay over it")
    if over is not None:
        _add_overlays(over, session, trace)
    reading = menu.addAction("Write a reading down…")
    if reading is not None:
        reading.setToolTip("What an instrument said at the cursor; the trial keeps it")
        reading.triggered.connect(lambda: ask_reading(owner, session, trace))
    _add_asking(menu, session, trace, time_ns)
    menu.addSeparator()
    for words, act in others:
        action = menu.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _on=False, act=act: act())
    menu.addSeparator()
    off = menu.addAction("Take it off")
    if off is not None:
        off.triggered.connect(lambda: session.traces.toggle(*trace))
    menu.popup(at)


def _add_asking(menu: QMenu, session: Session, trace: Trace, time_ns: int) -> None:
    """Offer what may be asked of the value that a trace has at a time."""
    layout = session.reading.layout_with(*trace)
    found = session.store.frame_at(trace[0], layout, time_ns) if layout is not None else None
    if layout is not None and found is not None and found.decoded is not None and trace[1] in found.decoded.columns:
        add_asking(menu, session, asked.of_value(layout.name, found.decoded.columns[trace[1]]))


def _add_overlays(menu: QMenu, session: Session, trace: Trace) -> None:
    """List references, then the other traces; those that are laid over are ticked."""
    offers: list[Over] = [OverReference(*one.key) for one in session.overlays.references]
    offers += [OverField(*one) for one in session.traces.shown if one != trace]
    if not offers:
        action = menu.addAction("Bring a table of an instrument in, or pick another field")
        if action is not None:
            action.setEnabled(False)
    for over in offers:
        action = menu.addAction(session.overlays.name(over))
        if action is not None:
            action.setCheckable(True)
            action.setChecked(over in session.overlays.over(trace))
            action.triggered.connect(lambda _on=False, over=over: session.overlays.toggle(trace, over))


def ask_reading(owner: QWidget, session: Session, trace: Trace) -> None:
    """Ask what an instrument said at the cursor, keep it with the trial, and lay it over the trace."""
    field = session.traces.field(trace)
    if field is None:
        return
    at, unit = session.clock.words(session.clock.cursor_ns), f" in {field.unit}" if field.unit else ""
    value, given = QInputDialog.getDouble(
        owner, "Write a reading down", f"What did the instrument say for {field.name} at {at} s{unit}?", decimals=6
    )
    if given:
        session.overlays.add_reading(trace, session.clock.cursor_ns, value)
