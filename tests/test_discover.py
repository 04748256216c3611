"""Parts that other packages add, named by entry points, as the page about adding to it shows them."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

PAGE = Path(__file__).parents[1] / "docs" / "extending.md"
LOOK = """
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.protocols.registry import protocol_named, protocols
print(protocols()["winch-bus"].title, "|", protocol_named("winch-bus").kind_text(KindKey(0, 0x35, 0)))
"""


def package(folder, name, module, text, group, value):
    """Write a package with an entry point, as it lies where packages are installed."""
    (folder / name).mkdir()
    (folder / name / "__init__.py").write_text("")
    (folder / name / f"{module}.py").write_text(text)
    info = folder / f"{name}-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n")
    (info / "entry_points.txt").write_text(f"[{group}]\nwinch-bus = {value}\n")


def run(folder, code):
    """Run a few lines with the packages of a folder installed."""
    code = f"import sys; sys.path.insert(0, {str(folder)!r})\n{code}"
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)


def example():
    """Return the complete protocol on the page, and the group and the value of its entry point."""
    page = PAGE.read_text()
    text = re.search(r"```python\n(\"\"\"The winch bus.*?)```", page, re.S)[1]
    group, value = re.search(r'\[project\.entry-points\."(.+?)"\]\nwinch-bus = "(.+?)"', page).groups()
    return text, group, value


def test_the_protocol_on_the_page_takes_part_as_a_package_of_its_own(tmp_path):
    text, group, value = example()
    package(tmp_path, *value.split("."), text, group, value)
    done = run(tmp_path, LOOK)
    assert done.stdout.strip() == "winch bus | drum 3 order 5", done.stderr


def test_a_part_that_cannot_be_loaded_is_told_with_its_package(tmp_path):
    _, group, value = example()
    package(tmp_path, *value.split("."), "import something_that_is_not_there\n", group, value)
    done = run(tmp_path, LOOK)
    assert "the part winch-bus that winch_bus adds cannot be loaded" in done.stderr
    assert "Mend or remove that package." in done.stderr


def test_an_entry_that_names_no_module_is_told(tmp_path):
    text, group, _ = example()
    package(tmp_path, "winch_bus", "protocol", text, group, "winch_bus.protocol:PROTOCOL")
    assert "is no module" in run(tmp_path, LOOK).stderr


def test_the_export_on_the_page_takes_part_as_a_package_of_its_own(tmp_path):
    text = re.search(r"```python\n(\"\"\"Tables as tab.*?)```", PAGE.read_text(), re.S)[1]
    package(tmp_path, "tabbed", "form", text, "zesty_abacus.forms", "tabbed.form")
    done = run(
        tmp_path,
        """
import io
import pyarrow as pa
from zesty_abacus.core.handover.writers import WRITERS, write_tables
stream = io.BytesIO()
table = pa.table({"a": [1], "b": ["x"]})
write_tables(stream, "tsv", table.schema, [table])
print(sorted(WRITERS), stream.getvalue())
""",
    )
    assert "'tsv'" in done.stdout and "\\t" in done.stdout, done.stderr


def test_the_function_check_and_part_on_the_page_work_as_packages_of_their_own(tmp_path):
    page = PAGE.read_text()
    for begins, name, group in (
        ("The length of a vector", "vectors", "operations"),
        ("A bit that makes", "parity_check", "checks"),
        ("Bytes that are passed over", "gaps", "parts"),
    ):
        text = re.search(rf"```python\n(\"\"\"{begins}.*?)```", page, re.S)[1]
        package(tmp_path, name, "module", text, f"zesty_abacus.{group}", f"{name}.module")
    done = run(
        tmp_path,
        """
import numpy as np
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.attributes import attribute_text, attributes_of, with_attribute
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import *
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.templates import TEMPLATES
from zesty_abacus.core.layouts.validate import check_layout
fields = [new_field("x", at("B0")), new_field("y", at("B1")), new_field("parity", at("B2[0]"), FieldKind.FLAG)]
layout = new_layout("winch", Applies(protocol="can", address=1), 3, fields)
for name in ("Parity of the bytes before", "Gap", "Text columns"):
    layout = next(one for one in TEMPLATES if one.name == name).add(layout)
text = layout.parts[1].columns[0]
gap = with_attribute(layout.parts[0], "amount", "x - 1", layout)
value = Computed(id=gap.id.__class__(int=7), name="length", expression=Expression("hypot(x, y)"))
layout = layout.with_item(gap).with_item(value)
crc = with_attribute(layout.checks[0], "coverage.end", "2", layout)
layout = layout.with_item(crc)
assert check_layout(layout) == [], check_layout(layout)
assert layout_from_json(layout_to_json(layout)) == layout
frame = encode_message(layout, {"x": 3, "y": 4, text.name: 12}).payload
assert frame == bytes([3, 4, 1, 0, 0]) + b"12,", frame
matrix = np.zeros((2, 16), np.uint8)
matrix[0, : len(frame)] = list(frame)
matrix[1] = matrix[0]
matrix[1, 0] ^= 1
decoded = decode(compile_layout(layout), matrix, np.full(2, len(frame), np.uint32))
print(decoded[value.id].value[0], decoded[text.id].value[0], [c.state.tolist() for c in decoded.checks.values()])
print([one.words for one in attributes_of(gap)], layout.parts[0].words(), layout.checks[0].words())
""",
    )
    assert done.stdout.splitlines() == [
        "5.0 12 [[0, 1]]",
        "['name', 'present when', 'starts at', 'aligned to', 'bytes', 'note'] gap parity",
    ], done.stderr
