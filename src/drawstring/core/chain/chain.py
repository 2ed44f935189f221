"""One picture's way through the stages: anything as it stands after any stage, pulled by name.

A chain is of one view, or of one eye of a pair. What it holds is told apart by name:

- `PICTURE`, and `picture:NAME` for another cut of it: (H, W, 4) float32, premultiplied light. Whatever
  changes the picture's values changes these.
- `matte:NAME`: (H, W) float32, coverage. It goes through the lens like alpha.
- `PASS#2`: (H, W), the third channel of a pass, values kept as they are.
- `=NAME`: anything else that a step makes. It stays at the stage where it was made.

Steps are brought by knots; the chain knows none of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from drawstring.core.chain.stages import STAGES, Stage, is_before
from drawstring.core.chain.value import Value
from drawstring.core.errors import MissingError

PICTURE = "picture"
"""The picture that stages change: the beauty with its alpha at first, the finished picture at last."""


CUT, MATTE, ELSE = "picture:", "matte:", "="
"""What names of other cuts, of mattes and of what is no picture begin with."""


def is_picture(name: str) -> bool:
    """Whether a name is that of the picture, or of another cut of it."""
    return name == PICTURE or name.startswith(CUT)


class Step(Protocol):
    """What a knot does at one stage.

    Attributes
    ----------
    stage : Stage
    knot : str
        Whose settings say how.
    only_reads : bool
        Whether it makes new things and changes none, so that it counts while its knot is open.

    A step may have `needs_whole(chain)`: whether it can't work on a proxy. Where several knots work at one
    stage, the last one that is on does it alone; it `takes_in` what the knots named there would do. Or it
    `comes_last` of them, and works on what they give (`chain.earlier`).
    """

    stage: Stage
    knot: str
    only_reads: bool

    def is_on(self, chain: Chain) -> bool:
        """Whether it changes or makes anything of this chain."""

    def gives(self, chain: Chain, name: str) -> bool:
        """Whether it changes or makes what is called so."""

    def after(self, chain: Chain, name: str) -> Value:
        """Describe that as it stands after the step; what it was before is `chain.before(stage, name)`."""

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Describe what becomes of any other planes (a list of (H, W)) at this stage."""


@dataclass(frozen=True)
class How:
    """How planes are taken through geometry.

    Attributes
    ----------
    is_mixed : bool
        Whether neighbours may be mixed (light, coverage), or every value has to stay a true one.
    reference : str
        What they are a picture of: "scene" for the scene's camera, "plate" for what was filmed elsewhere.
    first, count : int
        Which channel of how many the first plane is, where just some of a picture are taken.
    is_ray : bool
        Whether they are distances along rays, which are others from another eye.
    is_ranked : bool
        Whether they are names and coverages in turn: coverages are filtered, names recombined.
    is_vector : bool
        Whether they are ways in pixels, right and down (or up) in turn: another size makes them longer.
    """

    is_mixed: bool
    reference: str = "scene"
    first: int = 0
    count: int = 0
    is_ray: bool = False
    is_ranked: bool = False
    is_vector: bool = False


class Chain:
    """One view's or eye's way through the stages.

    Parameters
    ----------
    steps : sequence of Step
    subject : object
        What the steps read their settings and passes from; nothing of it is known here.
    settled : set of str, optional
        The knots that count; all of them when not given.
    """

    def __init__(self, steps: Sequence[Step], subject: Any, settled: frozenset[str] | None = None) -> None:
        self.subject = subject
        self._settled = settled
        order = {facts.stage: place for place, facts in enumerate(STAGES)}
        self._steps = sorted(steps, key=lambda step: (order[step.stage], getattr(step, "comes_last", False)))
        self._values: dict[tuple[Stage, str], Value] = {}

    def is_on(self, step: Step) -> bool:
        """Whether a step does anything here, and its knot counts."""
        counts = self._settled is None or step.only_reads or step.knot in self._settled
        return counts and step.is_on(self)

    def steps_on(self) -> list[Step]:
        """Give the steps that are on, in their order."""
        return [step for step in self._steps if self.is_on(step)]

    def after(self, stage: Stage, name: str) -> Value:
        """Describe something as it stands after a stage.

        Raises
        ------
        MissingError
            Nothing up to there gives it.
        """
        key = stage, name
        if key not in self._values:
            self._values[key] = self._pulled(stage, name)
        return self._values[key]

    def before(self, stage: Stage, name: str) -> Value:
        """Describe something as it stands before a stage."""
        order = [facts.stage for facts in STAGES]
        return self.after(order[order.index(stage) - 1], name)

    def earlier(self, step: Step, name: str) -> Value:
        """Describe something as the steps of the same stage that come before one give it."""
        mine = [each for each in self._steps if each.stage is step.stage]
        for other in reversed(mine[: mine.index(step)]):
            if self.is_on(other) and other.gives(self, name):
                return other.after(self, name)
        return self.before(step.stage, name)

    def gives(self, stage: Stage, name: str) -> bool:
        """Whether a step that is on, up to a stage, gives what is called so."""
        return any(
            not is_before(stage, step.stage) and self.is_on(step) and step.gives(self, name)
            for step in self._steps
        )

    def carried(self, planes: Value, begin: Stage, how: How, until: Stage = Stage.OUT) -> Value:
        """Describe what becomes of planes, which stand after one stage, up to another."""
        for step in self._steps:
            if is_before(begin, step.stage) and not is_before(until, step.stage) and self.is_on(step):
                planes = step.carry(self, planes, how)
        return planes

    def _pulled(self, stage: Stage, name: str) -> Value:
        for step in reversed(self._steps):
            if not is_before(stage, step.stage) and self.is_on(step) and step.gives(self, name):
                return step.after(self, name)
        raise MissingError(
            f"There is no {name.replace('_', ' ')}.",
            where=name,
            why="What is made from it can't be made.",
            remedy="Have it rendered, or correct what a pass was taken for in Arrivals.",
        )
