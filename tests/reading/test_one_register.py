"""A register is one value over time, whatever exchange of its device carried it."""

from dataclasses import replace

import msgspec
import numpy as np

from tests.unravel.made import polled, put, slow
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.layouts.model import Applies, Computed, Expression, RegisterMap, Space, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.windows import begun_in, from_window
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.protocols.modbus import address_of
from zesty_abacus.core.reading.fresh import layout_to_begin, name_to_begin
from zesty_abacus.core.reading.kind_data import joined_curve
from zesty_abacus.core.reading.meaning import Meaning

LEVEL, FLOW = new_field("level", parse_places("R4")), new_field("flow", parse_places("R9"))


def registers():
    made = np.zeros((300, 24), np.uint8)
    put(made, "R4", slow(300))
    put(made, "R9", slow(300, seed=5))
    return made


def meaning_of(*layouts):
    return Meaning.of(polled(registers(), (0, 12, 10), (4, 2, 1)), layouts)


def device():
    map_of = RegisterMap(device=3, space=Space.HOLDING)
    return new_layout("device", Applies(protocol="modbus"), 24, [LEVEL, FLOW], registers=map_of)


def test_a_register_is_in_all_exchanges_that_carry_it():
    meaning = meaning_of(device())
    reader = meaning.kinds[0].readers[0]
    assert [kind for kind, _ in meaning.carriers_of(0, reader, LEVEL.id)] == [0, 1]
    assert len(meaning.carriers_of(0, reader, FLOW.id)) == 1


def test_its_curve_is_that_of_all_of_them_in_order_of_time():
    meaning = meaning_of(device())
    carriers = meaning.carriers_of(0, meaning.kinds[0].readers[0], LEVEL.id)
    parts = [(meaning.capture.kind_frames(kind), compile_layout(reader.shown)) for kind, reader in carriers]
    column, curve = joined_curve(meaning.capture, parts, LEVEL.id, Progress())
    values = registers()[:, 8:10].view(">u2").reshape(-1)
    expected = [value for step, value in enumerate(values) for _ in range(1 + (step % 10 == 0))]
    assert column.value.tolist() == expected and (np.diff(curve.time_ns) >= 0).all()


def test_a_layout_that_is_begun_for_an_exchange_is_an_empty_map_of_its_device():
    meaning = meaning_of()
    kind = next(kind for kind, key in enumerate(meaning.capture.kinds.keys) if key.address & 0xFFFF == 4)
    view = layout_to_begin(meaning.capture, kind)
    assert view.name == name_to_begin(meaning.capture, kind) == "Unit 3 holding registers"
    assert view.registers == RegisterMap(device=3, space=Space.HOLDING, window=4) and view.size == 4
    whole = from_window(begun_in(view), view.with_field(new_field("level", parse_places("B0 B1"))))
    assert [str(field.places) for field in whole.fields] == ["B8 B9"] and whole.registers.window is None
    assert all(kind.readers for kind in meaning_of(whole).kinds)


def test_what_is_made_in_a_window_is_called_apart_from_what_it_does_not_show():
    whole = device()
    meaning = meaning_of(whole)
    kind, reader = next(
        (kind, one.readers[0]) for kind, one in enumerate(meaning.kinds) if len(one.readers[0].shown.fields) == 1
    )
    assert [field.name for field in reader.shown.fields] == ["level"], kind
    more = reader.shown.with_field(new_field("flow", parse_places("B2 B3")))
    more = more.with_item(Computed(id=whole.id, name="twice", expression=Expression("flow * 2 + level")))
    made = from_window(whole, more)
    assert [field.name for field in made.fields] == ["level", "flow 2", "flow"]
    assert made.computed[0].expression.text.replace("`", "") == "flow 2 * 2 + level"
    gone = from_window(made, reader.shown)
    assert [field.name for field in gone.fields] == ["level", "flow"] and not gone.computed


def test_registers_of_another_device_are_other_values_though_one_map_reads_both():
    """A model of devices asks for any of them; two of the kind on one line are still two."""
    table = meaning_of().capture.segments[0].segment.table
    units = np.where(table.address == address_of(3, 3, 4), address_of(4, 3, 4), table.address)
    capture = Capture.from_table(replace(table, address=units), (Lane("shore", "modbus"),))
    model = device()
    model = msgspec.structs.replace(model, registers=msgspec.structs.replace(model.registers, device=None))
    meaning = Meaning.of(capture, [model])
    assert len(meaning.kinds) == 2 and all(kind.readers for kind in meaning.kinds)
    for kind in range(2):
        reader = meaning.kinds[kind].readers[0]
        assert [other for other, _ in meaning.carriers_of(kind, reader, LEVEL.id)] == [kind]
