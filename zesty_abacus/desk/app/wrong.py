"""What the window needs from core to look for problems, answers and differences; reached by the door ``wrong``."""

from ...core.beside.choosing import kinds_like
from ...core.beside.compare import Side, compare
from ...core.errors import MisuseError
from ...core.files.writing import Target
from ...core.handover.problem_table import PROBLEM_SCHEMA, problem_table
from ...core.handover.writers import WRITERS, export_tables
from ...core.pairing.exchanges import STATES, Exchanges, exchanges_of
from ...core.problems.limits import LIMITED, Limits, limit_of
from ...core.problems.look import Found, look_for_problems
from ...core.problems.notches import notches
from ...core.problems.problem import Problem, ProblemKey, ProblemKind

__all__ = [
    "LIMITED",
    "PROBLEM_SCHEMA",
    "STATES",
    "WRITERS",
    "Exchanges",
    "Found",
    "Limits",
    "MisuseError",
    "Problem",
    "ProblemKey",
    "ProblemKind",
    "Side",
    "Target",
    "compare",
    "exchanges_of",
    "export_tables",
    "kinds_like",
    "limit_of",
    "look_for_problems",
    "notches",
    "problem_table",
]
