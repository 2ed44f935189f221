"""Pack's home in the core: it takes what the others made, and makes nothing of its own."""

from __future__ import annotations

from drawstring.core.chain import Step
from drawstring.core.recipe.result import Result

STEPS: tuple[Step, ...] = ()
RESULTS: tuple[Result, ...] = ()
