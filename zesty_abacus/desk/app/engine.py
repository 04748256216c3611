"""The names of core that show and change a trial, and what opens one; reached as ``engine`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.codec import wording
from ...core.codec.columns import CheckState, Decoded, FieldColumn, Validity
from ...core.codec.kinds import decode_frames
from ...core.codec.moving import bit_owners
from ...core.codec.plan import Plan, compile_layout
from ...core.errors import AbacusError
from ...core.files.scratch import ScratchFolder
from ...core.files.writing import Target
from ...core.frames.activity import KindActivity, capture_activity
from ...core.frames.decimate import Curve
from ...core.frames.density import GrowingDensity, lane_density
from ...core.frames.flags import CUT_SHORT, ERROR, REMOTE, TELLS_KINDS_APART, WRONG
from ...core.frames.kind_key import KindKey
from ...core.frames.stretches import stretches_of
from ...core.handover.chunks import Span
from ...core.handover.clock_table import Between
from ...core.handover.decoded_table import Shape, Shaped
from ...core.handover.export import Export, Exported
from ...core.handover.times import TimeForm
from ...core.layouts.address_spans import span_text, with_span
from ...core.layouts.applies import BY_HAND
from ...core.layouts.attributes import Attribute, attribute_text, attributes_of, with_attribute
from ...core.layouts.changes import describe_change
from ...core.layouts.clashes import Clash, apart_by_layout, clashes
from ...core.layouts.curves import format_table, parse_polynomial, parse_table
from ...core.layouts.escapes import escaped_text, read_escapes
from ...core.layouts.model import (
    Applies,
    Field,
    FieldKind,
    Group,
    Layout,
    Run,
    Selected,
    new_field,
    new_layout,
)
from ...core.layouts.names import names_text, parse_names
from ...core.layouts.numbers import format_exact, parse_exact
from ...core.layouts.places import bit_name, parse_places, places_of
from ...core.layouts.raw_sets import parse_raw_set
from ...core.layouts.registers import PastEnd, RegisterMap
from ...core.layouts.reshape import of_kind, read_by
from ...core.layouts.symbols import Symbol, SymbolCode, parse_symbols, shortest_code, symbols_text
from ...core.layouts.templates import (
    FAMILIES_INSIDE,
    TEMPLATES,
    NothingToDoError,
    free_name,
    with_field_behind,
    with_one_more_inside,
    with_template_inside,
)
from ...core.layouts.validate import check_layout
from ...core.layouts.windows import begun_in, from_window
from ...core.library.author import default_author
from ...core.library.errors import MissingLibraryError
from ...core.library.history import Revision
from ...core.library.known_servers import StrangeServerError
from ...core.library.layout_shelf import LayoutHead
from ...core.library.store import Library
from ...core.origin import Origin
from ...core.protocols.registry import protocol_named
from ...core.protocols.said_as_text import is_text, kind_is_text
from ...core.protocols.spaces import Space
from ...core.reading.all_frames import field_column
from ...core.reading.explained import Explained, KindExplained, explain, percent
from ...core.reading.explained import whole as whole_bits
from ...core.reading.fresh import kind_with_registers, layout_to_begin, name_to_begin
from ...core.reading.kept import keep_explained, kept_explained
from ...core.reading.kind_data import KindData, field_curve, grown_curve, grown_kind, joined_curve, load_kind
from ...core.reading.meaning import Meaning
from ...core.reading.owners import owned_bits, owners_in_frame
from ...core.reading.readers import Reader
from ...core.reading.ties import Tie
from ...core.reading.trying import Tried, TriedField, try_layout
from ...core.trial.growing import GrowingCapture
from ...core.trial.intake import SourceOutcome, recorded_state
from ...core.trial.merging import merge_trials
from ...core.trial.trial import Moment, Trial, TrialFile
from ...core.unravel.code_tables import bits_of_text
from ...core.unravel.readings import bits_in_words
from ...core.unravel.reckoner import ReadingCurve, reckon
from ...demo.trial import copy_shipped_trial
from .opening import (
    STRIP_COLUMNS,
    Brought,
    Known,
    OpenedTrial,
    begin_trial,
    bring_in_again,
    know_server,
    library_named,
    open_demo,
    open_library,
    open_listed,
    open_packed,
    open_recordings,
    open_trial,
    take_all_along,
)

__all__ = [
    "BY_HAND",
    "CUT_SHORT",
    "ERROR",
    "FAMILIES_INSIDE",
    "REMOTE",
    "STRIP_COLUMNS",
    "TELLS_KINDS_APART",
    "TEMPLATES",
    "WRONG",
    "AbacusError",
    "Applies",
    "Attribute",
    "Between",
    "Brought",
    "CheckState",
    "Clash",
    "Curve",
    "Decoded",
    "Explained",
    "Export",
    "Exported",
    "Field",
    "FieldColumn",
    "FieldKind",
    "Group",
    "GrowingCapture",
    "GrowingDensity",
    "KindActivity",
    "KindData",
    "KindExplained",
    "KindKey",
    "Known",
    "Layout",
    "LayoutHead",
    "Library",
    "Meaning",
    "MissingLibraryError",
    "Moment",
    "NothingToDoError",
    "OpenedTrial",
    "Origin",
    "PastEnd",
    "Plan",
    "Reader",
    "ReadingCurve",
    "RegisterMap",
    "Revision",
    "Run",
    "ScratchFolder",
    "Selected",
    "Shape",
    "Shaped",
    "SourceOutcome",
    "Space",
    "Span",
    "StrangeServerError",
    "Symbol",
    "SymbolCode",
    "Target",
    "Tie",
    "TimeForm",
    "Trial",
    "TrialFile",
    "Tried",
    "TriedField",
    "Validity",
    "apart_by_layout",
    "attribute_text",
    "attributes_of",
    "begin_trial",
    "begun_in",
    "bit_name",
    "bit_owners",
    "bits_in_words",
    "bits_of_text",
    "bring_in_again",
    "capture_activity",
    "check_layout",
    "clashes",
    "compile_layout",
    "copy_shipped_trial",
    "decode_frames",
    "default_author",
    "describe_change",
    "escaped_text",
    "explain",
    "field_column",
    "field_curve",
    "format_exact",
    "format_table",
    "free_name",
    "from_window",
    "grown_curve",
    "grown_kind",
    "is_text",
    "joined_curve",
    "keep_explained",
    "kept_explained",
    "kind_is_text",
    "kind_with_registers",
    "know_server",
    "lane_density",
    "layout_to_begin",
    "library_named",
    "load_kind",
    "merge_trials",
    "name_to_begin",
    "names_text",
    "new_field",
    "new_layout",
    "of_kind",
    "open_demo",
    "open_library",
    "open_listed",
    "open_packed",
    "open_recordings",
    "open_trial",
    "owned_bits",
    "owners_in_frame",
    "parse_exact",
    "parse_names",
    "parse_places",
    "parse_polynomial",
    "parse_raw_set",
    "parse_symbols",
    "parse_table",
    "percent",
    "places_of",
    "protocol_named",
    "read_by",
    "read_escapes",
    "reckon",
    "recorded_state",
    "shortest_code",
    "span_text",
    "stretches_of",
    "symbols_text",
    "take_all_along",
    "try_layout",
    "whole_bits",
    "with_attribute",
    "with_field_behind",
    "with_one_more_inside",
    "with_span",
    "with_template_inside",
    "wording",
]
