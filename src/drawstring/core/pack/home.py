"""Pack's home in the core: it takes what the others made, and makes nothing of its own."""

from __future__ import annotations

from drawstring.core.chain import Step
from drawstring.core.pack.asks import asks
from drawstring.core.recipe.result import Result

__all__ = ["RESULTS", "STEPS", "asks"]

STEPS: tuple[Step, ...] = ()
RESULTS: tuple[Result, ...] = ()
