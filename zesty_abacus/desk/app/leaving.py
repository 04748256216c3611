"""The heavy part that makes code and reports; reached as ``leaving`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.generate.errors import GenerateError
from ...core.generate.folder import sources_in, write_folder
from ...core.generate.language import Language, Made
from ...core.generate.languages.registry import language_named, languages
from ...core.generate.manifest import Manifest
from ...core.generate.naming import identifier
from ...core.generate.node import Link
from ...core.generate.project import Project
from ...core.generate.trying import Tried, try_code
from ...core.library.taking_along import Along
from ...core.report.blocks import Report
from ...core.report.making import Material, make_report
from ...core.report.paper import report_pages
from ...core.report.writing import check_ending, write_report
from ...core.trial.packing import Packing, pack

__all__ = [
    "Along", "GenerateError", "Language", "Link", "Made", "Manifest", "Material", "Packing", "Project",
    "Report", "Tried", "check_ending", "identifier", "language_named", "languages", "make_report", "pack",
    "report_pages", "sources_in", "try_code", "write_folder", "write_report",
]  # fmt: skip
