"""Depth's home in the pages."""

from __future__ import annotations

from drawstring.web.depth.strip import bp as strip
from drawstring.web.depth.views import bp as views
from drawstring.web.depth.words import depth_words as words

__all__ = ["BLUEPRINTS", "HAS_TRACK", "words"]

BLUEPRINTS = (views, strip)
HAS_TRACK = True
