"""The histories of bits as a picture: one thin line a bit beside its rod, dark where it is 1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from .theme import Theme, faded, look


def history_image(
    picture: NDArray[np.float32],
    owners: NDArray[np.int16],
    bits: frozenset[int],
    moves: NDArray[np.bool_],
    rod_height: int,
) -> QImage:
    """Paint bit histories: one thin line a bit, dark is 1, the tone is the share of ones.

    Parameters
    ----------
    picture : float32 (size * 8, columns)
        As :meth:`~zesty_abacus.core.frames.activity.BitHistory.picture` gives it: highest bit of a byte first.
    rod_height
        Pixels from rod to rod; each bit gets an eighth of it, the lowest part of the row stays free.
    """
    theme = look.theme
    rows, columns = picture.shape
    line = max((rod_height - 4) // 8, 1)
    image = np.zeros((rows // 8 * rod_height, columns, 4), np.uint8)
    shade = np.nan_to_num(picture, nan=0.0)
    for row in range(rows):
        byte, place = divmod(row, 8)
        bit = byte * 8 + 7 - place
        color = _history_color(theme, bit, owners, bits, moves)
        top = byte * rod_height + place * line + 2
        alpha = np.where(np.isnan(picture[row]), 0, 22 + shade[row] * 213).astype(np.uint8)
        thick = max(line - 1, 1)
        image[top : top + thick, :, 0] = color.red()
        image[top : top + thick, :, 1] = color.green()
        image[top : top + thick, :, 2] = color.blue()
        image[top : top + thick, :, 3] = alpha
    return QImage(image.tobytes(), columns, image.shape[0], columns * 4, QImage.Format.Format_RGBA8888).copy()


def _history_color(
    theme: Theme, bit: int, owners: NDArray[np.int16], bits: frozenset[int], moves: NDArray[np.bool_]
) -> QColor:
    if bit in bits:
        return QColor(theme.zest)
    if bit < len(owners) and owners[bit] >= 0:
        return theme.field(int(owners[bit]))
    if bit < len(moves) and not moves[bit]:
        return faded(theme.rod, 1.0)
    return QColor(theme.unexplained)
