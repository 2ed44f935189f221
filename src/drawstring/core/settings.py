"""What a knot's settings are made of: typed fields that know their unit, limits and sentence.

Form, shell option and documentation all come from the fields. Values never change in place: a change
makes a new object, so that every earlier revision stays true.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Self, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from drawstring.core.errors import SettingError, SeveralSettingErrors
from drawstring.core.units import read_length

SCENE = "scene"
"""The unit of a length in the scene; shown as the shot's own unit."""


Reader = Callable[[str, str], Any]
"""Reads a typed text, given the dotted name for the refusal."""

_NUMBER = re.compile(r"[-+]?\d*,\d+")


def setting(
    default: Any,
    says: str,
    *,
    unit: str = "",
    reader: Reader | None = None,
    keyed: bool = False,
    **limits: Any,
) -> Any:
    """Declare a field.

    Its default, one sentence, its unit, how text is read, whether it can be keyed, limits.
    """
    said: Any = {"unit": unit, "reader": reader, "keyed": keyed}
    return Field(default, description=says, json_schema_extra=said, **limits)


class Settings(BaseModel):
    """Typed values that belong together: a knot, or a part of one.

    Children add fields and what can't go together.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, use_enum_values=False)

    def __deepcopy__(self, memo: dict[int, Any] | None = None) -> Self:
        """Give itself: it never changes, and defaults of parts are asked for at every change."""
        return self

    def faults(self, where: str) -> list[SettingError]:
        """Say what can't go together; children extend it. `where` is this object's dotted name."""
        return []

    def replaced(
        self, typed: Mapping[str, Any], *, where: str, scene_unit: str, frame: int | None = None
    ) -> Self:
        """Make new settings with some values replaced.

        Parameters
        ----------
        typed : mapping of name to text or value
            Text is read as people type it; an empty text is the default. A dot leads into a part
            (`focus.distance`, `mist.1.start`), an @ to a frame (`focus.distance@1012`).
        where : str
            This object's dotted name, for the refusals.
        scene_unit : str
            What a bare length means.
        frame : int, optional
            At which frame a keyed value is meant.

        Raises
        ------
        SettingError
            One or several values are refused, told together; nothing is changed.
        """
        values: dict[str, Any] = {name: getattr(self, name) for name in type(self).model_fields}
        refusals: list[SettingError] = []
        parts: dict[str, dict[str, Any]] = {}
        for name, value in typed.items():
            head, _, rest = name.partition(".")
            if rest and "@" not in head:
                parts.setdefault(head, {})[rest] = value
                continue
            try:
                self._put(values, name, value, where=where, scene_unit=scene_unit, frame=frame)
            except SettingError as refusal:
                refusals += refusals_of(refusal)
        for head, several in parts.items():
            try:
                values[head] = self._part(
                    head, values.get(head), several, where=where, scene_unit=scene_unit, frame=frame
                )
            except SettingError as refusal:
                refusals += refusals_of(refusal)
        if not refusals:
            try:
                made = type(self).model_validate(values)
                refusals = made.faults(where)
                if not refusals:
                    return made
            except ValidationError as error:
                refusals = [_refusal(where, fault) for fault in error.errors()]
        raise refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)

    def _put(
        self, values: dict[str, Any], name: str, value: Any, *, where: str, scene_unit: str, frame: int | None
    ) -> None:
        """Put one typed value among the others."""
        values[name] = self.read(name, value, where=where, scene_unit=scene_unit)

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        """Replace values within a part."""
        if not isinstance(part, Settings):
            raise _unknown(f"{where}.{head}.{next(iter(typed))}", where, type(self))
        return part.replaced(typed, where=f"{where}.{head}", scene_unit=scene_unit, frame=frame)

    def read(self, name: str, value: Any, *, where: str, scene_unit: str) -> Any:
        """Read one typed value as its field has it."""
        field = type(self).model_fields.get(name)
        if field is None:
            raise _unknown(f"{where}.{name}", where, type(self))
        if not isinstance(value, str):
            return value
        if value.strip() == "":
            return field.get_default(call_default_factory=True)
        extra = field.json_schema_extra
        said = extra if isinstance(extra, dict) else {}
        if said.get("unit") == SCENE:
            return read_length(value, scene_unit=scene_unit, where=f"{where}.{name}")
        reader = said.get("reader")
        if callable(reader):
            return reader(value, f"{where}.{name}")
        # A comma for the decimals, as half the world types it.
        return value.replace(",", ".") if _NUMBER.fullmatch(value.strip()) else value


class KnotSettings(Settings):
    """The settings of one knot."""

    knot: ClassVar[str]
    """The knot's one name."""

    of_the_shot: ClassVar[frozenset[str]] = frozenset()
    """Settings that belong to one shot: they stay when the knot is taken over from another."""

    needed: bool = setting(True, "Whether this shot needs the knot at all.")
    settled_on: str = setting("", "Digest of what had arrived when the knot was settled; empty while open.")

    def changed(self, typed: Mapping[str, Any], *, scene_unit: str = "m", frame: int | None = None) -> Self:
        """Make new settings with some values replaced; a changed knot is open again (see `replaced`)."""
        opens = {} if "settled_on" in typed else {"settled_on": ""}
        return self.replaced({**typed, **opens}, where=self.knot, scene_unit=scene_unit, frame=frame)

    def with_items(self, typed: Mapping[str, Any]) -> tuple[Self, dict[str, Any], list[SettingError]]:
        """Take values that are called by the things they are of, such as one pass each.

        A knot that has such values overrides this.

        Returns
        -------
        settings, rest, refusals
            With what was taken; what is left for `changed`; what was refused.
        """
        return self, dict(typed), []


Layer = TypeVar("Layer", bound=Settings)


def changed_layers(
    layers: tuple[Layer, ...],
    typed: Mapping[str, Any],
    *,
    where: str,
    called: str,
    make: Callable[[str], Layer],
    scene_unit: str,
    frame: int | None = None,
) -> tuple[Layer, ...]:
    """Change like parts by their places, counted from 1; add, move or remove some.

    Parameters
    ----------
    typed : mapping of name to text or value
        `add` (with what the new one is called), `2.place` (with where it goes), `2.remove`, or a setting of
        one, `2.strength`; in their order.
    where, called : str
        Dotted name of all of them, and what one is called, for the refusal.
    make : callable
        Makes a new one of its name.

    Raises
    ------
    SettingError
        There is none at that place, or the value is refused.
    """
    for name, value in typed.items():
        place, _, rest = name.partition(".")
        if name == "add":
            layers = (*layers, make(str(value).strip()))
            continue
        if not place.isdigit() or not 1 <= int(place) <= len(layers):
            raise SettingError(
                f"There is no {called} {place}.", where=where, why="Nothing was changed.",
                remedy=f"There are {len(layers)}; {where}.add makes another.",
            )  # fmt: skip
        i = int(place) - 1
        others = layers[:i] + layers[i + 1 :]
        if rest == "remove":
            layers = others
        elif rest == "place":
            to = min(max(int(str(value)) - 1, 0), len(others)) if str(value).isdigit() else i
            layers = (*others[:to], layers[i], *others[to:])
        else:
            changed = layers[i].replaced(
                {rest: value}, where=f"{where}.{place}", scene_unit=scene_unit, frame=frame
            )
            layers = (*layers[:i], changed, *layers[i + 1 :])
    return layers


def refusals_of(refusal: SettingError) -> list[SettingError]:
    """Give the single refusals of one that may hold several."""
    return refusal.refusals if isinstance(refusal, SeveralSettingErrors) else [refusal]


def _unknown(where: str, parent: str, model: type[Settings]) -> SettingError:
    names = ", ".join(f"{parent}.{name}" for name in model.model_fields)
    return SettingError(
        f"There is no setting {where}.",
        where=where,
        why="Nothing was changed.",
        remedy=f"There are: {names}.",
    )


def _refusal(parent: str, fault: Any) -> SettingError:
    """Put pydantic's fault into a sentence of ours."""
    where = ".".join([parent, *map(str, fault["loc"])])
    given, context = str(fault.get("input"))[:80], fault.get("ctx", {})
    kind = fault["type"]
    if kind == "enum":
        remedy = f"Choose {context['expected']}."
    elif kind.startswith(("greater", "less")):
        sign, limit = next(iter(context.items()))
        words = {"ge": "at least", "gt": "more than", "le": "at most", "lt": "less than"}
        remedy = f"Type a number of {words.get(sign, sign)} {limit:g}."
    elif kind in ("float_parsing", "int_parsing", "float_type", "int_type", "finite_number"):
        remedy = "Type a number."
    else:
        remedy = f"{fault['msg']}."
    return SettingError(
        f"“{given}” can't be {where}.", where=where, why="Nothing was changed.", remedy=remedy
    )
