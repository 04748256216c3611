"""One hostile row breaks the library for nobody: it is refused where it can be, and read past where it is there."""

from uuid import uuid4

import pytest
import sqlalchemy as sa

from tests.library.test_chain import rewrite
from tests.library.test_store import pod
from zesty_abacus.core.library.documents import Comment
from zesty_abacus.core.library.follow import Follower
from zesty_abacus.core.library.proposals import Rules

FAR = 2**63 - 1
ROWS = {
    "a layout id that is none": (
        "INSERT INTO revision (id, layout_id, number, author, time_us, reason, document) "
        "VALUES (900, 'no uuid', 1, 'x', 1, 'x', '{{}}')",
        "INSERT INTO head (layout_id, revision_id, name, folded_name, protocol, address, extended, lanes) "
        "VALUES ('no uuid', 900, 'evil', 'evil', 'can', 1, false, '')",
    ),
    "a document that is no layout": (
        "INSERT INTO revision (id, layout_id, number, author, time_us, reason, document) "
        "VALUES (901, '{uuid}', 1, 'x', 1, 'x', '[1')",
        "INSERT INTO head (layout_id, revision_id, name, folded_name, protocol, address, extended, lanes) "
        "VALUES ('{uuid}', 901, 'evil', 'evil', 'can', 1, false, '')",
    ),
    "a time beyond any calendar": (
        f"UPDATE revision SET time_us = {FAR} WHERE id = 1", f"UPDATE release SET time_us = {FAR}",
        f"UPDATE proposal_event SET time_us = {FAR}", f"UPDATE document_revision SET time_us = {FAR}",
    ),
    "an event without its proposal": (
        "INSERT INTO proposal_event (id, proposal_id, layout_id, kind, author, login, time_us, text) "
        "VALUES (900, '{uuid}', '{uuid}', 'agreed', 'x', 'x', 1, '')",
    ),
    "an event that is none": (
        "INSERT INTO proposal_event (id, proposal_id, layout_id, kind, author, login, time_us, text) "
        "VALUES (901, '{uuid}', '{uuid}', 'proposed', 'x', 'x', 1, ''), "
        "(902, '{uuid}', '{uuid}', 'blessed', 'x', 'x', 1, '')",
    ),
    "a proposal of no layout": (
        "INSERT INTO proposal_event (id, proposal_id, layout_id, kind, author, login, time_us, text, document) "
        "VALUES (903, 'no uuid', 'nor this', 'proposed', 'x', 'x', 1, '', '{{}}')",
    ),
    "a window that is none": (
        'INSERT INTO presence ("window", author, login, layout_id, seen_us) '
        f"VALUES ('no uuid', 'x', 'x', 'y', {FAR})",
    ),
    "a comment that is none": (
        "INSERT INTO document_revision (id, document_id, kind, number, author, login, time_us, reason, document) "
        "VALUES (900, 'no uuid', 'comment', 1, 'x', 'x', 1, 'x', '{{}}')",
        "INSERT INTO document_head (document_id, kind, revision_id, name, folded_text) "
        "VALUES ('no uuid', 'comment', 900, 'x', 'x')",
    ),
    "a number at the end of all": ("UPDATE revision SET number = 2147483647 WHERE id = 2",),
    "rules that are none": (
        "INSERT INTO rule (id, needed, agreed_by, author, login, time_us) VALUES (900, 1, '{{', 'x', 'x', 1)",
    ),
    "a draft that is none": (
        "INSERT INTO draft (layout_id, login, reason, time_us, document) VALUES ('{uuid}', '{login}', 'x', 1, '[')",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", list(ROWS))
def test_everybody_reads_on(library, name):
    layouts = [pod(f"m{n}", n) for n in range(3)]
    for layout in layouts:
        library.layouts.commit(layout, parent=None, author="mara")
    library.releases.make("run 1", author="ada")
    comment = Comment(uuid4(), layouts[0].id, "as measured")
    library.comments.commit(comment, parent=None, author="jo")
    login = "keeper" if library.address.url is not None else "mara"
    for constraint in ("revision_has_an_identity", "proposal_event_has_an_identity", "presence_is_a_window",
                       "document_revision_has_an_identity", "revision_has_a_time", "release_has_a_time",
                       "proposal_event_has_a_time", "document_revision_has_a_time"):  # fmt: skip
        if library.address.url is not None:
            # as rows that were there before the constraints
            table = constraint.partition("_has_")[0].partition("_is_")[0]
            rewrite(library, f"ALTER TABLE {table} DROP CONSTRAINT {constraint}")
    for statement in ROWS[name]:
        rewrite(library, statement.format(uuid=uuid4(), login=login))
    assert {layout.id for layout in layouts} <= {head.state.id for head in library.layouts.heads()}
    assert {layout.name for layout in layouts} <= {found.name for found in library.layouts.find()}
    assert library.layouts.search("m1")[0].name == "m1" and library.layouts.search("evil") is not None
    assert {words for _, words in library.layouts.log()} >= {"m0", "m1", "m2"}
    assert [one.name for one in library.releases.all()] == ["run 1"] and len(library.layouts.of_release("run 1")) == 3
    assert comment in [head.state for head in library.comments.heads()]
    for read in (library.proposals.all, library.proposals.open, library.recipes.heads, library.moments.heads):
        read()
    library.presence.others(uuid4())
    library.drafts.of(login)
    library.layouts.history(layouts[1].id)
    Follower(library, 0).look()
    assert isinstance(library.proposals.rules(), Rules)
    fresh = pod("later", 9)
    if name != "rules that are none":
        library.layouts.commit(fresh, parent=None, author="mara")
        assert library.layouts.head_of(fresh.id).state == fresh


@pytest.mark.parametrize("name", ["a layout id that is none", "an event without its proposal", "a window that is none",
                                  "a time beyond any calendar", "a comment that is none"])  # fmt: skip
def test_what_can_be_refused_is_refused_by_a_server(library, name):
    """With all its guards on, also to the owner."""
    if library.address.url is None:
        pytest.skip("a file's columns take any text")
    library.layouts.commit(pod(), parent=None, author="mara")
    library.releases.make("run 1", author="ada")
    with pytest.raises(sa.exc.DBAPIError), library.engine.begin() as connection:
        connection.execute(sa.text(ROWS[name][0].format(uuid=uuid4(), login="x")))
