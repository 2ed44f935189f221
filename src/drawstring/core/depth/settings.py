"""What the Depth knot settles: near and far, how distances become values, and what "nothing" becomes."""

from __future__ import annotations

from collections.abc import Callable
from collections.abc import Mapping as Values
from typing import Any, ClassVar, Self

from drawstring.core.choices import Choice
from drawstring.core.depth.focus_settings import FocusSettings
from drawstring.core.depth.mist_settings import MistLayer
from drawstring.core.errors import SettingError
from drawstring.core.settings import SCENE, KnotSettings, Settings, changed_layers, setting


class Mapping(Choice):
    """How a distance between near and far becomes a value between 0 and 1."""

    LINEAR = "linear"
    """Equal steps of distance are equal steps of value."""
    RECIPROCAL = "reciprocal"
    """Equal steps of 1 / distance: more values for what is near."""
    LOGARITHMIC = "logarithmic"
    """Equal factors of distance are equal steps of value."""


class WhiteEnd(Choice):
    """Which end is 1."""

    NEAR = "near"
    """Near things are white."""
    FAR = "far"
    """Far things are white."""


class Overshoot(Choice):
    """What happens to distances outside near and far."""

    CLAMP = "clamp"
    """They get the value of the end they lie beyond."""
    KEEP = "keep"
    """They keep values below 0 and above 1."""


class NothingThere(Choice):
    """What a pixel without a distance becomes."""

    FAR_END = "far_end", "as far end"
    """As if it were at far."""
    NEAR_END = "near_end", "as near end"
    """As if it were at near."""


class Edges(Choice):
    """What becomes of pixels at edges in which near and far are mixed."""

    AS_THEY_CAME = "keep"
    """They keep their mean of two distances."""
    NEARER = "nearer"
    """They get the distance of the nearer side."""
    FURTHER = "further"
    """They get the distance of the further side."""


class Along(Choice):
    """Along which line a distance is measured."""

    AXIS = "axis"
    """Along the camera's axis: a wall square to it lies at one distance."""
    RAY = "ray"
    """Along each pixel's own ray: a sphere around the camera lies at one distance."""


class Held(Choice):
    """What the numbers of a depth pass are."""

    DISTANCES = "distances"
    """Lengths."""
    SHARES = "shares", "0 to 1"
    """Already normalised, between two known distances."""


class LengthUnit(Choice):
    """A unit of length, or whatever the scene's is."""

    SCENE = "scene"
    MM = "mm"
    CM = "cm"
    M = "m"
    KM = "km"
    IN = "in"
    FT = "ft"


class Arrived(Settings):
    """How the numbers of the depth pass that arrived are to be read."""

    holds: Held = setting(Held.DISTANCES, "What its numbers are.")
    unit: LengthUnit = setting(LengthUnit.SCENE, "The unit of its distances.")
    along: Along = setting(Along.AXIS, "Along which line it was measured.")
    near: float | None = setting(None, "For 0 to 1: the distance of the near end.", unit=SCENE, gt=0)
    far: float | None = setting(None, "For 0 to 1: the distance of the far end.", unit=SCENE, gt=0)
    mapping: Mapping = setting(Mapping.LINEAR, "For 0 to 1: how distances became values.")
    white_is: WhiteEnd = setting(WhiteEnd.NEAR, "For 0 to 1: which end is 1.")
    focal_mm: float | None = setting(
        None, "Focal length where the header has none.", unit="mm", gt=0, le=5000
    )
    filmback_mm: float | None = setting(
        None, "Film width where the header has none.", unit="mm", gt=0, le=500
    )

    def faults(self, where: str) -> list[SettingError]:
        """Near must lie before far."""
        return near_before_far(self.near, self.far, where)


class ViewRange(Settings):
    """Near and far of another view, where it does not share the first one's."""

    near: float | None = setting(None, "Distance that becomes the near end's value.", unit=SCENE, gt=0)
    far: float | None = setting(None, "Distance that becomes the far end's value.", unit=SCENE, gt=0)

    def faults(self, where: str) -> list[SettingError]:
        """Near must lie before far."""
        return near_before_far(self.near, self.far, where)


class DepthSettings(KnotSettings):
    """How depth is normalised, the same for every frame of the shot; mist and focus made from it."""

    knot: ClassVar[str] = "depth"

    near: float | None = setting(None, "Distance that becomes the near end's value.", unit=SCENE, gt=0)
    far: float | None = setting(None, "Distance that becomes the far end's value.", unit=SCENE, gt=0)
    locked: bool = setting(False, "Whether near and far are locked for the shot.")
    mapping: Mapping = setting(Mapping.LINEAR, "How distances between near and far become values.")
    white_is: WhiteEnd = setting(WhiteEnd.NEAR, "Which end is white, value 1.")
    overshoot: Overshoot = setting(Overshoot.CLAMP, "What distances outside near and far become.")
    edges: Edges = setting(Edges.AS_THEY_CAME, "What pixels that mix near and far become.")
    nothing: NothingThere = setting(NothingThere.FAR_END, "What a pixel without a distance becomes.")
    along: Along = setting(Along.AXIS, "Along which line distances are used, whichever way they came.")
    arrived: Arrived = setting(Arrived(), "How the numbers of the pass are to be read.")
    views: dict[str, ViewRange] = setting({}, "Near and far of other views that do not share these.")
    mist: tuple[MistLayer, ...] = setting((), "Mists, the first one laid on first.")
    focus: FocusSettings = setting(FocusSettings(), "What is sharp, and how unsharp the rest.")

    def faults(self, where: str) -> list[SettingError]:
        """Near must lie before far."""
        return near_before_far(self.near, self.far, where)

    def changed(self, typed: Values[str, Any], *, scene_unit: str = "m", frame: int | None = None) -> Self:
        """Make new settings with some values replaced; a locked range is not moved by accident."""
        moved = [name for name in ("near", "far") if name in typed]
        if self.locked and moved and "locked" not in typed:
            raise SettingError(
                f"{moved[0].capitalize()} is locked for this shot.",
                where=f"depth.{moved[0]}",
                why="Whoever locked the range relies on it: other shots may be matched to it.",
                remedy="Unlock the range first.",
            )
        return super().changed(typed, scene_unit=scene_unit, frame=frame)

    def of_view(self, view: str) -> Self:
        """Give the settings for another view: its own near and far where it has them, else these."""
        own = self.views.get(view)
        if own is None or own.near is None or own.far is None:
            return self
        return self.model_copy(update={"near": own.near, "far": own.far})

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head == "views":
            return self._views(typed, where=where, scene_unit=scene_unit)
        if head == "mist":
            return changed_layers(
                part,
                typed,
                where="depth.mist",
                called="mist",
                make=self._new_mist(len(part)),
                scene_unit=scene_unit,
                frame=frame,
            )
        return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)

    def _views(self, typed: dict[str, Any], *, where: str, scene_unit: str) -> dict[str, ViewRange]:
        """Give views their own ends, or let them share the first one's again."""
        views = dict(self.views)
        ends: dict[str, dict[str, Any]] = {}
        for dotted, value in typed.items():
            view, _, name = dotted.rpartition(".")
            if name == "share":
                views.pop(view, None)
            else:
                ends.setdefault(view, {})[name] = value
        for view, own in ends.items():
            known = views.get(view, ViewRange())
            views[view] = known.replaced(own, where=f"{where}.views.{view}", scene_unit=scene_unit)
        return views

    def _new_mist(self, already: int) -> Callable[[str], MistLayer]:
        start = self.near or 1.0
        depth = max((self.far or 0) - start, 10 * start)
        return lambda name: MistLayer(name=name or f"mist {already + 1}", start=start, depth=depth)


def near_before_far(near: float | None, far: float | None, where: str) -> list[SettingError]:
    """Say so when near does not lie before far."""
    if near is None or far is None or near < far:
        return []
    return [
        SettingError(
            f"Near ({near:g}) does not lie before far ({far:g}).",
            where=f"{where}.near",
            why="Every distance would get the same value, or the ends would be swapped.",
            remedy="Move near closer or far further away. To swap black and white, change “white is”.",
        )
    ]
