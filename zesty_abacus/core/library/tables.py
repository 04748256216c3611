"""The tables of the library, the newest shape; migrations lead there from any earlier one."""

from __future__ import annotations

import sqlalchemy as sa

metadata = sa.MetaData()

library_info = sa.Table(
    "library_info",
    metadata,
    sa.Column("key", sa.String(64), primary_key=True),
    sa.Column("value", sa.Text, nullable=False),
)
"""Facts about the library as a whole: ``id`` and ``name``."""

revision = sa.Table(
    "revision",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("layout_id", sa.String(36), nullable=False),
    sa.Column("number", sa.Integer, nullable=False),
    sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("document", sa.Text, nullable=True),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.Column("proposal_id", sa.String(36), nullable=True),
    # history is a line: two changes from one parent collide here, whoever comes second is refused
    sa.UniqueConstraint("layout_id", "number", name="one_child_a_revision"),
)
"""Every state of every layout; ``document`` is its JSON form, NULL where the layout was removed.

``login`` is who the server knew the writer as, whatever name they go by; empty in a file. ``proposal_id`` is the
proposal that was agreed, where the change was one.
"""

head = sa.Table(
    "head",
    metadata,
    sa.Column("layout_id", sa.String(36), primary_key=True),
    sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("folded_name", sa.Text, nullable=False),
    sa.Column("protocol", sa.String(16), nullable=False),
    sa.Column("address", sa.BigInteger, nullable=False),
    sa.Column("extended", sa.Boolean, nullable=False),
    sa.Column("lanes", sa.Text, nullable=False, server_default=""),
    sa.Index("head_by_address", "address"),
    sa.Index("head_by_name", "folded_name"),
)
"""The newest state of each layout that is not removed, with what it is searched by.

``lanes`` are those it names, a line each. Folded texts are without upper and lower case by Python's rules, since
databases differ on letters beyond ASCII.
"""

head_field = sa.Table(
    "head_field",
    metadata,
    sa.Column("layout_id", sa.String(36), sa.ForeignKey("head.layout_id", ondelete="CASCADE"), primary_key=True),
    sa.Column("field_id", sa.String(36), primary_key=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("unit", sa.Text, nullable=False),
    sa.Column("folded_name", sa.Text, nullable=False),
    sa.Column("folded_unit", sa.Text, nullable=False),
    sa.Index("head_field_by_name", "folded_name"),
    sa.Index("head_field_by_unit", "folded_unit"),
)
"""The fields of each head, with what they are searched by."""

recipe_revision = sa.Table(
    "recipe_revision",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("recipe_id", sa.String(36), nullable=False),
    sa.Column("number", sa.Integer, nullable=False),
    sa.Column("parent_id", sa.Integer, sa.ForeignKey("recipe_revision.id"), nullable=True),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("document", sa.Text, nullable=True),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.UniqueConstraint("recipe_id", "number", name="one_child_a_recipe_revision"),
)
"""Every state of every recipe, kept as the states of layouts are."""

recipe_head = sa.Table(
    "recipe_head",
    metadata,
    sa.Column("recipe_id", sa.String(36), primary_key=True),
    sa.Column("revision_id", sa.Integer, sa.ForeignKey("recipe_revision.id"), nullable=False),
    sa.Column("name", sa.Text, nullable=False),
)
"""The newest state of each recipe that is not removed."""

release = sa.Table(
    "release",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("name", sa.Text, nullable=False, unique=True),
    sa.Column("notes", sa.Text, nullable=False),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
)
"""Named sets of states that never change."""

release_item = sa.Table(
    "release_item",
    metadata,
    sa.Column("release_id", sa.Integer, sa.ForeignKey("release.id"), primary_key=True),
    sa.Column("layout_id", sa.String(36), primary_key=True),
    sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
)
"""The state of each layout that a release holds."""

rule = sa.Table(
    "rule",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("needed", sa.Integer, nullable=False),
    sa.Column("agreed_by", sa.Text, nullable=False),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.Column("time_us", sa.BigInteger, nullable=False),
)
"""How many others must agree to a change, and who may: JSON, a list of names. The newest row holds."""

proposal_event = sa.Table(
    "proposal_event",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("proposal_id", sa.String(36), nullable=False),
    sa.Column("layout_id", sa.String(36), nullable=False),
    sa.Column("kind", sa.String(16), nullable=False),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("text", sa.Text, nullable=False),
    sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
    sa.Column("document", sa.Text, nullable=True),
    sa.Column("agreed_to", sa.Integer, nullable=True),
    sa.Index("proposal_event_by_proposal", "proposal_id"),
    sa.Index("proposal_event_by_layout", "layout_id"),
)
"""All that happened to proposals; what was proposed, and from which revision, stands where ``kind`` is proposed.

``agreed_to`` is the event that proposed what somebody agreed to.
"""

draft = sa.Table(
    "draft",
    metadata,
    sa.Column("layout_id", sa.String(36), primary_key=True),
    sa.Column("login", sa.Text, primary_key=True),
    sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("document", sa.Text, nullable=False),
)
"""What somebody works on and nobody else sees; on a server a row policy says so."""

document_revision = sa.Table(
    "document_revision",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("document_id", sa.String(36), nullable=False),
    sa.Column("kind", sa.String(16), nullable=False),
    sa.Column("number", sa.Integer, nullable=False),
    sa.Column("parent_id", sa.Integer, sa.ForeignKey("document_revision.id"), nullable=True),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.Column("time_us", sa.BigInteger, nullable=False),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("document", sa.Text, nullable=True),
    sa.UniqueConstraint("document_id", "number", name="one_child_a_document_revision"),
)
"""Every state of every comment, claim, catalogue of moments and record of a recording."""

document_head = sa.Table(
    "document_head",
    metadata,
    sa.Column("document_id", sa.String(36), primary_key=True),
    sa.Column("kind", sa.String(16), nullable=False),
    sa.Column("revision_id", sa.Integer, sa.ForeignKey("document_revision.id"), nullable=False),
    sa.Column("about", sa.String(36), nullable=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("folded_text", sa.Text, nullable=False),
    sa.Index("document_head_by_kind", "kind"),
    sa.Index("document_head_by_about", "about"),
)
"""The newest state of each that is not removed, with what it is about and searched by."""

presence = sa.Table(
    "presence",
    metadata,
    sa.Column("window", sa.String(36), primary_key=True),
    sa.Column("author", sa.Text, nullable=False),
    sa.Column("login", sa.Text, nullable=False, server_default=""),
    sa.Column("layout_id", sa.String(36), nullable=True),
    sa.Column("seen_us", sa.BigInteger, nullable=False),
)
"""Open windows and the layout each has in hand; one that was not seen for a while is gone."""

met = sa.Table(
    "met",
    metadata,
    sa.Column("home_id", sa.String(36), primary_key=True),
    sa.Column("item_id", sa.String(36), primary_key=True),
    sa.Column("own_revision", sa.Integer, nullable=False),
    sa.Column("home_revision", sa.Integer, nullable=False),
)
"""Of a working copy: the revisions, here and in the library it was taken from, that held the same state.

An item is a layout, a recipe or a document; its revisions are numbers in the table of its sort.
"""
