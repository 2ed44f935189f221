"""Depth: what is nothing, how far things lie, normalised values, and whether they can be trusted."""

from drawstring.core.depth.axis import AlongFound, along_of, converted
from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.checks import check_clips, check_frames, check_range, clipped_shares
from drawstring.core.depth.edges import EdgeMap, edge_map, repaired
from drawstring.core.depth.focus_settings import FocusBy, FocusSettings, RadiusIn
from drawstring.core.depth.lens import Blur, blur_radius, lens_for
from drawstring.core.depth.making_checks import check_making
from drawstring.core.depth.measure import DepthTally, FrameDistances, merged, tally
from drawstring.core.depth.mist_settings import Beyond, Falloff, MistFrom, MistLayer, UpAxis
from drawstring.core.depth.normalise import metric, normalise
from drawstring.core.depth.reading_checks import check_known, check_reading
from drawstring.core.depth.settings import (
    Along,
    Arrived,
    DepthSettings,
    Edges,
    Held,
    LengthUnit,
    Mapping,
    NothingThere,
    Overshoot,
    WhiteEnd,
)

__all__ = [
    "check_making",
    "check_known",
    "check_reading",
    "Blur",
    "blur_radius",
    "lens_for",
    "Along",
    "AlongFound",
    "Arrived",
    "Beyond",
    "DepthSettings",
    "DepthTally",
    "EdgeMap",
    "Edges",
    "Falloff",
    "FocusBy",
    "FocusSettings",
    "FrameDistances",
    "Held",
    "LengthUnit",
    "Mapping",
    "MistFrom",
    "MistLayer",
    "NothingThere",
    "Overshoot",
    "RadiusIn",
    "UpAxis",
    "WhiteEnd",
    "along_of",
    "check_clips",
    "check_frames",
    "check_range",
    "clipped_shares",
    "converted",
    "edge_map",
    "merged",
    "metric",
    "normalise",
    "nothing_there",
    "repaired",
    "tally",
]
