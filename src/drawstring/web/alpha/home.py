"""Alpha's home in the pages."""

from __future__ import annotations

from drawstring.web.alpha.evidence import bp as evidence
from drawstring.web.alpha.views import bp as views
from drawstring.web.alpha.words import alpha_words as words

__all__ = ["BLUEPRINTS", "HAS_TRACK", "words"]

BLUEPRINTS = (views, evidence)
HAS_TRACK = True
