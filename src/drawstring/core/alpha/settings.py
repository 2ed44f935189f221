"""What the Alpha knot settles: kinds of alpha, named mattes, the shadow, the stack."""

from __future__ import annotations

from typing import Any, ClassVar

from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.alpha.matte_settings import MATTE_NAME, MatteSettings
from drawstring.core.alpha.shadow_settings import ShadowSettings
from drawstring.core.alpha.stack_settings import Sends, StackGroup, StackLayer, new_layer
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import KnotSettings, changed_layers, setting

READABLE = (
    AlphaKind.PREMULTIPLIED, AlphaKind.STRAIGHT, AlphaKind.TWICE, AlphaKind.OVER_COLOUR, AlphaKind.OPAQUE,
)  # fmt: skip
"""Kinds that a picture can be read as; opaque takes alpha for 1."""


class CutBy(Choice):
    """What tells the element where an environment makes alpha solid."""

    NOT = "not_cut", "not cut"
    """Alpha is taken as it came."""
    DEPTH = "distance"
    """Where there is no distance, there is environment."""
    MATTE = "matte", "a matte"
    """A named matte covers just the element."""


class AlphaSettings(KnotSettings):
    """How alpha is read, what mattes and shadow are made, how layers lie on each other."""

    knot: ClassVar[str] = "alpha"

    kinds: dict[str, AlphaKind] = setting(
        {}, "How the alpha of a pass is to be read, where not as its format has it."
    )
    ground: Colour = setting((0.0, 0.0, 0.0), "For “over a colour”: what it was laid on.", reader=read_colour)
    clamp: bool = setting(False, "Whether alpha is held to 0 to 1, and pixels without a number made empty.")
    straight_too: bool = setting(False, "Whether the beauty goes out straight as well, as beauty_straight.")
    cut: CutBy = setting(CutBy.NOT, "How the environment is taken out of the element.")
    cut_matte: str = setting("", "The named matte that covers the element.", max_length=31)
    over: str = setting("black", "Over what the element is looked at.", max_length=10)
    over_colour: Colour = setting((0.5, 0.5, 0.5), "The colour it is looked at over.", reader=read_colour)
    mattes: tuple[MatteSettings, ...] = setting((), "Named mattes.")
    as_names: bool = setting(False, "Whether the mattes go out as a set of hashed names, too.")
    shadow: ShadowSettings = setting(ShadowSettings(), "The shadow as a layer.")
    stack: tuple[StackLayer, ...] = setting((), "Layers, the first one at the bottom.")
    groups: tuple[StackGroup, ...] = setting((), "Layers that move together.")
    sends: Sends = setting(Sends.PICTURE, "What of the stack goes out.")

    def matte(self, name: str) -> MatteSettings | None:
        """Give a matte by its name."""
        return next((one for one in self.mattes if one.name == name), None)

    def group(self, name: str) -> StackGroup | None:
        """Give a group by its name."""
        return next((one for one in self.groups if one.name == name), None)

    def kind_of(self, pass_name: str, *, is_straight: bool = False) -> AlphaKind:
        """Give how a pass's alpha is read: as was said, else as its file's format has it."""
        usual = AlphaKind.STRAIGHT if is_straight else AlphaKind.PREMULTIPLIED
        return self.kinds.get(pass_name, usual)

    def faults(self, where: str) -> list[SettingError]:
        """Names of mattes must be unique; a matte is joined with one further up."""
        names = [one.name for one in self.mattes]
        found = []
        for i, one in enumerate(self.mattes):
            place, before = f"{where}.mattes.{i + 1}", names[:i]
            if one.name in before:
                found.append(
                    SettingError(
                        f"Two mattes are called {one.name}.",
                        where=f"{place}.name",
                        why="Other knots call them by their names.",
                        remedy="Give one of them another name.",
                    )
                )
            if one.other and one.other not in before:
                known = ", ".join(before)
                found.append(
                    SettingError(
                        f"{one.name} can't be joined with {one.other}.",
                        where=f"{place}.other",
                        why="A matte is joined with one that stands further up.",
                        remedy=f"Choose {known}." if known else "It is the first one: move it down.",
                    )
                )
        return found

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head == "kinds":
            return self._kinds(typed)
        makers = {
            "mattes": ("matte", self._new_matte),
            "stack": ("layer", new_layer),
            "groups": ("group", lambda text: StackGroup(name=text or f"group {len(self.groups) + 1}")),
        }
        if head in makers:
            called, make = makers[head]
            return changed_layers(
                part,
                typed,
                where=f"alpha.{head}",
                called=called,
                make=make,
                scene_unit=scene_unit,
                frame=frame,
            )
        return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)

    def _new_matte(self, text: str) -> MatteSettings:
        name = text if MATTE_NAME.fullmatch(text) else f"matte_{len(self.mattes) + 1}"
        return MatteSettings(name=name)

    def _kinds(self, typed: dict[str, Any]) -> dict[str, AlphaKind]:
        kinds = dict(self.kinds)
        known = {spelling: kind for kind in READABLE for spelling in (kind.value, kind.says)}
        for name, value in typed.items():
            if str(value) not in known:
                raise SettingError(
                    f"“{value}” is no kind of alpha that a picture can be read as.",
                    where=f"alpha.kinds.{name}",
                    why="Nothing was changed.",
                    remedy=f"Choose {', '.join(READABLE)}.",
                )
            kinds[name] = known[str(value)]
        return kinds
