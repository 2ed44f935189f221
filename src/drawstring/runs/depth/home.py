"""Depth's home in runs: normalised depth is held against the profile, with the distances it was made from."""

from __future__ import annotations

import numpy as np

from drawstring.core.pack.profile_checks import is_turned
from drawstring.core.recipe.sources import of_view, read_distances
from drawstring.runs.frame_writing import not_as_asked
from drawstring.runs.homes import FrameMade


def check(frame: FrameMade) -> None:
    """Refuse normalised depth that has its white at the other end than asked.

    Raises
    ------
    OutputError
    """
    plan = frame.plan
    profile, passes = plan.recipe.pack.profile, of_view(plan.passes, "")
    packed = next(
        (one for channel, one in frame.stowed.items() if channel.source == "depth_normalised"), None
    )
    if profile is None or profile.depth_white is None or packed is None:
        return
    z = read_distances(frame.pixels, passes, plan.recipe.depth, frame.at, repair=False).z
    if is_turned(profile, np.asarray(packed.values), z):
        said = f"in its depth, white is not {profile.depth_white}"
        raise not_as_asked(frame.file_name, profile, said)
