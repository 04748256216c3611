"""What the guide names is there: each key does something, each word of the interface is one."""

from __future__ import annotations

import ast
import re
from pathlib import Path

from PyQt6.QtWidgets import QWidget

ROOT = Path(__file__).parents[2]
GUIDE = (ROOT / "docs" / "guide.md").read_text()
KEY = r"(?:(?:Ctrl|Shift|Alt) )*(?:[A-Z0-9,.\[\]+-]|F1|Return|Space|Del|Left|Right|Up|Down|Escape|Tab)"
OF_LISTS = {"Return", "Tab", "Escape", "Space", "Left", "Right", "Up", "Down"}
"""What every list and entry takes without a command."""
OF_NOBODY = {"pulses of one, two and three times 166.6 µs", "1 proposed"}
"""Words with figures of the demo in them."""


def words_of_the_program() -> str:
    """Return all texts that stand in the program, in small letters."""
    said = []
    for path in (ROOT / "zesty_abacus").rglob("*.py"):
        tree = ast.parse(path.read_text())
        said += [
            node.value for node in ast.walk(tree) if isinstance(node, ast.Constant) and isinstance(node.value, str)
        ]
    return "\n".join(said).lower()


def in_backticks() -> set[str]:
    return {text for text in re.findall(r"`([^`\n]+)`", GUIDE) if re.fullmatch(KEY, text)}


def in_italics() -> set[str]:
    return set(re.findall(r"(?<!\*)\*([^*\n]+)\*(?!\*)", GUIDE)) - OF_NOBODY


def test_each_key_of_the_guide_does_something(pilot):
    known = {command.shortcut for command in pilot.window.commands if command.shortcut}
    named = {text.replace(" ", "+") for text in in_backticks()}
    assert len(named) > 40 and named - known - OF_LISTS == set()


def test_each_word_of_the_interface_that_the_guide_names_is_one():
    said = words_of_the_program()
    keys = {"ctrl", "shift", "enter", "return", "space", "shift space"}
    named = {word.lower() for word in in_italics()} - keys
    assert len(named) > 80
    # readings are put together: the kind, the order of its bytes
    assert {word for word in named if not all(part in said for part in word.split(", "))} == set()


def test_each_key_that_a_tip_names_does_something(pilot):
    """On all desks as they are with the demo open: every part that says which key does the same."""
    assert all(pilot.window.desks.values())
    known = {command.shortcut.replace("+", " ") for command in pilot.window.commands if command.shortcut}
    named = {}
    for part in pilot.window.findChildren(QWidget):
        for keys in re.findall(r"\(([^()]+)\)", part.toolTip()):
            named |= {key: part.toolTip() for key in keys.split(", ") if re.fullmatch(KEY, key)}
    # a row of a rehearsal moves by these, which the tests of the desk press
    own = {"Ctrl Up", "Ctrl Down"}
    assert len(named) > 25
    assert {key: tip for key, tip in named.items() if key not in known | own | OF_LISTS} == {}
