"""What steps and results pull from a chain: channels, passes, the alpha, the distances of its view."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Channels, Picture, Plane, Stored, as_picture
from drawstring.core.camera import Moment
from drawstring.core.chain import ELSE, PICTURE, Chain, How, Stage, Value, value
from drawstring.core.errors import MissingError
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.sources import Distances, depth_pass, distances_in, pass_named, pass_of
from drawstring.core.recipe.subject import Subject


def subject_of(chain: Chain) -> Subject:
    """Give what a chain is of."""
    subject = chain.subject
    assert isinstance(subject, Subject)
    return subject


def channel_name(one: Pass, index: int) -> str:
    """Call a pass's channel as the chain does."""
    return f"{one.name}#{index}"


def channel_of(name: str, passes: Sequence[Pass]) -> tuple[Pass, int] | None:
    """Give the pass and the place of a channel by the chain's name for it; None for any other name."""
    base, _, index = name.rpartition("#")
    one = pass_named(base, passes) if base and index.isdigit() else None
    return (one, int(index)) if one is not None else None


def how_of(one: Pass, index: int = 0, count: int = 0) -> How:
    """Give how a pass's planes go through geometry."""
    return How(
        one.role in COLOUR_ROLES | SHARE_ROLES,
        "plate" if one.role is Role.PLATE else "scene",
        index,
        count or len(one.channels),
        one.role is Role.DEPTH,
        one.role in HASHED_ROLES,
        # Three of them are a way in the scene, whatever the picture's size is.
        one.role is Role.MOTION and len(one.channels) in (2, 4),
    )


DISTANCES = f"{ELSE}distances"
"""What a step calls the view's distances where it puts something into the scene (`Distances`)."""

LIGHT = How(is_mixed=True)
EXACT = How(is_mixed=False)


def channel(chain: Chain, stage: Stage, one: Pass, index: int) -> Value:
    """Describe one channel of a pass as it stands after a stage: (H, W)."""
    return chain.after(stage, channel_name(one, index))


def planes(chain: Chain, stage: Stage, one: Pass, most: int = 0) -> Value:
    """Describe a pass's channels (the first ones) as they stand after a stage: a list of (H, W)."""
    count = min(len(one.channels), most or len(one.channels))
    return gathered([channel(chain, stage, one, i) for i in range(count)])


def gathered(channels: Sequence[Value]) -> Value:
    """Put planes into one list."""
    return value("planes", lambda at, *each: list(each), *channels)


def alpha(chain: Chain, stage: Stage) -> Value | None:
    """Describe the view's coverage after a stage: beauty's alpha, else an alpha pass; None without any."""
    passes = subject_of(chain).passes
    for one in sorted(passes, key=lambda one: one.name != Role.BEAUTY):
        if one.role is Role.BEAUTY and len(one.channels) == 4:
            return channel(chain, stage, one, 3)
    beside = next((one for one in passes if one.role is Role.ALPHA), None)
    return None if beside is None else channel(chain, stage, beside, 0)


def has_alpha(passes: Sequence[Pass]) -> bool:
    """Whether coverage came with a view's beauty, or beside it."""
    beauty = pass_of(Role.BEAUTY, passes)
    return any(one.role is Role.ALPHA for one in passes) or (beauty is not None and len(beauty.channels) > 3)


def distances(chain: Chain, stage: Stage, *, repair: bool = True) -> Value:
    """Describe the view's distances as settled, from its depth after a stage: `Distances`.

    Raises
    ------
    MissingError
        There is no depth pass.
    """
    if chain.gives(stage, DISTANCES):
        return chain.after(stage, DISTANCES)
    subject = subject_of(chain)
    depth, settings = depth_pass(subject.passes), subject.recipe.depth
    if depth is None:
        raise MissingError(
            "There is no depth pass.",
            where="depth",
            why="Distances can't be measured or normalised without one.",
            remedy="Ask the renderer for depth, correct a pass's role, or mark Depth as not needed.",
        )
    covered, ref = alpha(chain, stage), depth.channels[0]

    def make(at: Moment, raw: Stored, *coverage: Stored) -> Distances:
        here = subject.here(at, stage)
        a = np.asarray(coverage[0], np.float32) if coverage else None
        return distances_in(np.asarray(raw, np.float32), a, ref, settings, here, repair=repair)

    given = [channel(chain, stage, depth, 0), *([covered] if covered else [])]
    lens = settings.arrived, settings.along, settings.edges
    of = lens, repair, subject.key(stage), ref.source, ref.part
    # Whatever is made by distance is tried out on the same ones.
    return value("distances", make, *given, of=of, lasts=True)


def picture(chain: Chain, stage: Stage) -> Value:
    """Describe the picture as it stands after a stage: (H, W, 4) float32."""
    return chain.after(stage, PICTURE)


def planes_of(image: Picture) -> Sequence[Plane]:
    """Give a picture's channels one by one."""
    return Channels(image)


def apart(image: Value) -> Value:
    """Take a picture's channels apart: a list of (H, W)."""
    return value("apart", lambda at, whole: planes_of(whole), image)


def together(several: Value) -> Value:
    """Put planes together to a picture: (H, W, C) float32."""
    return value("together", lambda at, each: as_picture(each), several)
