"""Wheel and keys that move through time, the same wherever time runs from left to right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent

from ..app.clock import Clock


def wheel_on_time(clock: Clock, event: QWheelEvent, at_ns: int) -> None:
    """Zoom the view at a time by the wheel, or move it with Shift."""
    up = (event.angleDelta().y() or event.angleDelta().x()) > 0
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        clock.pan((-1 if up else 1) * clock.view_span_ns // 10)
    else:
        clock.zoom(0.8 if up else 1.25, at_ns)
    event.accept()


def key_on_time(clock: Clock, event: QKeyEvent) -> bool:
    """Move the cursor by an arrow key, the view with Shift, zoom by plus and minus; return whether it was one."""
    step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
    if step and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        clock.pan(step * clock.view_span_ns // 4)
    elif step:
        clock.set_cursor(clock.cursor_ns + step * clock.view_span_ns // 100, follow=True)
    elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
        clock.zoom(0.8, clock.cursor_ns)
    elif event.key() == Qt.Key.Key_Minus:
        clock.zoom(1.25, clock.cursor_ns)
    else:
        return False
    return True
