"""What a follower says is new: each change once, also where one comes later than its number says."""

from __future__ import annotations

from dataclasses import dataclass, field
from uuid import UUID

import pytest

from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.library.follow import Follower
from zesty_abacus.core.library.shelf import Head
from zesty_abacus.core.library.store import Marks


@dataclass
class Changes:
    """Stands in for a library: changes of layouts by number, and the layouts that are still there."""

    by_number: dict[int, UUID] = field(default_factory=dict)
    gone: set[UUID] = field(default_factory=set)
    asked: list[int] = field(default_factory=list)

    @property
    def layouts(self):
        return self

    def marks(self):
        return Marks(max(self.by_number, default=0), 0, 0, 0, 0, 0)

    def changes_since(self, number):
        self.asked.append(number)
        return sorted((one, key) for one, key in self.by_number.items() if one > number)

    def heads_of(self, keys):
        states = (new_layout(str(key), Applies(), 1) for key in keys if key not in self.gone)
        return [Head(_with_id(state), None) for state in states]


def _with_id(state):
    import msgspec

    return msgspec.structs.replace(state, id=UUID(state.name))


def key(number):
    return UUID(int=number)


def news(follower):
    seen = follower.look()
    return sorted(head.state.id.int for head in seen.heads), {one.int: number for one, number in seen.removed.items()}


def test_each_change_is_said_once():
    library = Changes({1: key(1), 2: key(2)})
    follower = Follower(library, 0)
    assert news(follower) == ([1, 2], {})
    assert news(follower) == ([], {})
    library.by_number[3] = key(1)
    assert news(follower) == ([1], {}) and news(follower) == ([], {})


def test_what_was_begun_earlier_and_kept_later_is_said_too():
    library = Changes({10: key(1)})
    follower = Follower(library, 10)
    assert news(follower) == ([1], {}), "a little before what is known is seen once more"
    library.by_number[7] = key(2)
    assert news(follower) == ([2], {}) and news(follower) == ([], {})


@pytest.mark.parametrize(("back", "is_said"), [(500, False), (499, True)])
def test_five_hundred_numbers_are_looked_at_again(back, is_said):
    library = Changes({2000: key(1)})
    follower = Follower(library, 2000)
    news(follower)
    library.by_number[2000 - back] = key(2)
    assert news(follower) == ([2] if is_said else [], {})
    assert library.asked == [1500, 1500]


def test_nothing_is_said_again_though_thousands_were_seen():
    library = Changes({number: key(number) for number in range(1, 2001)})
    follower = Follower(library, 0)
    assert len(news(follower)[0]) == 2000 and news(follower) == ([], {})
    library.by_number[2001] = key(7)
    assert news(follower) == ([7], {}) and news(follower) == ([], {})


def test_what_is_gone_is_said_with_the_change_that_took_it_away():
    library = Changes({4: key(1), 5: key(2)}, gone={key(2)})
    assert news(Follower(library, 0)) == ([1], {2: 5})


def test_a_library_that_begins_anew_is_followed_from_its_beginning():
    library = Changes({3: key(1)})
    assert news(Follower(library, 9000)) == ([1], {}) and library.asked == [0]
