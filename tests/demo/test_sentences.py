"""Sentences of the compass, written from values: whatever they say, their check has two digits and agrees."""

from functools import reduce
from operator import xor

import numpy as np
import pytest

from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.demo.link_layouts import link_layouts

LAYOUTS = {layout.name: layout for layout in link_layouts()}


@pytest.mark.parametrize(
    ("name", "given"),
    [
        ("Heading sentence", lambda tenth: {"sentence": "HEHDT", "heading": tenth / 10, "reference": "true"}),
        ("Turn sentence", lambda tenth: {"sentence": "YZROT", "rate of turn": tenth / 400, "state": "valid"}),
    ],
)
def test_every_sentence_has_a_check_of_two_digits_that_agrees(name, given):
    layout = LAYOUTS[name]
    plan = compile_layout(layout)
    for tenth in range(0, 3600, 7):
        payload = encode_message(layout, given(tenth)).payload
        body, star, check = payload[1:].partition(b"*")
        assert star and check == b"%02X" % reduce(xor, body), payload
        matrix = np.zeros((1, -(-len(payload) // 8) * 8), np.uint8)
        matrix[0, : len(payload)] = list(payload)
        (agrees,) = decode(plan, matrix, np.array([len(payload)], np.uint32)).checks.values()
        assert agrees.state.tolist() == [CheckState.AGREES]
