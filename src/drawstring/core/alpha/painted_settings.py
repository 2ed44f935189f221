"""Settings that hold strokes of a brush: added as they are painted, the last one or all taken off again."""

from __future__ import annotations

from typing import Any, ClassVar

from drawstring.core.drawn import Stroke, read_stroke
from drawstring.core.errors import SettingError
from drawstring.core.keyed import KeyedSettings
from drawstring.core.settings import setting


class PaintedSettings(KeyedSettings):
    """A part of a knot that can be painted on."""

    does: ClassVar[tuple[str, ...]]
    """What its strokes can do."""

    strokes: tuple[Stroke, ...] = setting((), "What was painted.")

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head == "strokes":
            return changed_strokes(part, typed, f"{where}.strokes", self.does)
        return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)


def changed_strokes(
    strokes: tuple[Stroke, ...], typed: dict[str, Any], where: str, does: tuple[str, ...]
) -> tuple[Stroke, ...]:
    """Add a typed stroke, take the last one away (`last`: remove) or all of them (`all`: remove).

    Raises
    ------
    SettingError
        A stroke is none.
    """
    for name, value in typed.items():
        if name == "add":
            strokes = (*strokes, read_stroke(str(value), where, does))
        elif name == "last":
            strokes = strokes[:-1]
        elif name == "all":
            strokes = ()
        else:
            raise SettingError(
                f"There is no setting {where}.{name}.", where=where, why="Nothing was changed.",
                remedy=f"There are: {where}.add, {where}.last, {where}.all.",
            )  # fmt: skip
    return strokes
