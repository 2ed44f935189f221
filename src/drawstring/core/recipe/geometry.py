"""What moves pixels: a step of the chain that takes pictures, mattes and channels to another place."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import replace

from drawstring.core.chain import MATTE, Chain, How, Stage, Value, is_picture, value
from drawstring.core.recipe.pulls import (
    LIGHT,
    apart,
    channel_name,
    channel_of,
    gathered,
    how_of,
    subject_of,
    together,
)


class Geometry(ABC):
    """A step that moves every picture, matte and channel alike."""

    stage: Stage
    knot: str
    only_reads = False

    def gives(self, chain: Chain, name: str) -> bool:
        """Whatever has pixels."""
        is_channel = channel_of(name, subject_of(chain).passes) is not None
        return is_picture(name) or name.startswith(MATTE) or is_channel

    def after(self, chain: Chain, name: str) -> Value:
        """Move it as `carry` does."""
        before = chain.before(self.stage, name)
        if is_picture(name):
            return self.carry_picture(chain, before)
        how = LIGHT
        known = channel_of(name, subject_of(chain).passes)
        if known is not None:
            how = how_of(known[0], known[1])
            if (how.is_ranked or how.is_vector) and self.stage is Stage.PLACED:
                # Which name comes first depends on all of them, and a turned way on both its numbers.
                names = [channel_name(known[0], i) for i in range(len(known[0].channels))]
                several = gathered([chain.before(self.stage, each) for each in names])
                return _nth(self.carry(chain, several, replace(how, first=0)), known[1])
        return _nth(self.carry(chain, gathered([before]), how), 0)

    def carry_picture(self, chain: Chain, picture: Value) -> Value:
        """Move a picture, (H, W, 4): as its planes are, unless a step does so without taking it apart."""
        return together(self.carry(chain, apart(picture), How(is_mixed=True, count=4)))

    @abstractmethod
    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Move planes."""


def _nth(several: Value, place: int) -> Value:
    return value("one of them", lambda at, each: each[place], several, of=place)
