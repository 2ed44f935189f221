"""A shot as its knots see it: its passes, its recipe, and the chains of its views and eyes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment, Place
from drawstring.core.chain import PICTURE, STAGES, Chain, Stage, Value, value
from drawstring.core.errors import MissingError
from drawstring.core.eyes.packing import Packing, pack, packed_size, unsqueezed
from drawstring.core.eyes.pair_views import is_pair_ready, views_of_pair
from drawstring.core.eyes.settings import Came, Making
from drawstring.core.io.facts import Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.frames import unframed
from drawstring.core.recipe.homes import steps
from drawstring.core.recipe.knots import KNOTS
from drawstring.core.recipe.pulls import EXACT, channel, gathered, planes
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import of_view, other_views, pass_named, pass_of
from drawstring.core.recipe.subject import Subject

if TYPE_CHECKING:
    from drawstring.core.recipe.result import Result


class Chains:
    """A shot's passes under a recipe.

    Parameters
    ----------
    passes : sequence of Pass
        Of all views, other views' under names such as `right.depth`.
    recipe : Recipe
    settled_only : bool
        Whether knots that are still open leave the picture alone, as in a run.
    is_trial : bool
        Whether it is shown while a hand moves: then what is slow may come out a little coarser.
    """

    def __init__(
        self, passes: Sequence[Pass], recipe: Recipe, *, settled_only: bool = False, is_trial: bool = False
    ) -> None:
        self.passes, self.recipe, self.is_trial = list(passes), recipe, is_trial
        names = [knot.name for knot in KNOTS]
        self.settled = frozenset(n for n in names if recipe.knot(n).settled_on) if settled_only else None
        self._chains: dict[tuple[object, ...], Chain] = {}

    def counts(self, knot: str) -> bool:
        """Whether what a knot makes counts; what all of them make together always does."""
        return self.settled is None or not knot or knot in self.settled

    @cached_property
    def has_pair(self) -> bool:
        """Whether both eyes can be had, and count."""
        return self.counts("eyes") and is_pair_ready(self.passes, self.recipe)

    @property
    def is_packed(self) -> bool:
        """Whether both eyes came in one picture."""
        return self.has_pair and self.recipe.eyes.came is Came.PACKED

    def chain(
        self, view: str = "", *, half: int | None = None, side: int | None = None, made: str = "",
        is_shown: bool = False,
    ) -> Chain:  # fmt: skip
        """Give the chain of a view or eye."""
        key = view, half, side, made, is_shown
        if key not in self._chains:
            recipe = self.recipe.with_knot(self.recipe.depth.of_view(view)) if view else self.recipe
            mine = of_view(self.passes, view)
            arrived = {one.name: self._full(one, view) for one in mine}
            subject = Subject(self, view, mine, recipe, arrived, half, side, made, is_shown)
            self._chains[key] = Chain(steps(), subject, self.settled)
        return self._chains[key]

    def _full(self, one: Pass, view: str) -> Pass:
        return pass_named(f"{view}.{one.name}", self.passes) or one if view else one

    def own_chains(self, view: str = "") -> list[Chain]:
        """Give the chains whose pictures lie in the shot's own file: two for a packed picture, else one."""
        if not self.has_pair:
            return [self.chain(view)]
        eyes = self.recipe.eyes
        if self.is_packed:
            if view:
                return [self.chain(view)]
            return [self.chain(half=half, side=half ^ int(eyes.swap)) for half in (0, 1)]
        return [self.chain(view, side=self._side_of(view))]

    def _side_of(self, view: str) -> int | None:
        eyes = self.recipe.eyes
        if eyes.came is Came.ONE:
            given = {Making.RIGHT: 0, Making.LEFT: 1}.get(eyes.making)
            return None if given is None else given ^ int(eyes.swap)
        views = views_of_pair(self.passes, self.recipe)
        if eyes.came is not Came.VIEWS or view not in views:
            return None
        return views.index(view) ^ int(eyes.swap)

    def eye_chain(self, side: int, *, own_pixels: bool = False) -> Chain:
        """Give the chain of an eye as it goes out: 0 left, 1 right.

        Parameters
        ----------
        own_pixels : bool
            Whether an eye that came squeezed to half stays so.
        """
        eyes = self.recipe.eyes
        came_as = side ^ int(eyes.swap)
        shown = eyes.is_squeezed and not own_pixels
        if eyes.came is Came.PACKED:
            return self.chain(half=came_as, side=side, is_shown=shown)
        if eyes.came is Came.ONE:
            name = ("left", "right")[came_as]
            given = {Making.RIGHT: "left", Making.LEFT: "right"}.get(eyes.making)
            return self.chain(side=side, made="" if name == given else name)
        return self.chain(views_of_pair(self.passes, self.recipe)[came_as], side=side)

    def needs_whole(self, name: str, size: tuple[int, int], level: int) -> bool:
        """Whether something has to be made at full size and then made smaller.

        Lines of two eyes must not be mixed by a proxy, and a product of passes is no product of their means.

        Parameters
        ----------
        size : (width, height)
            Of the picture that came.
        level : int
            Of the proxy that is asked for.
        """
        result = self.find(name)
        if not level:
            return False
        of_products = result is not None and (
            result.needs_whole or (result.is_light and self._works_on_wholes)
        )
        if of_products and not self.is_trial:
            return True
        if not self.is_packed or (result is None and not self.moves):
            return False
        lines = self.recipe.eyes.packing in (Packing.ROWS, Packing.COLUMNS)
        return lines or any(side % (2 << level) for side in size)

    @cached_property
    def _works_on_wholes(self) -> bool:
        """Whether a step that is on can't work on a proxy."""
        return any(
            step.needs_whole(chain)
            for chain in self.own_chains() for step in chain.steps_on() if hasattr(step, "needs_whole")
        )  # fmt: skip

    def find(self, name: str) -> Result | None:
        """Give a result by its bare name."""
        from drawstring.core.recipe.results import find_result

        return find_result(name)

    def own(self, name: str) -> Value:
        """Describe a pass or result as the shot's own file holds it: a list of (H, W).

        Raises
        ------
        MissingError
            There is no such pass or result, or it can't be made.
        """
        result = self.find(name)
        if result is not None and result.is_of_pair:
            return result.tap(self.chain())
        view, _, bare = name.rpartition(".")
        if view and self.find(bare) is None and not of_view(self.passes, view):
            view, bare = "", name
        chains = self.own_chains(view)
        if len(chains) == 1:
            return self.tapped(chains[0], bare)
        one = None if bare == PICTURE else pass_named(bare, of_view(self.passes, ""))
        if one is not None and not self._moves(chains):
            # What nothing moves lies in its file as it came, whatever lies beside both eyes.
            return planes(chains[0], Stage.ARRIVED, one)
        return self._packed_again([self.tapped(chain, bare) for chain in chains], chains)

    def eye(self, name: str, side: int, *, own_pixels: bool = False) -> Value:
        """Describe a pass or result as one eye shows it: a list of (H, W)."""
        return self.tapped(self.eye_chain(side, own_pixels=own_pixels), name)

    def tapped(self, chain: Chain, name: str) -> Value:
        """Describe a pass or result of a chain with the geometry that everything goes out with."""
        passes = chain.subject.passes
        one = None if name == PICTURE else pass_named(name, passes)
        if one is not None:
            return gathered([channel(chain, Stage.OUT, one, i) for i in range(len(one.channels))])
        result = self.find(name)
        if result is None or not (result.says_itself or result.is_ready(passes, chain.subject.recipe)):
            raise MissingError(
                f"There is no {name.replace('_', ' ')}"
                + (f" for the view {chain.subject.view}." if chain.subject.view else "."),
                where=name,
                why="A pair needs it from either eye." if self.has_pair else "It can't be made.",
                remedy="Have it rendered for the other eye too, or leave it out of the package."
                if self.has_pair
                else "Settle what it needs, or leave it out.",
            )
        return chain.carried(result.tap(chain), result.stage, result.how)

    def arrived(self, one: Pass) -> Value:
        """Describe a pass as it is read, before anything happens to it: a list of (H, W)."""
        view = one.name.rpartition(".")[0]
        chain = self.chain(view if of_view(self.passes, view) else "")
        mine = next((each for each in chain.subject.passes if each.channels == one.channels), one)
        return planes(chain, Stage.ARRIVED, mine)

    @cached_property
    def changing(self) -> tuple[Stage, ...]:
        """The stages that make the finished picture another one than the beauty as it came, in order."""
        if pass_of(Role.BEAUTY, of_view(self.passes, "")) is None:
            return ()
        working = [step for chain in self.own_chains() for step in chain.steps_on()]
        on = {step.stage for step in working if not step.only_reads and step.stage is not Stage.PARTED}
        return tuple(facts.stage for facts in STAGES if facts.stage in on)

    @property
    def changes_picture(self) -> bool:
        """Whether the finished picture is another one than the beauty as it came."""
        return bool(self.changing)

    def is_placed(self, view: str) -> bool:
        """Whether a view's pictures lie elsewhere in the shot's own file than they came."""
        return self._moves(self.own_chains(view))

    @cached_property
    def moves(self) -> bool:
        """Whether pixels of the shot's own file lie elsewhere than they came."""
        views = ["", *other_views(self.passes)]
        return any(self._moves(self.own_chains(view)) for view in views)

    def goes_out(self, at: Moment, view: str = "") -> Moment:
        """Give a frame as the shot's own file holds it: where its pixels lie, its cameras."""
        chains = self.own_chains(view)
        subject: Subject = chains[0].subject
        last = subject.here(at, Stage.OUT)
        if len(chains) == 1 or last.place is None:
            return last
        before = subject.here(at, Stage.FOCUSED)
        if last.place == before.place:
            return at
        # Both eyes in another frame make another picture that holds them.
        wide, high = packed_size(
            last.place.display.width, last.place.display.height, unsqueezed(self.recipe.eyes.packing)
        )
        whole = Window(0, 0, wide - 1, high - 1)
        aspect = at.place.pixel_aspect if at.place else 1.0
        return replace(last, place=replace(last.place, window=whole, display=whole, pixel_aspect=aspect))

    def place_of(self, came: Place, frame: int = 0) -> Place:
        """Give where the pixels of the shot's own file lie, from where those that came do."""
        return self.goes_out(Moment(frame, came)).place or came

    def came_from(self) -> Value:
        """Describe where pixels of the shot's own file lay when they arrived.

        Work gives rows and columns, (H, W) int32 each; -1 where nothing came.
        """
        chains = self.own_chains()
        halves = [self._carried_places(chain) for chain in chains]
        places = halves[0] if len(halves) == 1 else self._packed_again(halves, chains)
        return value("came from", lambda at, each: [plane - 1 for plane in each], places)

    def _carried_places(self, chain: Chain) -> Value:
        def make(at: Moment) -> list[Stored]:
            assert at.place is not None
            window, step = at.place.window, at.place.step
            rows, columns = np.indices((-(-window.height // step), -(-window.width // step)), np.int32)
            return [rows + 1, columns + 1]  # 0 is what geometry puts where nothing is

        return chain.carried(value("places", make), Stage.ARRIVED, EXACT)

    def _moves(self, chains: Sequence[Chain]) -> bool:
        return any(
            step.stage in (Stage.PLACED, Stage.WINDOWED) for chain in chains for step in chain.steps_on()
        )

    def _packed_again(self, halves: Sequence[Value], chains: Sequence[Chain]) -> Value:
        """Put both eyes back where they came from; what lies outside the frame holds nothing."""
        eyes = self.recipe.eyes
        packing = unsqueezed(eyes.packing)

        def make(at: Moment, left: list[Stored], right: list[Stored]) -> list[Stored]:
            place = self.goes_out(at).place
            return [
                unframed(pack(one, other, packing, eyes.first, is_mixed=False), place)
                for one, other in zip(left, right, strict=True)
            ]

        keys = [chain.subject.key(Stage.OUT) for chain in chains]
        return value("packed again", make, *halves, of=(packing, eyes.first, keys))
