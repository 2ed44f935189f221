"""Plan's home in the pages: a page of its own, as nothing may have arrived yet."""

from __future__ import annotations

from drawstring.web.plan.orders import bp as orders
from drawstring.web.plan.owed import bp as owed
from drawstring.web.plan.views import bp as views
from drawstring.web.plan.words import plan_words as words

__all__ = ["BLUEPRINTS", "PAGE", "words"]

BLUEPRINTS = (views, orders, owed)
PAGE = "plan.page"
