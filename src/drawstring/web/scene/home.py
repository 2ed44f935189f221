"""Scene's home in the pages."""

from __future__ import annotations

from drawstring.web.scene.space import bp as space
from drawstring.web.scene.views import bp as views
from drawstring.web.scene.words import scene_words as words

__all__ = ["BLUEPRINTS", "HAS_TRACK", "words"]

BLUEPRINTS = (views, space)
HAS_TRACK = True
