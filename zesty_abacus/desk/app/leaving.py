"""The heavy part that makes code and reports; reached as ``leaving`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.forward.forwarding import Forwarding, LiveReadings, forward_capture
from ...core.forward.job import job_of
from ...core.forward.passwords import with_password
from ...core.forward.readings import readings_of
from ...core.forward.sending import Sending
from ...core.forward.spool import Spool, spool_path
from ...core.forward.thinning import thinning_of
from ...core.forward.wanted import Wanted
from ...core.forward.way import ForwardAddress
from ...core.forward.ways.registry import check_scheme, way_to
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
from ...core.trial.intake import BroughtIn
from ...core.trial.packing import Packing, pack

__all__ = [
    "Along", "BroughtIn", "ForwardAddress", "Forwarding", "GenerateError", "Language", "Link", "LiveReadings", "Made",
    "Manifest", "Material", "Packing", "Project", "Report", "Sending", "Spool", "Tried", "Wanted",
    "check_ending", "check_scheme", "forward_capture", "identifier", "job_of", "language_named", "languages",
    "make_report", "pack", "readings_of", "report_pages", "sources_in", "spool_path", "thinning_of", "try_code",
    "way_to", "with_password", "write_folder", "write_report",
]  # fmt: skip
