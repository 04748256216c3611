"""Requests and answers: put together as they were made, whatever order and losses."""

from uuid import uuid4

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from tests.problems.made import MS, capture_of, found, stream
from zesty_abacus.core.conditions.bind import Known, bind
from zesty_abacus.core.conditions.hits import find
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.handover import chunks
from zesty_abacus.core.handover.exchange_table import exchange_table
from zesty_abacus.core.layouts.attributes import attribute_text, with_attribute
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import Applies, Matched, Pair, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.library.check import check_library
from zesty_abacus.core.pairing.exchanges import NOBODY, NOT_YET, exchanges_of
from zesty_abacus.core.reading.meaning import Meaning

NUMBER = new_field("number", at("B0"))
ANSWER = new_layout("Pump state", Applies(address=0x201), 2, [new_field("token", at("B1"))])


def asking(*, within_ms=None, match=None):
    match = (Matched(NUMBER.id, "token"),) if match is None else match
    pair = Pair(id=uuid4(), name="answered", answer="Pump state", match=match, within_ms=within_ms)
    return new_layout("Pump wanted", Applies(address=0x200), 1, [NUMBER], checks=(pair,))


@given(st.data())
def test_answers_belong_to_the_question_with_their_number(data):
    count = data.draw(st.integers(1, 30))
    delays = data.draw(st.lists(st.none() | st.integers(1, 300), min_size=count, max_size=count))
    asked = np.arange(count) * 20 * MS
    answered = [(int(asked[n]) + delay * MS + n, n) for n, delay in enumerate(delays) if delay is not None]
    capture = capture_of(
        stream(asked, [bytes([n]) for n in range(count)], address=0x200),
        stream([t for t, _ in sorted(answered)], [bytes([9, n]) for _, n in sorted(answered)], address=0x201),
    )
    made = exchanges_of(Meaning.of(capture, [asking(), ANSWER]))
    assert len(made) == count
    for number, (request, answer, took) in enumerate(zip(made.request, made.answer, made.took_ns, strict=True)):
        assert capture.frames.at(int(request)).payload == bytes([number]), "in order of the questions"
        if delays[number] is None:
            assert (answer, took) == (NOBODY, -1)
        else:
            assert capture.frames.at(int(answer)).payload[1] == number and took == delays[number] * MS + number
            assert made.with_row(int(answer)) == [number]
        assert made.with_row(int(request)) == [number]
    assert made.with_row(count + len(answered)) == [], "no such row"


def test_what_comes_too_late_is_no_answer_and_what_is_not_due_yet_is_not_missed():
    capture = capture_of(
        stream([0, 100 * MS, 950 * MS], [b"\x01", b"\x02", b"\x03"], address=0x200),
        stream([300 * MS, 140 * MS, 1000 * MS], [b"\x00\x01", b"\x00\x02", b"\x00\x09"], address=0x201),
    )
    layouts = [asking(within_ms=200), ANSWER]
    made = exchanges_of(Meaning.of(capture, layouts))
    assert made.answer.tolist() == [NOBODY, 2, NOT_YET] and made.unanswered().tolist() == [True, False, False]
    known = Known(["deck"], layouts)
    meaning = Meaning.of(capture, layouts)
    assert find(meaning, bind("unanswered", known)).rows.tolist() == [0]
    assert find(meaning, bind("response_time > 30 ms", known)).rows.tolist() == [2]
    assert found(capture, layouts)["unanswered", 0x200].time_ns.tolist() == [0]


def test_without_a_field_the_next_one_answers():
    capture = capture_of(
        stream([0, 100 * MS, 200 * MS], [b"\x01"] * 3, address=0x200), stream([130 * MS], [b"\x00\x07"], address=0x201)
    )
    made = exchanges_of(Meaning.of(capture, [asking(match=()), ANSWER]))
    assert made.answer.tolist() == [NOBODY, 2, NOBODY]


def test_slow_answers_by_a_layout_are_problems():
    asked = np.arange(40) * 100 * MS
    took = np.where(np.arange(40) == 20, 70, 4) * MS
    capture = capture_of(
        stream(asked, [bytes([n]) for n in range(40)], address=0x200),
        stream(asked + took, [bytes([0, n]) for n in range(40)], address=0x201),
    )
    problems = found(capture, [asking(), ANSWER])
    assert problems["slow-answer", 0x201].time_ns.tolist() == [2070 * MS]


def test_links_that_know_answers_and_buses_that_read():
    modbus = stream([0, 100 * MS, 200 * MS], address=7, lane=0), stream([8 * MS, 204 * MS], address=7, flags=F.ANSWER)
    capture = capture_of(
        *modbus,
        stream([300 * MS, 400 * MS], [b"\x10", b"\x20"], address=0x5A, lane=1),
        stream([301 * MS, 350 * MS, 401 * MS], [b"ab", b"cd", b""], address=0x5A, lane=1, flags=[F.READ, F.READ,
               F.READ | F.REFUSED]),
        lanes=(Lane("shore", "modbus"), Lane("bilge", "i2c")),
    )  # fmt: skip
    made = exchanges_of(Meaning.of(capture, []))
    begun = (capture.frames.times(made.request) // MS).tolist()
    times = list(zip(begun, made.answer.tolist(), strict=True))
    rows = {int(t) // MS: n for n, t in enumerate(capture.frames.times(np.arange(len(capture))))}
    assert times == [
        (0, rows[8]), (100, NOBODY), (200, rows[204]),
        (300, rows[301]), (350, rows[350]), (400, NOBODY),
    ]  # fmt: skip


def test_a_pair_is_written_read_and_typed():
    layout = asking(within_ms=200)
    assert layout_from_json(layout_to_json(layout)) == layout and not check_layout(layout)
    pair = layout.checks[0]
    assert attribute_text(pair, "match", layout) == "number = token"
    again = with_attribute(pair, "match", "number", layout)
    assert again.match == (Matched(NUMBER.id),) and attribute_text(again, "match", layout) == "number"
    assert with_attribute(pair, "match", "", layout).match == ()


def test_a_library_says_which_answers_are_missing():
    assert not [one for one in check_library([asking(), ANSWER]) if "answer" in one or "matched" in one]
    assert "Pump wanted is answered by Pump state, which is not in the library." in check_library([asking()])
    wrong = asking(match=(Matched(NUMBER.id),))
    assert "Pump wanted is matched by number, which Pump state does not have." in check_library([wrong, ANSWER])


def test_a_table_of_exchanges_is_cut_by_the_bytes_of_both_sides(monkeypatch):
    count = 40
    asked, came = np.arange(count) * 20 * MS, np.arange(count - 1) * 20 * MS + 5 * MS
    capture = capture_of(
        stream(asked, [bytes([n]) + b"?" * 9 for n in range(count)], address=0x200),
        stream(came, [bytes([9, n]) + b"!" * 18 for n in range(count - 1)], address=0x201),
    )
    meaning = Meaning.of(capture, [asking(), ANSWER])
    made = exchanges_of(meaning)
    (whole,) = exchange_table(meaning, made, np.arange(count))
    monkeypatch.setattr(chunks, "CHUNK_BYTES", 90)
    blocks = list(exchange_table(meaning, made, np.arange(count)))
    # thirty bytes an exchange, ten of the last, which nobody answered
    assert [block.count for block in blocks] == [3] * 13 + [1]
    assert pa.concat_tables(block.table() for block in blocks).to_pylist() == whole.table().to_pylist()
    assert whole.table()["came_payload"].null_count == 1
