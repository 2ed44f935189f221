"""All settings of a shot together: plain, versioned, comparable."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, Self

from pydantic import BaseModel, ConfigDict, Field, create_model

from drawstring.core.errors import DrawstringError, SettingError, SeveralSettingErrors
from drawstring.core.knots import NAMES, is_before_arrivals, settings_of
from drawstring.core.passes.former import with_todays_names
from drawstring.core.settings import KnotSettings

FORM = 2
"""Version of the stored form; one function in `_UPGRADES` for each step."""


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    form: int = FORM


if TYPE_CHECKING:
    # The same as below, in words that a type checker reads.
    from drawstring.core.alpha.settings import AlphaSettings
    from drawstring.core.arrivals.settings import ArrivalsSettings
    from drawstring.core.assembly.settings import AssemblySettings
    from drawstring.core.depth.settings import DepthSettings
    from drawstring.core.eyes.settings import EyesSettings
    from drawstring.core.framing.settings import FramingSettings
    from drawstring.core.pack.settings import PackSettings
    from drawstring.core.plan.settings import PlanSettings
    from drawstring.core.scene.settings import SceneSettings

    class _OfKnots(_Plain):
        plan: PlanSettings = PlanSettings()
        arrivals: ArrivalsSettings = ArrivalsSettings()
        assembly: AssemblySettings = AssemblySettings()
        scene: SceneSettings = SceneSettings()
        depth: DepthSettings = DepthSettings()
        alpha: AlphaSettings = AlphaSettings()
        eyes: EyesSettings = EyesSettings()
        framing: FramingSettings = FramingSettings()
        pack: PackSettings = PackSettings()

else:
    _OfKnots = create_model(
        "_OfKnots",
        __base__=_Plain,
        **{name: (settings_of(name), Field(default_factory=settings_of(name))) for name in NAMES},
    )


class Recipe(_OfKnots):
    """What was settled, knot by knot: a field to each of `core.knots.NAMES`. Never changes in place."""

    def knot(self, name: str) -> KnotSettings:
        """Give one knot's settings.

        Raises
        ------
        SettingError
            There is no such knot.
        """
        if name not in NAMES:
            known = ", ".join(NAMES)
            raise SettingError(
                f"There is no knot “{name}”.",
                where=name,
                why="Nothing was changed.",
                remedy=f"There are: {known}.",
            )
        settings: KnotSettings = getattr(self, name)
        return settings

    def with_knot(self, settings: KnotSettings) -> Self:
        """Make a recipe in which one knot's settings are replaced."""
        return self.model_copy(update={settings.knot: settings})

    def as_dict(self) -> dict[str, Any]:
        """Give the recipe as plain data, for JSON."""
        return self.model_dump(mode="json")


def change(recipe: Recipe, typed: Mapping[str, Any], *, scene_unit: str, frame: int | None = None) -> Recipe:
    """Make a recipe with some values replaced, by dotted name.

    Parameters
    ----------
    recipe : Recipe
    typed : mapping of dotted name to text or value
        `depth.near`, `depth.mist.1.start@1012` for a key, `pack.compression`, `pack.normal.layer` for one row
        of the channel map, or `arrivals.spaces.beauty` for the colour space of one pass.
    scene_unit : str
        What a bare length means.
    frame : int, optional
        Where a value that changes over the frames gets its key.

    Raises
    ------
    SettingError
        One or several values are refused, told together; nothing is changed.

    Examples
    --------
    >>> change(Recipe(), {"depth.near": "420 cm", "depth.far": "84"}, scene_unit="m").depth.near
    4.2
    """
    by_knot: dict[str, dict[str, Any]] = {}
    refusals: list[SettingError] = []
    for dotted, value in typed.items():
        knot, _, rest = dotted.partition(".")
        by_knot.setdefault(knot, {})[rest] = value
    for knot, values in by_knot.items():
        try:
            settings, values, refused = recipe.knot(knot).with_items(values)
            refusals += refused
            if values:
                settings = settings.changed(values, scene_unit=scene_unit, frame=frame)
            recipe = recipe.with_knot(settings)
        except SeveralSettingErrors as several:
            refusals += several.refusals
        except SettingError as refusal:
            refusals.append(refusal)
    if refusals:
        raise refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)
    return recipe


def digest_of(recipe: Recipe) -> str:
    """Give a short digest of what a recipe does; when it was settled does not count.

    Returns
    -------
    str
        Sixteen hexadecimal digits of SHA-256 over canonical JSON.
    """
    # What was asked for before anything came does nothing to it.
    plain = {name: knot for name, knot in recipe.as_dict().items() if not is_before_arrivals(name)}
    for knot in plain.values():
        if isinstance(knot, dict):
            knot.pop("settled_on", None)
    text = json.dumps(plain, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _to_codes(plain: dict[str, Any]) -> dict[str, Any]:
    """Form 2 stores choices as codes (each `Choice` still takes its words), and calls colours albedo."""
    document: dict[str, Any] = with_todays_names(plain)
    alpha = document.get("alpha", {})
    for painted in [alpha.get("shadow", {}), *alpha.get("mattes", [])]:
        for stroke in painted.get("strokes", []):
            stroke["does"] = stroke["does"].replace(" ", "_")
    return document


_UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _to_codes}
"""From form n to n + 1: a small function each."""


def upgraded(stored: Mapping[str, Any]) -> Recipe:
    """Read a stored recipe of any form up to today's.

    Raises
    ------
    DrawstringError
        It was stored by a newer version.
    """
    plain = dict(stored)
    form = int(plain.get("form", 1))
    if form > FORM:
        raise DrawstringError(
            f"This recipe has form {form}; this version reads up to {FORM}.",
            where="recipe",
            why="Settings it does not know would be lost.",
            remedy="Update this installation.",
        )
    for step in range(form, FORM):
        plain = _UPGRADES[step](plain)
    strangers = sorted(set(plain) - {"form", *NAMES})
    if strangers:
        raise SettingError(
            f"This recipe settles {', '.join(strangers)}, which this version does not know.",
            where="recipe",
            why="What is settled there would be lost.",
            remedy="Update this installation, or give a recipe as this version writes it.",
        )
    return Recipe.model_validate({**plain, "form": FORM})
