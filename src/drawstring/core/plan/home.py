"""Plan's home in the core: it stands before the picture, and does nothing to it."""

from __future__ import annotations

from drawstring.core.chain import Step
from drawstring.core.recipe.result import Result

STEPS: tuple[Step, ...] = ()
RESULTS: tuple[Result, ...] = ()
