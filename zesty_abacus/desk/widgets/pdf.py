"""Pages of SVG as a PDF: fonts are the toolkit's, which needs no screen for that."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter
from PyQt6.QtSvg import QSvgRenderer

_DOTS = 300


def pdf_of(pages: list[str], title: str = "Zesty Abacus") -> bytes:
    """Return SVG pages as a PDF of A4."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(_DOTS)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
    )
    writer.setTitle(title)
    painter = QPainter(writer)
    for number, page in enumerate(pages):
        if number:
            writer.newPage()
        renderer = QSvgRenderer(QByteArray(page.encode()))
        renderer.render(painter, QRectF(0, 0, writer.width(), writer.height()))
    painter.end()
    return bytes(buffer.data().data())
