"""Everything that a plan comes to: what was typed, what is known, and what follows from both."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.core.plan.known import Known
from drawstring.core.plan.lens_sums import SharpRange, sharp_range, shutter_of
from drawstring.core.plan.overscan import Overscan, largest, overscan_of
from drawstring.core.plan.pass_list import Asked, frame_bytes, pass_list
from drawstring.core.plan.rigs import RigPlan, plan_rig
from drawstring.core.plan.settings import LengthIn, PlanSettings
from drawstring.core.plan.sums import Night, Reach, Round, night_of, print_size, reach_of, round_size
from drawstring.core.plan.tiling import Tiling, tiling_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.units import METRES

T = TypeVar("T")

HD = (1920, 1080)
FOCAL_MM, FILMBACK_MM = 35.0, 36.0
"""What is drawn where no camera is known: said to be assumed, and never ordered."""

TYPED, ASSUMED = "typed", "assumed"


@dataclass(frozen=True)
class Planned:
    """A shot's plan worked out; what can't be is in `refused`.

    Attributes
    ----------
    recipe : Recipe
    known : Known
    refused : dict
        Refusals by the part they belong to.
    """

    recipe: Recipe
    known: Known
    refused: dict[str, SettingError] = field(default_factory=dict)

    @property
    def settings(self) -> PlanSettings:
        """What was typed."""
        return self.recipe.plan

    # -- what is asked for -------------------------------------------------------------------------------

    @cached_property
    def size(self) -> tuple[int, int]:
        """Width and height of the delivery."""
        settings = self.settings
        if settings.paper.size_mm is not None:
            paper = settings.paper
            return print_size(*settings.paper.size_mm, paper.dpi, paper.bleed_mm)
        if settings.round.kind is not Round.NOT:
            return round_size(settings.round.kind, settings.round.width)
        return settings.size or self.known.size or HD

    @property
    def eye_size(self) -> tuple[int, int]:
        """Width and height of one render: of an eye, where both come in one picture."""
        kind = self.settings.round.kind
        return self.size if kind is Round.NOT else round_size(Round.MONO, self.settings.round.width)

    @property
    def focal_mm(self) -> float:
        """The lens."""
        return self.settings.focal_mm or self.known.focal_mm or FOCAL_MM

    @property
    def filmback_mm(self) -> float:
        """The width of the film behind the delivery."""
        return self.settings.filmback_mm or self.known.filmback_mm or FILMBACK_MM

    @property
    def fps(self) -> float:
        """Frames a second."""
        return self.settings.fps or self.known.fps

    @property
    def cut(self) -> tuple[int, int] | None:
        """First and last frame of the cut; None where nobody knows."""
        first = self.known.first if self.settings.first is None else self.settings.first
        last = self.known.last if self.settings.last is None else self.settings.last
        return None if first is None or last is None or last < first else (first, last)

    @property
    def frames(self) -> tuple[int, int] | None:
        """First and last frame that is rendered: the cut with its handles."""
        if self.cut is None:
            return None
        return max(0, self.cut[0] - self.settings.before), self.cut[1] + self.settings.after

    @property
    def count(self) -> int:
        """How many frames that are, of one view."""
        return self.frames[1] - self.frames[0] + 1 if self.frames else 0

    @property
    def views(self) -> tuple[str, ...]:
        """What is rendered of each frame, by view."""
        if self.has_eyes:
            return ("left", "right")
        named = tuple(view for view in self.known.views if view)
        return self.settings.views or (named if len(named) > 1 else ("main",))

    @property
    def has_eyes(self) -> bool:
        """Whether two eyes are asked for."""
        is_round_pair = self.settings.round.kind in (Round.EYES, Round.BESIDE, Round.ABOVE)
        came = not self.settings.views and {"left", "right"} <= set(self.known.views)
        return self.settings.rig.on or is_round_pair or came

    def source(self, name: str) -> str:
        """Say what tells a value: it was typed, it came, or it is assumed."""
        settings, known = self.settings, self.known
        came = f"as {known.came} came" if known.came else ""
        told = {
            "size": (settings.size, (known.size_from or "known") if known.size else ""),
            "focal_mm": (settings.focal_mm, came if known.focal_mm else ""),
            "filmback_mm": (settings.filmback_mm, came if known.filmback_mm else ""),
            "first": (settings.first, came if known.first is not None else ""),
            "last": (settings.last, came if known.last is not None else ""),
            "near": (settings.near, known.reach_from if known.near else ""),
            "far": (settings.far, known.reach_from if known.far else ""),
            "fps": (settings.fps, "the show's rate"),
            "frame_s": (settings.night.frame_s, came if known.frame_s else ""),
        }
        typed, otherwise = told[name]
        return TYPED if typed is not None else otherwise or ASSUMED

    # -- what follows ------------------------------------------------------------------------------------

    @cached_property
    def overscan(self) -> Overscan:
        """What lies around the delivery."""
        if not self.settings.overscan:
            return Overscan(self.eye_size, 0, 0, 0, 0)
        told = self._tried(
            "overscan",
            lambda: overscan_of(
                self.settings.overscan, self.eye_size, focal_mm=self.focal_mm, filmback_mm=self.filmback_mm
            ),
        )
        return told or Overscan(self.eye_size, 0, 0, 0, 0)

    @cached_property
    def least(self) -> Overscan | None:
        """The least overscan that is enough for everything that asks for some."""
        return largest([least.overscan for least in self.known.least]) if self.known.least else None

    @property
    def scale(self) -> float:
        """How many times as wide it is rendered."""
        return self.settings.samples.larger

    @property
    def display(self) -> tuple[int, int]:
        """The display window of the files: the delivery's size, times what it is rendered larger."""
        return round(self.eye_size[0] * self.scale), round(self.eye_size[1] * self.scale)

    @cached_property
    def window(self) -> Window:
        """The data window of the files."""
        window, scale = self.overscan.window, self.scale
        width, height = self.display
        # Rounded outwards, so that nothing of what was asked for is lost.
        return Window(
            math.floor(window.x_min * scale), math.floor(window.y_min * scale),
            width - 1 + math.ceil(self.overscan.right * scale), height - 1 + math.ceil(self.overscan.bottom *
            scale),
        )  # fmt: skip

    @cached_property
    def reach(self) -> Reach | None:
        """Near and far with their margin; None where nobody knows them."""
        near = self.settings.near or self.known.near
        far = self.settings.far or self.known.far
        return None if near is None or far is None else reach_of(near, far, self.settings.margin / 100)

    @property
    def told_unit(self) -> str:
        """The unit in which the renderer is told lengths."""
        told = self.settings.told_in
        return self.known.scene_unit if told is LengthIn.SCENE else told.value

    def told(self, length: float) -> float:
        """Turn a length of the scene into the unit that the renderer is told."""
        return length * METRES[self.known.scene_unit] / METRES[self.told_unit]

    @cached_property
    def rig(self) -> RigPlan | None:
        """The stereo rig; None where none is asked for or the subject's distance is not known."""
        rig = self.settings.rig
        if not rig.on or self.settings.round.kind is not Round.NOT:
            return None
        subject = rig.subject or self.known.near
        if subject is None:
            return None
        return plan_rig(
            subject=subject, nearest=rig.nearest or self.settings.near or self.known.near,
            farthest=rig.farthest or self.settings.far or self.known.far, ratio=rig.ratio,
            interaxial=rig.interaxial, convergence=rig.convergence, focal_mm=self.focal_mm,
            filmback_mm=self.filmback_mm, width=self.eye_size[0], screen_m=rig.screen_m,
            viewer_m=rig.viewer_m,
        )  # fmt: skip

    @cached_property
    def tiling(self) -> Tiling | None:
        """The tiles; None where it is rendered in one piece."""
        cells = self.settings.tiles.cells
        if cells is None or cells == (1, 1):
            return None
        return tiling_of(self.window, *cells, self.settings.tiles.overlap / 100)

    @cached_property
    def sharp(self) -> SharpRange | None:
        """What the lens holds sharp; None where stop or focus are not told."""
        shutter = self.settings.shutter
        if shutter.stop is None or shutter.focus is None:
            return None
        stop, focus = shutter.stop, shutter.focus * METRES[self.known.scene_unit]
        return self._tried(
            "lens",
            lambda: sharp_range(
                self.focal_mm, stop, focus, self.filmback_mm, self.eye_size[0], shutter.blur_px
            ),
        )

    @property
    def shutter(self) -> tuple[float, float] | None:
        """When the shutter opens and closes, in frames; None without motion blur."""
        angle = self.settings.shutter.angle
        return shutter_of(angle, self.settings.shutter.phase) if angle else None

    @cached_property
    def asked(self) -> list[Asked]:
        """The passes: what is needed, good to have, and used by nobody."""
        return pass_list(self.recipe, self.known)

    @property
    def ordered(self) -> list[str]:
        """Names of the passes that are ordered."""
        return [one.name for one in self.asked if one.is_ordered]

    @property
    def pixels(self) -> int:
        """Pixels that are rendered for one frame of one view."""
        window = self.window
        return round(window.width * window.height * (self.tiling.cost if self.tiling else 1.0))

    @property
    def renders(self) -> int:
        """How many pictures are rendered for one frame: views, times the renders of a pair."""
        several = {"none": 1, "shadow": 2, "ground": 3, "light": 2}[self.settings.pairs.value]
        return len(self.views) * several

    @cached_property
    def frame_bytes(self) -> int:
        """What one frame of one view comes to on disk."""
        return frame_bytes(self.asked, self.known, self.window.width * self.window.height)

    @property
    def frame_s(self) -> float | None:
        """A frame's time; None where nobody measured it."""
        return self.settings.night.frame_s or self.known.frame_s

    @cached_property
    def night(self) -> Night | None:
        """Hours and disk; None where a frame's time or the frames are not known."""
        if self.frame_s is None or not self.count:
            return None
        return night_of(
            self.frame_s, self.count * self.renders, self.settings.night.machines, self.frame_bytes,
            self.settings.samples.warm_up,
        )  # fmt: skip

    def _tried(self, part: str, make: Callable[[], T]) -> T | None:
        try:
            return make()
        except SettingError as refusal:
            self.refused[part] = refusal
            return None
