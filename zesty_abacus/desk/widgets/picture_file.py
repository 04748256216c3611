"""Pictures of views, saved as PNG or SVG with a line of origin below."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator

from .paint import draw_text
from .theme import TINY_PX, look, text_font

FORMS = "Pictures (*.png *.svg)"
_SCALE = 2
_FOOT = 20


def save_picture(path: Path, size: QSize, draw: Callable[[QPainter], object], origin: str) -> None:
    """Draw a view into a file; the ending says as what, PNG unless it is svg.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    whole = QSize(size.width(), size.height() + _FOOT)
    if path.suffix.lower() == ".svg":
        made = QSvgGenerator()
        made.setFileName(str(path))
        made.setSize(whole)
        made.setViewBox(QRect(0, 0, whole.width(), whole.height()))
        made.setTitle(origin)
        painter = QPainter()
        if not painter.begin(made):
            raise OSError(f"{path} cannot be written")
        _draw_all(painter, whole, draw, origin)
        painter.end()
        return
    image = QImage(whole * _SCALE, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(_SCALE)
    painter = QPainter(image)
    _draw_all(painter, whole, draw, origin)
    painter.end()
    if not image.save(str(path), "PNG"):
        raise OSError(f"{path} cannot be written")


def _draw_all(painter: QPainter, whole: QSize, draw: Callable[[QPainter], object], origin: str) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(QRectF(0, 0, whole.width(), whole.height()), QColor(look.theme.panel))
    painter.save()
    draw(painter)
    painter.restore()
    foot = QRectF(12, whole.height() - _FOOT, whole.width() - 24, _FOOT)
    draw_text(painter, foot, origin, text_font(TINY_PX), look.theme.quiet, Qt.AlignmentFlag.AlignLeft)
