"""Depth: what is nothing, how far things lie, normalised values, and whether they can be trusted."""

from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.checks import check_clips, check_frames, check_range, clipped_shares
from drawstring.core.depth.edges import EdgeMap, edge_map, repaired
from drawstring.core.depth.measure import DepthTally, merged, tally
from drawstring.core.depth.normalise import metric, normalise
from drawstring.core.depth.settings import DepthSettings, Edges, Mapping, NothingThere, Overshoot, WhiteEnd

__all__ = [
    "DepthSettings",
    "DepthTally",
    "EdgeMap",
    "Edges",
    "Mapping",
    "NothingThere",
    "Overshoot",
    "WhiteEnd",
    "check_clips",
    "check_frames",
    "check_range",
    "clipped_shares",
    "edge_map",
    "merged",
    "metric",
    "normalise",
    "nothing_there",
    "repaired",
    "tally",
]
