"""What a chain is of: one view's passes, or one eye of a pair, and where its pixels and its camera are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import Stage, is_before
from drawstring.core.eyes.packing import Packing, unsqueezed
from drawstring.core.eyes.settings import Making
from drawstring.core.io.facts import Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.homes import placing_homes
from drawstring.core.recipe.recipe import Recipe

if TYPE_CHECKING:
    from drawstring.core.recipe.chains import Chains

ASIDE = {Making.RIGHT: (0.0, 1.0), Making.LEFT: (-1.0, 0.0), Making.BOTH: (-0.5, 0.5)}
"""Where either eye stands from the camera that rendered, in distances of the eyes."""

_ACROSS = (Packing.SIDE_BY_SIDE, Packing.SIDE_BY_SIDE_HALF)
_LINES = (Packing.ROWS, Packing.COLUMNS)
_OF_A_MADE_EYE = {"making", "interaxial", "convergence", "keys"}


@dataclass(frozen=True, eq=False)
class Subject:
    """What a chain is of.

    Attributes
    ----------
    chains : Chains
    view : str
        Empty for the default one.
    passes : list of Pass
        The view's, under their bare names.
    arrived : mapping of bare name to Pass
        The same under the names they came with.
    recipe : Recipe
        With what is settled for this view alone.
    half : int or None
        Which eye of a packed picture it is: 0 left, 1 right, as they came.
    side : int or None
        Which eye it goes out as; None where it is none of the pair.
    made : str
        "left" or "right" for an eye that did not come; else empty.
    is_shown : bool
        Whether squeezed eyes are brought to the size they are shown at.
    """

    chains: Chains
    view: str
    passes: list[Pass]
    recipe: Recipe
    arrived: Mapping[str, Pass] = field(default_factory=dict)
    half: int | None = None
    side: int | None = None
    made: str = ""
    is_shown: bool = False

    def key(self, stage: Stage) -> tuple[object, ...]:
        """Name what place and camera after a stage depend on, for digests and as a key."""
        eyes = self.recipe.eyes
        made = self._is_made(stage)
        on = [name for name, home in placing_homes() if home.is_placing(self)]
        placing = (
            ()
            if is_before(stage, Stage.PLACED)
            else tuple(self.recipe.knot(name).model_dump_json() for name in on)
        )
        return (
            placing,
            self.half if self._is_parted(stage) else None,
            (eyes.packing, eyes.first) if self.half is not None else (),
            (self.made, eyes.model_dump_json(include=_OF_A_MADE_EYE)) if made else (),
        )

    def here(self, at: Moment, stage: Stage) -> Moment:
        """Give a frame as this view or eye has it after a stage: its pixels' place, its camera."""
        if self._is_parted(stage) and at.place is not None:
            at = replace(at, place=self._half_place(at.place))
        if self._is_made(stage):
            at = replace(at, cameras={key: self._moved(camera, at) for key, camera in at.cameras.items()})
        if not is_before(stage, Stage.PLACED):
            for _, home in placing_homes():
                at = home.here(self, at)
        return at

    def _is_parted(self, stage: Stage) -> bool:
        return self.half is not None and not is_before(stage, Stage.PARTED)

    def _is_made(self, stage: Stage) -> bool:
        return bool(self.made) and not is_before(stage, Stage.DOUBLED)

    @property
    def comes_first(self) -> bool:
        """Whether a packed picture's eye lies left, above, or on the first line."""
        return (self.half == 0) == (self.recipe.eyes.first.value == "left")

    def _half_place(self, place: Place) -> Place:
        """Give where an eye's pixels lie in the packed picture: strokes stay where they were drawn."""
        eyes, shown = self.recipe.eyes, place.display
        if eyes.packing in _LINES:
            return replace(place, window=shown)
        aside = 0 if self.comes_first else 1
        if eyes.packing in _ACROSS:
            wide = shown.width // 2
            left = shown.x_min + aside * wide
            window = Window(left, shown.y_min, left + wide - 1, shown.y_max)
        else:
            high = shown.height // 2
            top = shown.y_min + aside * high
            window = Window(shown.x_min, top, shown.x_max, top + high - 1)
        squeeze = eyes.squeeze if unsqueezed(eyes.packing) is not eyes.packing else 1.0
        return replace(place, window=window, display=window, pixel_aspect=place.pixel_aspect * squeeze)

    def _moved(self, camera: Camera, at: Moment) -> Camera:
        """Give the camera of a made eye."""
        eyes = self.recipe.eyes.at(at.frame)
        aside = ASIDE[eyes.making][0 if self.made == "left" else 1] * (eyes.interaxial or 0.0)
        matrix = camera.world_to_camera
        if matrix is not None:
            step = np.eye(4)
            step[3, 0] = -aside
            matrix = tuple(float(v) for v in np.ravel(np.reshape(matrix, (4, 4)) @ step))
        shift = -aside / eyes.convergence if eyes.convergence else 0.0
        return replace(camera, world_to_camera=matrix, shift=camera.shift + shift)
