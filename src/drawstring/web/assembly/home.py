"""Assembly's home in the pages."""

from __future__ import annotations

from drawstring.web.assembly.cdl import bp as cdl
from drawstring.web.assembly.evidence import bp as evidence
from drawstring.web.assembly.views import bp as views
from drawstring.web.assembly.words import assembly_words as words

__all__ = ["BLUEPRINTS", "ENTRY_PANELS", "HAS_TRACK", "words"]

BLUEPRINTS = (views, evidence, cdl)
ENTRY_PANELS = {"grain": "assembly/_entry_grain.html"}
HAS_TRACK = True
