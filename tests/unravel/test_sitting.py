"""Messages of a made-up bus unravelled from nothing: held against what their makers meant, and kept as layouts."""

import pytest

from bench.buses.bus import make_bus
from bench.buses.captured import captured
from bench.buses.score import score
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.keeping import KEPT, all_kept
from zesty_abacus.core.unravel.look import Asked, unravel

TILES = {"field", "constant", "counter", "check", "selector", "complement"}


@pytest.fixture(scope="module")
def unravelled():
    bus = make_bus(7, seconds=60, messages=24)
    capture = captured(bus)
    return bus, capture, unravel(Meaning.of(capture, [])).kinds


def all_of(found):
    return [one for kind in found for one in kind.findings]


def kept_of(capture, kind):
    key = capture.kinds.keys[kind.kind]
    empty = new_layout("Found", Applies(address=key.address, extended=key.extended), capture.kind_size(kind.kind))
    return all_kept(empty, kind.findings, 0.5)


def test_an_unseen_bus_is_unravelled_as_its_makers_meant_it(unravelled):
    bus, _capture, found = unravelled
    made = score(bus, all_of(found))
    assert made.f1("field") > 0.85 and made.f1("counter") > 0.95 and made.f1("check") > 0.95, made.told
    assert made.recall("polynomial") == 1.0 and made.f1("mirror") > 0.75


def test_what_is_kept_is_a_layout_whose_checks_agree(unravelled):
    _bus, capture, found = unravelled
    checked = 0
    for kind in found:
        layout, count = kept_of(capture, kind)
        wanted = [one for one in kind.findings if one.kind in KEPT and one.confidence >= 0.5]
        assert not check_layout(layout)
        assert count == len(wanted)
        frames = capture.kind_frames(kind.kind)
        decoded = decode(compile_layout(layout), frames.matrix, frames.sizes, address=layout.applies.address)
        for check in decoded.checks.values():
            assert check.count(CheckState.DISAGREES) <= len(frames) * 0.05, check.check
            checked += 1
    assert checked > 12


def test_findings_tile_the_payload_and_nothing_twice(unravelled):
    _bus, capture, found = unravelled
    for kind in found:
        tiles = [one for one in kind.findings if one.kind in TILES]
        always = [bit for one in tiles if not one.when for bit in parse_places(one.places).bits]
        assert len(always) == len(set(always)), kind.findings
        if not any(one.when for one in tiles):
            assert len(always) == capture.kind_size(kind.kind) * 8


def test_what_a_layout_explains_is_not_said_again(unravelled):
    _bus, capture, found = unravelled
    plain = [one for one in found if not any(each.when for each in one.findings)]
    kind = max(plain, key=lambda one: sum(each.kind == "field" for each in one.findings))
    layout, count = kept_of(capture, kind)
    meaning = Meaning.of(capture, [layout])
    asked = Asked(lane=kind.findings[0].lane, address=layout.applies.address)
    left = all_of(unravel(meaning, asked).kinds)
    assert count > 3 and {one.kind for one in left} <= {"constant", "period", "field"}, left
    assert all(one.confidence < 0.5 for one in left if one.kind == "field")
    again = all_of(unravel(meaning, Asked(asked.lane, asked.address, with_known=True)).kinds)
    assert sum(one.kind in TILES for one in again) == sum(one.kind in TILES for one in kind.findings)
