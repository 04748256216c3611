"""What asking needs from core, in one place; reached by the door ``asked`` only."""

from ...core.conditions.against import Against, against
from ...core.conditions.bind import Known, bind
from ...core.conditions.complete import Offer, offers
from ...core.conditions.hits import Hits, find
from ...core.conditions.pointing import of_bits, of_frame, of_mark, of_moment, of_value
from ...core.conditions.term import Term
from ...core.conditions.tree import ConditionError
from ...core.expressions.expression import quoted
from ...core.expressions.quantities import read_quantity
from ...core.expressions.tree import ExpressionError
from ...core.files.writing import Target
from ...core.handover.export import Leaving
from ...core.handover.found_table import FOUND_SCHEMA, SINCE_SCHEMA, found_table
from ...core.handover.recording import recording_forms
from ...core.handover.writers import WRITERS

__all__ = [
    "FOUND_SCHEMA",
    "SINCE_SCHEMA",
    "WRITERS",
    "Against",
    "ConditionError",
    "ExpressionError",
    "Hits",
    "Known",
    "Leaving",
    "Offer",
    "Target",
    "Term",
    "against",
    "bind",
    "find",
    "found_table",
    "of_bits",
    "of_frame",
    "of_mark",
    "of_moment",
    "of_value",
    "offers",
    "quoted",
    "read_quantity",
    "recording_forms",
]
