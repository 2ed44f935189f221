"""Assembly's home in the core: the picture changed by its parts, and what is made to look at them."""

from __future__ import annotations

from drawstring.core.assembly.asks import asks
from drawstring.core.assembly.counting import count, counting
from drawstring.core.assembly.results import (
    ASSEMBLY_RESULTS as RESULTS,
)
from drawstring.core.assembly.results import (
    TERM,
    is_sent,
    named_results,
    term_result,
)
from drawstring.core.assembly.steps import ASSEMBLY_STEPS as STEPS
from drawstring.core.recipe.result import Result

__all__ = [
    "FAMILIES", "RESULTS", "STEPS", "asks", "count", "counting", "find_result", "is_sent", "named_results",
]  # fmt: skip

FAMILIES = (TERM,)
"""What names of results begin with that the recipe makes up."""


def find_result(name: str) -> Result | None:
    """Give a term of the sum."""
    return term_result(name) if name.startswith(TERM) and len(name) > len(TERM) else None
