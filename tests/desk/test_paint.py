"""Pictures as arrays: what is painted is computed, so it can be counted."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.desk.around.frame_painter import payload_texts
from zesty_abacus.desk.desks.read.trace_plan import nice_step
from zesty_abacus.desk.desks.unravel.history_view import cycle_words
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.abacus import Abacus
from zesty_abacus.desk.widgets.beads import AbacusState, Drawing
from zesty_abacus.desk.widgets.bit_history import history_image
from zesty_abacus.desk.widgets.paint import curve_image, draw_curve, draw_ribbon, elided, padded_range
from zesty_abacus.desk.widgets.parts import ElidedLabel
from zesty_abacus.desk.widgets.theme import NIGHT, PEEL, figure_font, look, text_font

INK = QColor("#102030")


@pytest.fixture(autouse=True)
def application():
    return make_application()


def alpha_of(image: QImage) -> np.ndarray:
    """Return the opacity of every pixel, (rows, columns)."""
    plain = image.convertToFormat(QImage.Format.Format_RGBA8888)
    bits = plain.constBits()
    bits.setsize(plain.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(plain.height(), plain.width(), 4)[..., 3].copy()


@given(st.lists(st.floats(0, 100), min_size=1, max_size=40), st.integers(4, 80))
def test_a_column_is_covered_by_exactly_the_thickness_of_the_line(values, rows):
    band = np.array(values)
    image = curve_image((band, band), (0.0, 100.0), rows, INK, 2.0)
    assert (image.width(), image.height()) == (len(values), rows + 4)
    covered = alpha_of(image).sum(axis=0) / 255
    assert covered == pytest.approx(np.full(len(values), 2.0), abs=0.02)


def test_the_line_is_where_its_value_is():
    band = np.array([0.0, 50.0, 100.0])
    alpha = alpha_of(curve_image((band, band), (0.0, 100.0), 100, INK, 1.0)).astype(float)
    centers = (alpha * (np.arange(104)[:, None] + 0.5)).sum(axis=0) / alpha.sum(axis=0)
    assert centers == pytest.approx([102.0, 52.0, 2.0], abs=0.1), "high values are at the top"


def test_a_spike_covers_its_column_and_nothing_covers_a_gap():
    low, high = np.array([10.0, 10.0, np.nan]), np.array([10.0, 90.0, np.nan])
    alpha = alpha_of(curve_image((low, high), (0.0, 100.0), 50, INK, 1.0))
    assert alpha[:, 1].sum() / 255 == pytest.approx(41, abs=0.1)
    assert alpha[:, 2].sum() == 0


def test_a_faded_colour_stays_faded():
    faded = QColor(INK)
    faded.setAlphaF(0.5)
    band = np.array([50.0])
    assert 120 <= alpha_of(curve_image((band, band), (0.0, 100.0), 50, faded, 4.0)).max() <= 130


def test_a_curve_lands_in_its_rectangle():
    image = QImage(200, 100, QImage.Format.Format_ARGB32)
    image.fill(0)
    curve = Curve.build(np.arange(1000), np.sin(np.arange(1000) / 50))
    painter = QPainter(image)
    draw_curve(painter, curve, QRectF(20, 10, 150, 60), (0, 1000), (-1.0, 1.0), INK)
    painter.end()
    rows, columns = np.nonzero(alpha_of(image))
    assert columns.min() == 20 and columns.max() == 169
    assert rows.min() >= 8 and rows.max() <= 72 and rows.max() - rows.min() > 55


@pytest.mark.parametrize(
    ("low", "high", "wanted"),
    [(0, 10, (-0.6, 10.6)), (5, 5, (4.5, 5.5)), (float("nan"), 1, (0, 1)), (0, float("inf"), (0, 1))],
)
def test_a_range_is_never_empty(low, high, wanted):
    assert padded_range(low, high) == pytest.approx(wanted)


def test_words_are_shortened_to_their_room():
    font = text_font(12)
    assert elided("short", font, 500) == "short"
    assert elided("a very long sentence indeed", font, 60).endswith("…")
    assert text_font(12) is font, "one object a style"
    assert text_font(12, italic=True).italic() and not font.italic()


@given(st.floats(1e-6, 1e6), st.integers(1, 20))
def test_steps_of_the_axis_are_round(span, parts):
    step = nice_step(span, parts)
    digits = f"{step:.6e}"[0]
    assert digits in "125" and span / parts <= step * 1.0001 <= span / parts * 10.001


@pytest.mark.parametrize(
    ("form", "texts"),
    [("hex", ["00", "7F", "FF"]), ("dec", ["  0", "127", "255"]), ("bin", ["00000000", "01111111", "11111111"]),
     ("text", ["·", "·", "·"])],
)  # fmt: skip
def test_payload_forms(form, texts):
    assert payload_texts(b"\x00\x7f\xff", form) == texts
    assert payload_texts(b"A", "text") == ["A"]


def test_cycle_times_in_words():
    steady = np.arange(100) * 10_000_000
    assert cycle_words(steady) == "every 10 ms"
    for apart_ns, words in ((9_999, ""), (10_000, " ±10 µs"), (270_000, " ±270 µs"), (6_000_000, " ±6 ms")):
        uneven = np.cumsum(10_000_000 + np.tile([0, apart_ns, 0, -apart_ns], 25) * (np.arange(100) > 0))
        assert cycle_words(uneven) == f"every 10 ms{words}"
    assert cycle_words(np.arange(50) * 1200 * 10**9) == "every 20.0 min"
    assert cycle_words(steady // 10**4) == "every 1 µs"
    assert cycle_words(np.cumsum(np.tile([1, 400], 50)) * 10**6) == "on events, 100 frames"
    assert cycle_words(np.array([1])) == "1 frame"


def test_the_ribbon_is_read_without_colour():
    """Explained bits are full height, unexplained ones half, still ones a hairline."""
    image = QImage(64, 20, QImage.Format.Format_ARGB32)
    image.fill(0)
    moves, owners = np.zeros(8, bool), np.full(8, -1, np.int16)
    moves[[7, 6]] = True
    owners[7] = 0
    painter = QPainter(image)
    draw_ribbon(painter, QRectF(0, 2, 64, 16), moves, owners, PEEL)
    painter.end()
    heights = (alpha_of(image) > 128).sum(axis=0)
    assert (heights[3], heights[11], heights[19]) == (16, 8, 1)


def test_the_history_picture_has_a_line_a_bit_as_dark_as_its_share():
    look.put_on(PEEL)
    picture = np.zeros((16, 5), np.float32)
    picture[0] = 1.0
    picture[1] = 0.5
    picture[2] = np.nan
    image = history_image(picture, np.full(16, -1, np.int16), frozenset(), np.ones(16, bool), 36)
    alpha = alpha_of(image)
    assert (image.width(), image.height()) == (5, 72)
    assert alpha[2, 0] == 235 and 120 < alpha[6, 0] < 135 and alpha[10, 0] == 0 and 15 < alpha[14, 0] < 30


@pytest.mark.parametrize("size", [1, 4, 8, 64])
@pytest.mark.parametrize("drawing", list(Drawing))
def test_beads_are_where_they_say(size, drawing):
    abacus = Abacus(drawing)
    abacus.resize(260, max(abacus.sizeHint().height(), 400))
    abacus.show_state(AbacusState(size, bytes(size), np.ones(size * 8, bool), np.full(size * 8, -1, np.int16)))
    abacus.resize(260, abacus.sizeHint().height())
    for bit in {0, 7, size * 4, size * 8 - 1}:
        assert abacus.rods.bit_at(abacus.rods.bead_center(bit)) == bit
    assert abacus.rods.bit_at(QPointF(1, 1)) == -1
    assert abacus.rods.bit_at(QPointF(999, 9999), nearest=True) == (size - 1) * 8
    image = abacus.grab().toImage()
    assert image.width() == 260


def test_one_and_zero_look_different_whatever_the_colour():
    look.put_on(PEEL)
    abacus = Abacus()
    abacus.resize(260, 200)
    owners = np.zeros(8, np.int16)
    abacus.show_state(AbacusState(1, b"\x80", np.ones(8, bool), owners))
    image = abacus.grab().toImage()

    def center_color(bit):
        return image.pixelColor(abacus.rods.bead_center(bit).toPoint()).name()

    assert center_color(7) == PEEL.field(0).name() and center_color(0) == QColor(PEEL.panel).name().lower()


@pytest.mark.parametrize("theme", [PEEL, NIGHT], ids=lambda theme: theme.name)
def test_fields_have_colours_of_their_own(theme):
    colors = {theme.field(n).name() for n in range(8)}
    assert len(colors) == 8 and theme.field(8) == theme.field(0)


def test_figures_stand_under_one_another():
    from PyQt6.QtGui import QFontMetricsF

    metrics = QFontMetricsF(figure_font())
    assert len({metrics.horizontalAdvance(digit) for digit in "0123456789"}) == 1
    assert figure_font().styleHint() == figure_font().StyleHint.Monospace


def test_a_line_of_facts_is_shortened_by_whole_facts():
    make_application()
    line = ElidedLabel()
    line.setText("0x1A1 · 8 bytes · sent by port pod controller")
    width = line.fontMetrics().horizontalAdvance
    wanted = {
        width(line.text()): line.text(),
        width(line.text()) - 1: "0x1A1 · 8 bytes · …",
        width("0x1A1 · 8 bytes · …"): "0x1A1 · 8 bytes · …",
        width("0x1A1 · 8 bytes · …") - 1: "0x1A1 · …",
    }
    for room, shown in wanted.items():
        line.resize(room, 20)
        assert line.shown() == shown
    line.resize(width("0x1A1"), 20)
    assert line.shown().startswith("0x") and line.shown().endswith("…"), "of one that does not fit its begin"
    assert line.toolTip() == line.text()
