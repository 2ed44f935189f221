"""Eyes' home in the core: two eyes on the chain, and what is made to look at them."""

from __future__ import annotations

from drawstring.core.eyes.asks import asks
from drawstring.core.eyes.cameras import view_camera_said as view_header
from drawstring.core.eyes.counting import count, counting
from drawstring.core.eyes.results import EYE_RESULTS as RESULTS
from drawstring.core.eyes.steps import EYE_STEPS as STEPS
from drawstring.core.eyes.telling import tell

__all__ = ["RESULTS", "STEPS", "asks", "count", "counting", "tell", "view_header"]
