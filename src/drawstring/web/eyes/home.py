"""Eyes' home in the pages."""

from __future__ import annotations

from drawstring.web.eyes.views import bp as views
from drawstring.web.eyes.words import eyes_words as words

__all__ = ["BLUEPRINTS", "HAS_TRACK", "words"]

BLUEPRINTS = (views,)
HAS_TRACK = True
