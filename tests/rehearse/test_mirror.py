"""The sender's layout made from the receiver's."""

from uuid import uuid4

from hypothesis import given
from hypothesis import strategies as st

from tests.rehearse.messages import throttle
from zesty_abacus.core.codec.encode import get_value, put_bits, raw_of
from zesty_abacus.core.layouts.fields import Selected
from zesty_abacus.core.layouts.model import Applies, Group, new_layout
from zesty_abacus.core.layouts.raw_sets import RawSet
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.rehearse.message import OutgoingMessage, feeds_of
from zesty_abacus.core.rehearse.mirror import mirror
from zesty_abacus.core.rehearse.round_trip import round_trip
from zesty_abacus.demo.layouts import make_field


def _reader(*fields, size=8, **settings):
    return new_layout("Reader", Applies(address=0x123), size, fields, **settings)


PLACES = st.sampled_from(["B0 B1", "B1 B0", "B3", "B6 B7", "B2[5..0] B3[7..2]"])
READ = st.fixed_dictionaries({
    "places": PLACES,
    "kind": st.sampled_from(["signed", "unsigned", "sign-magnitude", "gray"]),
    "step": st.sampled_from(["0.1", "10", "-0.5", "1"]),
    "offset": st.sampled_from(["0", "-40", "12.5"]),
})  # fmt: skip


@given(sent=READ, read=READ)
def test_a_mirror_loses_no_more_than_half_a_step_whatever_was_sent_before(sent, read):
    sender = _reader(make_field("speed", **sent))
    receiver = _reader(make_field("speed", message="read", **read))
    made, left_out = mirror(sender, receiver)
    assert left_out == ()
    assert made.id == sender.id
    assert made.fields[0].id == sender.fields[0].id
    (trip,) = round_trip(made, receiver)
    assert trip.words == ()
    assert trip.loss <= abs(receiver.fields[0].ratio) / 2


def test_what_only_the_sender_has_stays_with_its_checks_where_there_is_room():
    sender = throttle()
    receiver = _reader(make_field("speed", "B1 B0", "signed", "0.5"), make_field("level", "B3"), size=7)
    made, left_out = mirror(sender, receiver)
    assert left_out == ("double is left out: what is read lies where it was sent.",)
    assert {field.name for field in made.fields} == {"speed", "level", "mode", "turn", "check"}
    assert [check.name for check in made.checks] == ["turn", "crc"]
    frame = OutgoingMessage(made, feeds_of(["speed=7.5", "level=3", "mode=astern"])).frame(0, 0.0)
    read = {field.name: get_value(frame.payload, field)[1] for field in receiver.fields}
    assert read == {"speed": 7.5, "level": 3}


def test_a_mirror_shares_no_identity_with_the_receiver_and_holds_together():
    kind = make_field("kind", "B0")
    cell = make_field("cell", "B0")
    group = Group(id=uuid4(), name="cells", size=1, fields=(cell,), selected=Selected(kind.id, RawSet.of(1)))
    receiver = _reader(kind, size=1, parts=(group,))
    sender = _reader(make_field("old", "B4"), size=5)
    made, left_out = mirror(sender, receiver)
    assert left_out == ("old is left out: what is read lies where it was sent.",)
    (part,) = made.parts
    assert part.selected.field == made.fields[0].id
    assert not {receiver.id, kind.id, cell.id, group.id} & {made.id, made.fields[0].id, part.fields[0].id, part.id}
    assert check_layout(made) == []


def test_a_field_that_is_there_only_beside_one_that_is_left_out_goes_with_it():
    switch = make_field("switch", "B0")
    beside = make_field("beside", "B5", selected=("switch", 1))
    made, left_out = mirror(_reader(switch, beside), _reader(make_field("speed", "B0 B1")))
    assert [field.name for field in made.fields] == ["speed"]
    assert len(left_out) == 2


def test_what_is_sent_by_a_mirror_is_read_value_for_value():
    receiver = _reader(make_field("angle", "B2 B1", "signed", "0.1", offset="5"))
    made, _ = mirror(_reader(make_field("angle", "B0", "unsigned", "2")), receiver)
    for value in (-100, 0, 5, 77):
        data = bytearray(8)
        bits, _ = raw_of(made.fields[0], value)
        put_bits(data, made.fields[0], bits)
        assert get_value(data, receiver.fields[0])[1] == value
