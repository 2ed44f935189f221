"""Depth: what is nothing, how far things lie, normalised values, and whether they can be trusted."""

from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.checks import check_range, clipped_shares
from drawstring.core.depth.measure import DepthTally, merged, tally
from drawstring.core.depth.normalise import metric, normalise
from drawstring.core.depth.settings import DepthSettings, Mapping, NothingThere, Overshoot, WhiteEnd

__all__ = [
    "DepthSettings",
    "DepthTally",
    "Mapping",
    "NothingThere",
    "Overshoot",
    "WhiteEnd",
    "check_range",
    "clipped_shares",
    "merged",
    "metric",
    "normalise",
    "nothing_there",
    "tally",
]
