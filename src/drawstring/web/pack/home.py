"""Pack's home in the pages: a page of its own, without the bench."""

from __future__ import annotations

from drawstring.web.pack.views import bp as views
from drawstring.web.pack.words import pack_words as words

__all__ = ["BLUEPRINTS", "IS_ALWAYS_NEEDED", "PAGE", "words"]

BLUEPRINTS = (views,)
PAGE = "pack.page"
IS_ALWAYS_NEEDED = True
