"""What results are made from: the depth, alpha, beauty and mattes of one view, by role and not by name.

Other views' passes are named after their view (`right.depth`); a result of such a view (`right.beauty_mist`)
is the same result, given the view's own passes under their bare names.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drawstring.core.arrays import Mask, Plane, Stored
from drawstring.core.camera import Camera, Moment
from drawstring.core.depth.background import nothing_there, says_nothing_everywhere
from drawstring.core.depth.edges import repaired
from drawstring.core.depth.reading import distances, lens_of
from drawstring.core.depth.settings import DepthSettings, Held
from drawstring.core.errors import MissingError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role

Pixels = Mapping[ChannelRef, Stored]


def of_view(passes: Sequence[Pass], view: str) -> list[Pass]:
    """Give the passes of one view under their bare names; the default view's for an empty name."""
    if not view:
        return [one for one in passes if "." not in one.name] or list(passes)
    mine = f"{view}."
    return [replace(one, name=one.name.removeprefix(mine)) for one in passes if one.name.startswith(mine)]


def other_views(passes: Sequence[Pass]) -> list[str]:
    """Give the views beside the default one, in order of their passes."""
    return list(dict.fromkeys(one.name.rpartition(".")[0] for one in passes if "." in one.name))


def pass_of(role: Role, passes: Sequence[Pass]) -> Pass | None:
    """Give the pass that plays a role: the one that bears its name, else the surest."""
    candidates = [one for one in passes if one.role is role]
    return min(candidates, key=lambda one: (one.name != role, -one.confidence), default=None)


def pass_named(name: str, passes: Sequence[Pass]) -> Pass | None:
    """Give a pass by its name."""
    return next((one for one in passes if one.name == name), None)


def depth_pass(passes: Sequence[Pass]) -> Pass | None:
    """Give the pass that depth comes from."""
    return pass_of(Role.DEPTH, passes)


def alpha_channel(passes: Sequence[Pass]) -> ChannelRef | None:
    """Give the coverage channel that belongs to the view: beauty's alpha, else an alpha pass."""
    for one in sorted(passes, key=lambda one: one.name != Role.BEAUTY):
        if one.role is Role.BEAUTY and len(one.channels) == 4:
            return one.channels[3]
    return next((one.channels[0] for one in passes if one.role is Role.ALPHA), None)


def depth_inputs(passes: Sequence[Pass]) -> list[ChannelRef]:
    """Give the channels from which distances are known: depth, and alpha where there is one.

    Raises
    ------
    MissingError
        There is no depth pass.
    """
    depth = depth_pass(passes)
    if depth is None:
        raise MissingError(
            "There is no depth pass.",
            where="depth",
            why="Distances can't be measured or normalised without one.",
            remedy="Ask the renderer for depth, correct a pass's role, or mark Depth as not needed.",
        )
    alpha = alpha_channel(passes)
    return [depth.channels[0], alpha] if alpha else [depth.channels[0]]


def depth_planes(pixels: Pixels, passes: Sequence[Pass]) -> tuple[Plane, Plane | None]:
    """Give depth as it arrived and alpha, as float32 planes."""
    refs = depth_inputs(passes)
    z = np.asarray(pixels[refs[0]], np.float32)
    return z, np.asarray(pixels[refs[1]], np.float32) if len(refs) > 1 else None


@dataclass(frozen=True)
class Distances:
    """Depth as it is used: (H, W) float32 scene units, where there is none, and through which camera."""

    z: Plane
    nothing: Mask
    alpha: Plane | None
    camera: Camera


def read_distances(
    pixels: Pixels, passes: Sequence[Pass], settings: DepthSettings, at: Moment, *, repair: bool = True
) -> Distances:
    """Read distances as settled: unit, line, normalised values undone, mixed edges given to one side.

    Parameters
    ----------
    repair : bool
        Whether mixed edges are mended as settled.

    Raises
    ------
    MissingError, SettingError
        There is no depth pass, or what its reading needs is not known.
    """
    raw, alpha = depth_planes(pixels, passes)
    return distances_in(raw, alpha, depth_inputs(passes)[0], settings, at, repair=repair)


def distances_in(
    raw: Plane, alpha: Plane | None, ref: ChannelRef, settings: DepthSettings, at: Moment, *, repair: bool
) -> Distances:
    """Do the same with planes: depth as it arrived in a channel, and coverage where there is any."""
    camera = lens_of(settings.arrived, at.camera(ref.source, ref.part))
    z = distances(raw, settings, camera, at)
    # "Nothing" is told from the numbers as they came: a huge number in another unit is no distance either.
    numbers = z if settings.arrived.holds is Held.SHARES else raw
    if alpha is not None and says_nothing_everywhere(numbers, alpha):
        alpha = None
    nothing = nothing_there(numbers, alpha)
    mended = repaired(z, nothing, settings.edges, alpha=alpha) if repair else z
    return Distances(mended, nothing, alpha, camera)
