"""What the window needs from core to find out what bits are, and to keep it; reached by the door ``found``."""

from ...core.errors import MisuseError
from ...core.trial.intake import recorded_state
from ...core.unravel.across.question import Action
from ...core.unravel.answers import AnswerPlace, AnswerTable, answer_table
from ...core.unravel.devices.beside import exchanges_beside, said_beside
from ...core.unravel.differences import Stretch, differences
from ...core.unravel.finding import Finding, bits_of
from ...core.unravel.keeping import KEPT, all_kept, field_behind, kept, offered_name
from ...core.unravel.known import Known, is_explained, known_of_kind
from ...core.unravel.known_value import Sighting, places_of_value
from ...core.unravel.lines_kept import lines_of
from ...core.unravel.look import KindFindings, Unravelled, unravel
from ...core.unravel.meant import Meant, meant
from ...core.unravel.stored import store, stored
from ...core.unravel.told import LIKELY, confidence_word, title
from ...core.unravel.witness import Sight, Witness, witness

__all__ = [
    "KEPT",
    "LIKELY",
    "Action",
    "AnswerPlace",
    "AnswerTable",
    "Finding",
    "KindFindings",
    "Known",
    "Meant",
    "MisuseError",
    "Sight",
    "Sighting",
    "Stretch",
    "Unravelled",
    "Witness",
    "all_kept",
    "answer_table",
    "bits_of",
    "confidence_word",
    "differences",
    "exchanges_beside",
    "field_behind",
    "is_explained",
    "kept",
    "known_of_kind",
    "lines_of",
    "meant",
    "offered_name",
    "places_of_value",
    "recorded_state",
    "said_beside",
    "store",
    "stored",
    "title",
    "unravel",
    "witness",
]
