"""What a painted part says, as words with their places: for those who do not see it, and for keys.

Whatever paints words says so here, in full even where they are shortened on the screen; whoever wants to know paints
the part once more, onto nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from PyQt6.QtCore import QPoint, QPointF, QRectF
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

_SAME_LINE = 0.5
"""Words whose middles are no further apart than this part of their height stand in one line."""


@dataclass(frozen=True, slots=True)
class _Told:
    """Words, and where they are painted in their part.

    Attributes
    ----------
    is_whole
        Everything inside the box is one line: these words, or if there are none those that are told inside.
    """

    words: str
    box: QRectF
    is_whole: bool = False


@dataclass(frozen=True, slots=True)
class ToldLine:
    """What stands in one line.

    Attributes
    ----------
    words
    at
        Where a click would be on its first words.
    """

    words: str
    at: QPointF


_listeners: list[list[_Told]] = []


Words = str | Callable[[], str]
"""Words, or what makes them if somebody listens: pictures are painted often, and hardly anybody does."""


def tell(painter: QPainter, box: QRectF, words: Words, *, at_right: bool = False) -> None:
    """Say which words are painted here.

    Parameters
    ----------
    at_right
        They stand at the right end of the box, behind what else is in it.
    """
    if _listeners and (said := _said(words)):
        place = QRectF(box.right() - 1, box.top(), 1, box.height()) if at_right else box
        _listeners[-1].append(_Told(said, painter.worldTransform().mapRect(place)))


def tell_whole(painter: QPainter, box: QRectF, words: Words = "") -> None:
    """Say that a box is one line: of these words, or of all that are painted in it."""
    if _listeners:
        _listeners[-1].append(_Told(_said(words), painter.worldTransform().mapRect(box), is_whole=True))


def _said(words: Words) -> str:
    return (words if isinstance(words, str) else words()).strip()


@contextmanager
def _listening() -> Iterator[list[_Told]]:
    heard: list[_Told] = []
    _listeners.append(heard)
    try:
        yield heard
    finally:
        _listeners.pop()


def surface_of(part: QWidget) -> QWidget:
    """Return what a part is painted on, and what a mouse is sent to."""
    viewport = part.viewport() if isinstance(part, QAbstractScrollArea) else None
    return viewport or part


def told_lines(part: QWidget) -> list[ToldLine]:
    """Return what a part says now, line by line from the top; nothing of a part that paints no words of its own."""
    surface = surface_of(part)
    with _listening() as heard:
        surface.render(QPixmap(surface.size()), QPoint(), flags=QWidget.RenderFlag(0))
    made: list[tuple[QRectF, ToldLine]] = []
    for whole in (one for one in heard if one.is_whole):
        inside = [one for one in heard if not one.is_whole and whole.box.contains(one.box.center())]
        heard = [one for one in heard if one not in inside]
        if whole.words or inside:
            words = whole.words or ", ".join(one.words for one in _in_order(inside))
            made.append((whole.box, ToldLine(words, _click_on(whole.box))))
    for line in _lines_of([one for one in heard if not one.is_whole]):
        made.append((line[0].box, ToldLine(", ".join(one.words for one in line), _click_on(line[0].box))))
    return [line for _, line in sorted(made, key=lambda pair: (pair[0].top(), pair[0].left()))]


def _in_order(told: list[_Told]) -> list[_Told]:
    """Return words as they are read: line by line, from the left."""
    return [one for line in _lines_of(told) for one in line]


def _lines_of(told: list[_Told]) -> list[list[_Told]]:
    lines: list[list[_Told]] = []
    for one in sorted(told, key=lambda one: (one.box.center().y(), one.box.left())):
        first = lines[-1][0].box if lines else QRectF()
        near = _SAME_LINE * min(one.box.height(), first.height())
        if lines and abs(one.box.center().y() - first.center().y()) < near:
            lines[-1].append(one)
        else:
            lines.append([one])
    return [sorted(line, key=lambda one: one.box.left()) for line in lines]


def _click_on(box: QRectF) -> QPointF:
    return QPointF(box.left() + min(box.width() / 2, 12.0), box.center().y())
