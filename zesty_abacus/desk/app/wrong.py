"""What looking for problems, and for answers, needs from core, in one place; reached by the door ``wrong`` only."""

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
    "Target",
    "exchanges_of",
    "export_tables",
    "limit_of",
    "look_for_problems",
    "notches",
    "problem_table",
]
