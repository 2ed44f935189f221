"""What a knot's settings are made of: typed fields that know their unit, limits and sentence.

Form, shell option and documentation all come from the fields. Values never change in place: a change
makes a new object, so that every earlier revision stays true.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from drawstring.core.errors import SettingError, SeveralSettingErrors
from drawstring.core.units import read_length

SCENE = "scene"
"""The unit of a length in the scene; shown as the shot's own unit."""


def setting(default: Any, says: str, *, unit: str = "", **limits: Any) -> Any:
    """Declare a field: its default, one sentence, its unit and pydantic's limits."""
    return Field(default, description=says, json_schema_extra={"unit": unit}, **limits)


class KnotSettings(BaseModel):
    """The settings of one knot; children add fields and say what can't go together."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, use_enum_values=False)

    knot: ClassVar[str]
    """The knot's one name."""

    needed: bool = setting(True, "Whether this shot needs the knot at all.")
    settled_on: str = setting("", "Digest of what had arrived when the knot was settled; empty while open.")

    def faults(self) -> list[SettingError]:
        """Say what can't go together; children extend it."""
        return []

    def changed(self, typed: Mapping[str, Any], *, scene_unit: str = "m") -> Self:
        """Make new settings with some values replaced; a changed knot is open again.

        Parameters
        ----------
        typed : mapping of field name to text or value
            Text is read as people type it; an empty text is the default.
        scene_unit : str
            What a bare length means.

        Raises
        ------
        SettingError
            One or several values are refused, told together; nothing is changed.
        """
        values = self.model_dump()
        refusals: list[SettingError] = []
        for name, value in typed.items():
            where = f"{self.knot}.{name}"
            field = type(self).model_fields.get(name)
            if field is None:
                refusals.append(_unknown(where, type(self)))
                continue
            extra = field.json_schema_extra
            unit = extra.get("unit") if isinstance(extra, dict) else ""
            try:
                if isinstance(value, str) and value.strip() == "":
                    value = field.get_default()
                elif unit == SCENE and isinstance(value, str):
                    value = read_length(value, scene_unit=scene_unit, where=where)
                values[name] = value
            except SettingError as refusal:
                refusals.append(refusal)
        if "settled_on" not in typed:
            values["settled_on"] = ""
        if not refusals:
            try:
                made = type(self).model_validate(values)
                refusals = made.faults()
                if not refusals:
                    return made
            except ValidationError as error:
                refusals = [_refusal(self.knot, fault) for fault in error.errors()]
        raise refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)


def _unknown(where: str, model: type[KnotSettings]) -> SettingError:
    names = ", ".join(f"{model.knot}.{name}" for name in model.model_fields)
    return SettingError(
        f"There is no setting {where}.",
        where=where,
        why="Nothing was changed.",
        remedy=f"There are: {names}.",
    )


def _refusal(knot: str, fault: Any) -> SettingError:
    """Put pydantic's fault into a sentence of ours."""
    where = ".".join([knot, *map(str, fault["loc"])])
    given, context = fault.get("input"), fault.get("ctx", {})
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
