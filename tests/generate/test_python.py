"""Python from layouts: arrays of payloads at once, equal to the codec."""

from __future__ import annotations

import importlib.util
import os
import random
import subprocess
import sys

import numpy as np
import pytest

from tests.generate.any_layouts import Maker
from tests.generate.compiled import made_of
from tests.generate.test_c import tug_layout
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.folder import write_folder
from zesty_abacus.core.generate.numpy_module import files
from zesty_abacus.core.generate.vectors import made_whole, vector_of

SEED = int(os.environ.get("LAYOUT_SEED", random.SystemRandom().getrandbits(32)))
COUNT = int(os.environ.get("LAYOUT_COUNT", "30"))


def loaded(folder, made):
    """Return the generated module."""
    write_folder(folder, made, replace=True)
    name = made.manifest.sources[0].removesuffix(".py")
    spec = importlib.util.spec_from_file_location(f"{name}_{SEED}", folder / f"{name}.py")
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


@pytest.mark.parametrize("seed", [2, SEED], ids=["fixed", "fresh"])
def test_any_layout_is_read_and_written_as_the_codec_does(tmp_path, seed):
    layouts = list(Maker(seed).layouts(COUNT))
    made = made_of(layouts, "python")
    module = loaded(tmp_path, made)
    messages, _ = carry(layouts, files.FORMS, {})
    said = {one.message: one for one in made.manifest.messages}
    results = {getattr(module, constant): word for word, constant in made.manifest.results.items()}
    compared = 0
    for message in (one for one in messages if one.layout.name in said):
        one = said[message.layout.name]
        noise = [random.Random(f"{seed} {number}").randbytes(message.size_of_all) for number in range(12)]
        payloads = noise + [frame for frame in (made_whole(message, some) for some in noise) if frame]
        payloads = [payload for payload in payloads if len(payload) == message.size_of_all]
        vectors = [vector_of(message, payload) for payload in payloads]
        matrix = np.frombuffer(b"".join(payloads), np.uint8).reshape(len(payloads), -1)
        result, struct = getattr(module, one.unpack)(matrix)
        assert [results[number] for number in result.tolist()] == [vector.result for vector in vectors], f"seed {seed}"
        for field in one.fields:
            expected = [vector.told.fields[field.raw.removesuffix("_raw")] for vector in vectors]
            there = np.array([this.is_there for this in expected])
            if field.present:
                assert np.array_equal(getattr(module, field.present)(struct), there), f"seed {seed}"
            raws = getattr(struct, field.raw)
            assert len(raws) == len(vectors)
            if field.value is None:
                assert all(bytes(raw) == this.raw for raw, this in zip(raws, expected, strict=True) if this.is_there)
                continue
            assert all(
                int(raw) == this.raw for raw, this in zip(raws, expected, strict=True) if this.raw is not None
            ), f"seed {seed}: {message.layout.name} {field.field}"
            values = getattr(module, field.value)(struct)
            wanted = np.array([this.value for this in expected])
            assert np.array_equal(values[there], wanted[there], equal_nan=True), f"seed {seed}: {message.layout.name}"
            compared += len(vectors)
    assert compared > 20 * COUNT


def test_the_tests_that_are_handed_over_pass(tmp_path):
    made = made_of(list(Maker(SEED).layouts(12)), "python")
    write_folder(tmp_path, made)
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:xdist", "-p", "no:cacheprovider", "-c", os.devnull,
         "test_any.py"], cwd=tmp_path, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0 and f"{len(made.manifest.messages)} passed" in done.stdout, (
        f"seed {SEED}: {done.stdout[-2000:]}"
    )


def test_what_is_handed_over_asks_whether_fields_are_there_unless_the_payload_ends():
    """Of the tug's message one of four fields stands under a selector; every payload asks for it but the short one."""
    made = made_of([tug_layout()], "python", prefix="tug")
    tests = made.files["test_tug.py"].split("result, found = ")[1:]
    short = [one for one in tests if "made.TOO_SHORT" in one]
    assert short and all("has_pull" not in one for one in short)
    asked = [one.count("assert made.motion_has_pull(found) is ") for one in tests if one not in short]
    assert asked and set(asked) == {1}


def test_one_payload_gives_plain_numbers(tmp_path):
    module = loaded(tmp_path, made_of([tug_layout()], "python", prefix="tug"))
    result, motion = module.motion_unpack(bytes.fromhex("135AFF21"))
    assert result == module.OK and type(motion.water_speed_raw) is int and motion.water_speed_raw == -166
    assert module.motion_water_speed(motion) == -1.66 and module.motion_has_pull(motion) is True
    assert module.MOTION_PAGE_NAMES == {1: "ahead", 2: "astern"}
    motion.water_speed_raw = 256
    assert module.motion_pack(bytes.fromhex("FFFFFFFF"), motion) == bytes.fromhex("13000121")
    assert module.motion_pack(np.zeros((2, 4), np.uint8), motion).tolist() == [[0x13, 0, 1, 0x21]] * 2
    motion.turns_raw = 16
    with pytest.raises(ValueError, match="turns does not fit"):
        module.motion_pack(bytes(4), motion)
    with pytest.raises(ValueError, match="too short for water speed"):
        module.motion_pack(bytes(2), motion)
    with pytest.raises(ValueError, match="payloads are bytes"):
        module.motion_unpack([1, 2, 3])


def test_it_needs_numpy_and_nothing_else(tmp_path):
    module = made_of([tug_layout()], "python", prefix="tug").files["tug.py"]
    imported = {line.split()[1].split(".")[0] for line in module.splitlines() if line.startswith(("import ", "from "))}
    assert imported == {"__future__", "collections", "dataclasses", "typing", "numpy"}
