"""Arrivals' home in the core: channels as they are read."""

from __future__ import annotations

from drawstring.core.arrivals.steps import Arrived
from drawstring.core.recipe.result import Result

STEPS = (Arrived(),)
RESULTS: tuple[Result, ...] = ()
