"""Depth's home in the core: mist and lens on the chain, and what is made from distances."""

from __future__ import annotations

from drawstring.core.depth.asks import asks
from drawstring.core.depth.counting import count, counting, kept
from drawstring.core.depth.header import depth_header as header
from drawstring.core.depth.results import DEPTH_RESULTS as RESULTS
from drawstring.core.depth.steps import DEPTH_STEPS as STEPS

__all__ = ["RESULTS", "STEPS", "asks", "count", "counting", "header", "kept"]
