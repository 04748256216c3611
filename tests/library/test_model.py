"""The library against a model of it: a dictionary of lists. Hypothesis makes up what users do."""

import shutil
import tempfile
from pathlib import Path

import msgspec
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, consumes, initialize, invariant, rule

from tests.strategies import layouts, words
from zesty_abacus.core.library.errors import StaleParentError
from zesty_abacus.core.library.store import Library


class LibraryMachine(RuleBasedStateMachine):
    """Commits, removes, restores and reopens in any order; every state must be there as it was."""

    known = Bundle("known")

    def __init__(self):
        super().__init__()
        self.folder = Path(tempfile.mkdtemp(prefix="library-model-"))
        self.states = {}
        self.revisions = {}

    @initialize()
    def create(self):
        self.library = Library.create(self.folder / "library.sqlite")

    @rule(target=known, layout=layouts(max_size=8), author=words)
    def begin(self, layout, author):
        revision = self.library.layouts.commit(layout, parent=None, author=author)
        self.states[layout.id] = [(revision, layout)]
        self.revisions[revision.id] = layout
        return layout.id

    @rule(layout_id=known, name=words, reason=words)
    def change(self, layout_id, name, reason):
        head, layout = self.states[layout_id][-1]
        if layout is None:
            return
        changed = msgspec.structs.replace(layout, name=name)
        revision = self.library.layouts.commit(changed, parent=head.id, author="a", reason=reason)
        assert revision.reason == reason and revision.parent_id == head.id
        self.states[layout_id].append((revision, changed))
        self.revisions[revision.id] = changed

    @rule(layout_id=known)
    def remove(self, layout_id):
        head, layout = self.states[layout_id][-1]
        if layout is not None:
            revision = self.library.layouts.remove(layout_id, parent=head.id, author="b")
            self.states[layout_id].append((revision, None))

    @rule(layout_id=known, back=st.integers(0, 5))
    def restore(self, layout_id, back):
        states = self.states[layout_id]
        earlier = [layout for _, layout in states if layout is not None][: back + 1][-1]
        revision = self.library.layouts.commit(earlier, parent=states[-1][0].id, author="c")
        states.append((revision, earlier))
        self.revisions[revision.id] = earlier

    @rule(layout_id=known)
    def refuse_the_second_of_two(self, layout_id):
        states = self.states[layout_id]
        if len(states) < 2 or states[-1][1] is None:
            return
        with pytest.raises(StaleParentError):
            self.library.layouts.commit(states[-1][1], parent=states[-2][0].id, author="late")

    @rule(layout_id=consumes(known))
    def forget(self, layout_id):
        """Leave a layout as it is from now on."""

    @rule()
    def reopen(self):
        self.library.close()
        self.library = Library.open(self.folder / "library.sqlite")

    @invariant()
    def heads_are_the_newest_states(self):
        if not hasattr(self, "library"):
            return
        wanted = {key: states[-1][1] for key, states in self.states.items() if states[-1][1] is not None}
        assert {layout.id: layout for layout in self.library.layouts.states()} == wanted

    @invariant()
    def histories_are_whole_lines(self):
        for layout_id, states in self.states.items():
            history = self.library.layouts.history(layout_id)[::-1]
            assert [item.id for item in history] == [revision.id for revision, _ in states]
            assert [item.number for item in history] == list(range(1, len(states) + 1))
            assert [item.parent_id for item in history] == [None, *(item.id for item in history[:-1])]

    @invariant()
    def any_state_can_be_read(self):
        for revision_id, layout in list(self.revisions.items())[-5:]:
            assert self.library.layouts.state_at(revision_id) == layout

    @invariant()
    def search_finds_heads_by_name_only_while_they_are_there(self):
        for states in list(self.states.values())[-2:]:
            layout = states[-1][1]
            last = next(item for _, item in states[::-1] if item is not None)
            found = {hit.layout_id for hit in self.library.layouts.search(last.name, limit=1000)}
            assert (last.id in found) or (layout is None) or not last.name.strip()
            if layout is None:
                assert last.id not in found

    def teardown(self):
        if hasattr(self, "library"):
            self.library.close()
        shutil.rmtree(self.folder)


LibraryMachine.TestCase.settings = settings(max_examples=15, stateful_step_count=15, deadline=None)
TestLibraryModel = LibraryMachine.TestCase
