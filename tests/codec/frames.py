"""Payloads as the codec takes them."""

from __future__ import annotations

import numpy as np

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout


def matrix_of(payloads):
    width = max(8, (max(map(len, payloads)) + 7) // 8 * 8)
    matrix = np.zeros((len(payloads), width), np.uint8)
    for row, payload in enumerate(payloads):
        matrix[row, : len(payload)] = list(payload)
    return matrix, np.array([len(payload) for payload in payloads], np.uint32)


def decoded_of(layout, *payloads):
    return decode(compile_layout(layout), *matrix_of(payloads))
