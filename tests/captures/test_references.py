"""Tables of instruments: units out of headings, which tables are some, what is read of them."""

import math

import pytest

from zesty_abacus.core.captures.reference import looks_like_reference, read_reference, unit_of
from zesty_abacus.core.captures.report import CaptureReadError


@pytest.mark.parametrize(
    ("name", "unit"),
    [("speed_kn", "kn"), ("speed (kn)", "kn"), ("speed [m/s]", "m/s"), ("speed kn", "kn"), ("speed", ""), ("kn", ""),
     ("heat_degree", "degree"), ("heat_degrees", ""), ("", ""), ("a_b_c", "c"), ("power (%)", "%")],
)  # fmt: skip
def test_a_unit_is_what_a_heading_ends_with(name, unit):
    assert unit_of(name) == unit


def table(step_s, rows=50, head="time_s,speed_kn"):
    return head + "\n" + "".join(f"{n * step_s:.4f},{n % 7}\n" for n in range(rows))


def test_what_is_slow_and_has_a_time_is_of_an_instrument():
    assert looks_like_reference(table(0.1).encode()) and looks_like_reference(table(0.0101).encode())
    assert not looks_like_reference(table(0.0099).encode()), "a hundred a second is a wave"
    assert not looks_like_reference(b"name,colour\na,b\nc,d\n")


def test_rows_are_put_in_order_and_what_is_no_table_is_told(tmp_path):
    path = tmp_path / "gnss.csv"
    path.write_text("time_s,speed_kn,note\n2,12,x\n0,10,y\n1,,z\n")
    made = read_reference(path)
    assert made.time_ns.tolist() == [0, 10**9, 2 * 10**9] and made.report.frames == 3
    assert made.values["speed_kn"].tolist()[::2] == [10.0, 12.0] and math.isnan(made.values["speed_kn"][1])
    path.write_text("time_s,speed_kn\n")
    with pytest.raises(CaptureReadError, match="there is no time column"):
        read_reference(path)
    path.write_text("name,colour\na,b\n")
    with pytest.raises(CaptureReadError, match="there is no time column with numbers beside it"):
        read_reference(path)
