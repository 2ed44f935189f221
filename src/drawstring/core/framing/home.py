"""Framing's home in the core: the frame that goes out, and what is made to look at it."""

from __future__ import annotations

from drawstring.core.framing.asks import asks
from drawstring.core.framing.header import header
from drawstring.core.framing.results import RESULTS, is_sent
from drawstring.core.framing.steps import STEPS, here, is_placing

__all__ = ["RESULTS", "STEPS", "asks", "header", "here", "is_placing", "is_sent"]
