"""What is found by a few letters is what a look at every line finds, in the same order."""

from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.desk.around.findable import Findable, Finding, search

WORDS = st.sampled_from(["oil", "oil heat", "Hook", "hook state", "speed", "0x1A0", "Pod", "rpm", ""])
LINES = st.lists(st.tuples(WORDS, WORDS, WORDS), min_size=1, max_size=4)

ASKED = st.lists(st.sampled_from(["oil", "o", "hook", "h", "sp", "0x1", "pod", "sort1", "zz"]), max_size=2)


def findable(lines):
    made = [Finding(f"sort{n}", name, beside, lambda: None, more) for n, (name, beside, more) in enumerate(lines)]
    return Findable((one.name for one in made), " ".join(one.letters for one in made), lambda: made), made


@given(st.lists(LINES, max_size=8), ASKED, st.integers(1, 9))
def test_groups_are_searched_as_their_lines(groups, words, most):
    """By the plain rule: all words are in a line; first those whose name begins with the first word, in their order."""
    made = [findable(lines) for lines in groups]
    every = [line for _, lines in made for line in lines]
    fit = [line for line in every if all(word in line.letters for word in words)]
    if words:
        fit.sort(key=lambda line: not line.name.lower().startswith(words[0]))
    assert search([one for one, _ in made], " ".join(words), most) == fit[:most]


def test_lines_are_made_of_what_is_listed_alone():
    made = []

    def group(name):
        lines = [Finding("message", name, "", lambda: None), Finding("field", f"{name}.oil heat", "°C", lambda: None)]
        return Findable([name], f"message {name} field {name}.oil heat °c".lower(), lambda: made.append(name) or lines)

    known = [group(f"Pump {number}") for number in range(500)]
    assert [line.name for line in search(known, "pump 477", 5)] == ["Pump 477", "Pump 477.oil heat"]
    assert made == ["Pump 477"]
    search(known, "oil", 14)
    assert len(made) <= 15
