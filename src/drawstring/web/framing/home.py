"""Framing's home in the pages."""

from __future__ import annotations

from drawstring.web.framing.views import bp as views
from drawstring.web.framing.words import framing_words as words

__all__ = ["BLUEPRINTS", "HAS_TRACK", "words"]

BLUEPRINTS = (views,)
HAS_TRACK = True
