"""Structured text of IEC 61131-3, for controllers."""

from __future__ import annotations

from ..iec61131.files import LANGUAGE as NAME
from ..iec61131.files import make
from ..language import Language

LANGUAGE = Language(NAME, "Structured text", make)
