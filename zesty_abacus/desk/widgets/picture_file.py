"""Pictures of views as PNG or SVG, with a line of origin below."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QBuffer, QIODevice, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPaintDevice, QPainter
from PyQt6.QtSvg import QSvgGenerator

from .paint import draw_text
from .theme import TINY_PX, look, text_font

FORMS = "Pictures (*.png *.svg)"
_SCALE = 2
_FOOT = 20


Bytes = Callable[[], bytes]
"""What makes the bytes of a file, on any thread: a large picture takes a while to press together."""


def png_of(size: QSize, draw: Callable[[QPainter], object], origin: str) -> Bytes:
    """Draw a view, and return what makes a PNG of it."""
    whole = QSize(size.width(), size.height() + _FOOT)
    image = QImage(whole * _SCALE, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(_SCALE)
    _draw_all(image, whole, draw, origin)

    def pressed() -> bytes:
        buffer = _buffer()
        image.save(buffer, "PNG")
        return bytes(buffer.data().data())

    return pressed


def svg_of(size: QSize, draw: Callable[[QPainter], object], origin: str) -> Bytes:
    """Draw a view as SVG; as :func:`png_of`."""
    whole = QSize(size.width(), size.height() + _FOOT)
    buffer, made = _buffer(), QSvgGenerator()
    made.setOutputDevice(buffer)
    made.setSize(whole)
    made.setViewBox(QRect(0, 0, whole.width(), whole.height()))
    made.setTitle(origin)
    _draw_all(made, whole, draw, origin)
    return lambda: bytes(buffer.data().data())


def _buffer() -> QBuffer:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    return buffer


def _draw_all(onto: QPaintDevice, whole: QSize, draw: Callable[[QPainter], object], origin: str) -> None:
    painter = QPainter(onto)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(QRectF(0, 0, whole.width(), whole.height()), QColor(look.theme.panel))
    painter.save()
    draw(painter)
    painter.restore()
    foot = QRectF(12, whole.height() - _FOOT, whole.width() - 24, _FOOT)
    draw_text(painter, foot, origin, text_font(TINY_PX), look.theme.quiet, Qt.AlignmentFlag.AlignLeft)
    painter.end()
