"""Layouts from strangers: changed documents are read, refused or checked, and whatever passes can be decoded."""

from __future__ import annotations

import contextlib
import json
import os
import random

import numpy as np
import pytest

from tests.codec.test_inside import LIST
from tests.codec.test_text_lines import SCAN
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.demo.link_layouts import link_layouts
from zesty_abacus.demo.messages import all_messages

ROUNDS = int(os.environ.get("FUZZ", "60"))
LAYOUTS = [*link_layouts(), *(message.layout for message in all_messages()[:4]), SCAN, LIST]
NASTY = (None, -1, 0, 1, 7, 2**63, 2**70, -(2**40), 1e308, "", "B0", "B131071", "size", "1 / 0", "size * 99999999", [],
         {}, True, "☃", "`a` << 63", "0..18446744073709551615", "group", "00", "\0")  # fmt: skip


def change(node, dice):
    """Change one spot of a JSON document somewhere."""
    if isinstance(node, dict) and node:
        key = dice.choice(list(node))
        if dice.random() < 0.35:
            node[key] = dice.choice(NASTY)
        elif dice.random() < 0.1:
            del node[key]
        else:
            node[key] = change(node[key], dice)
        return node
    if isinstance(node, list) and node:
        place = dice.randrange(len(node))
        if dice.random() < 0.2:
            node.append(json.loads(json.dumps(node[place])))
        else:
            node[place] = change(node[place], dice)
        return node
    return dice.choice(NASTY)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_changed_layouts_are_refused_or_can_be_decoded(layout):
    dice = random.Random(layout.name)
    payloads = np.random.default_rng(3).integers(0, 256, (6, 40), dtype=np.uint8)
    sizes = np.array([40, 18, 3, 0, 33, 7], np.uint32)
    payloads[np.arange(40)[None, :] >= sizes[:, None]] = 0
    for _ in range(ROUNDS):
        document = json.loads(layout_to_json(layout))
        for _ in range(dice.randint(1, 3)):
            document = change(document, dice)
        try:
            changed = layout_from_json(json.dumps(document).encode())
        except AbacusError as error:
            assert str(error)
            continue
        problems = check_layout(changed)
        assert all(problem.sentence for problem in problems)
        if problems or any(hasattr(part, "layout") for part in changed.parts):
            continue
        # what the check lets pass can be decoded, and encoded or refused in words
        decoded = decode(compile_layout(changed, LAYOUTS), payloads, sizes)
        with contextlib.suppress(EncodeError):
            encode_message(changed, {})
        assert all(len(column) == 6 for column in decoded.columns.values())
        assert all(len(array.frame) <= 6 * 41 for array in decoded.arrays.values())


def test_whatever_is_read_can_be_written_and_read_again():
    for layout in LAYOUTS:
        text = layout_to_json(layout)
        assert layout_to_json(layout_from_json(text)) == text, "the order of keys is stable"
