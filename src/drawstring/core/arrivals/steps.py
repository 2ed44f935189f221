"""Stage "arrived": channels as they came, colours linear and premultiplied as settled."""

from __future__ import annotations

from typing import Any

import numpy as np

from drawstring.core.arrays import Picture, Stored, merged
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Chain, How, Stage, Value, leaf, value
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import alpha, channel, channel_of, subject_of
from drawstring.core.recipe.sources import pass_of
from drawstring.core.recipe.spaces import changes_alpha, converted, is_converted


class Arrived:
    """Channels as they are read."""

    stage, knot, only_reads = Stage.ARRIVED, "arrivals", True

    def is_on(self, chain: Chain) -> bool:
        """Tell that it always is."""
        return True

    def gives(self, chain: Chain, name: str) -> bool:
        """Every channel of the view's passes, and the beauty as the picture."""
        passes = subject_of(chain).passes
        if name == PICTURE:
            return pass_of(Role.BEAUTY, passes) is not None
        return channel_of(name, passes) is not None

    def after(self, chain: Chain, name: str) -> Value:
        """Read a channel as settled, or put the picture together."""
        if name == PICTURE:
            return beauty_picture(chain, self.stage)
        return self._channel(chain, name)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Nothing comes before it."""
        return planes

    def _channel(self, chain: Chain, name: str) -> Value:
        subject = subject_of(chain)
        known = channel_of(name, subject.passes)
        assert known is not None, name
        one, index = known
        # Colour spaces are settled for passes by the names they came with.
        full = subject.arrived.get(one.name, one)
        recipe = subject.chains.recipe
        count = 4 if len(one.channels) == 4 else 3
        if (
            not is_converted(full, recipe)
            or index >= count
            or (index == 3 and not changes_alpha(full, recipe))
        ):
            return leaf(one.channels[index])
        kinds = recipe.alpha
        arrivals = recipe.arrivals
        of = full.name, one.role, full.is_straight, arrivals.spaces, arrivals.colour, full.space, (
            kinds.needed, kinds.kinds, kinds.clamp, kinds.ground,
        )  # fmt: skip

        def read(at: Moment, *arrived: Stored) -> list[Stored]:
            return converted(full, arrived, recipe)

        whole = value("read", read, *(leaf(ref) for ref in one.channels[:count]), of=of)
        return value(f"channel {index}", lambda at, planes: planes[index], whole)


def beauty_picture(chain: Chain, stage: Stage) -> Value:
    """Put the beauty and its alpha together after a stage: (H, W, 4) float32; alpha is 1 where none came."""
    beauty = pass_of(Role.BEAUTY, subject_of(chain).passes)
    assert beauty is not None
    return picture_of_pass(chain, stage, beauty, alpha(chain, stage))


def picture_of_pass(chain: Chain, stage: Stage, one: Pass, coverage: Value | None = None) -> Value:
    """Put a pass together to a picture after a stage: (H, W, 4) float32."""
    channels = [channel(chain, stage, one, i) for i in range(min(4, len(one.channels)))]
    extra = [coverage] if coverage is not None and len(channels) not in (2, 4) else []
    colours = len(channels)

    def make(at: Moment, *planes: Any) -> Picture:
        floats = [np.asarray(plane, np.float32) for plane in planes]
        light, rest = floats[:colours], floats[colours:]
        if colours == 2:
            light, rest = light[:1], light[1:]  # luminance and its coverage
        if len(light) == 1:
            light = light * 3
        if len(light) == 3:
            light = [*light, *(rest or [np.ones_like(light[0])])]
        return merged(light)

    # Whatever changes a picture begins with the same one.
    return value("picture", make, *channels, *extra, of=colours, lasts=True)
