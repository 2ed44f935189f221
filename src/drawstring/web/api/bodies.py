"""What programs send: typed, and the source of the interface's document."""

from __future__ import annotations

import json
from typing import Any, TypeVar

from flask import request
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from drawstring.core.errors import SettingError, SeveralSettingErrors


class Body(BaseModel):
    """A request's JSON object; what it does not know is refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class NewShow(Body):
    """A show to be made."""

    code: str = Field(description="Its name, which can be a folder's.")
    title: str = Field("", description="What people call it.")
    fps: float = Field(24.0, description="Frames a second.")
    unit: str = Field("m", description="Unit of its scenes: mm, cm, m, km, in, ft.")


class NewDelivery(Body):
    """A folder to be accepted for a shot; the shot is made where it is new."""

    folder: str = Field(description="A folder below the roots.")
    version: int = Field(0, description="Which version, where several lie there; 0 takes the newest.")
    title: str = Field("", description="For a new shot.")


class Values(Body):
    """Settings by dotted name."""

    values: dict[str, Any] = Field(description='Such as {"depth.near": "4.2 m"}.')
    frame: int | None = Field(None, description="Where values that change over the frames get their key.")
    settle: bool = Field(True, description="Whether the knots they belong to are settled.")


class KnotName(Body):
    """A knot."""

    knot: str = Field(description="arrivals, depth, alpha, eyes or pack.")


class NewOrder(Body):
    """An order for some shots."""

    shots: list[str] = Field(
        [], max_length=2000, description="Codes of the show's shots; none for all of them."
    )
    says: str = Field("", max_length=400, description="What it is for.")


class Purpose(Body):
    """What something is made for."""

    says: str = Field("", max_length=400, description="What it is for.")


class AskedOnceMore(Body):
    """Frames and passes that are asked for again."""

    render: str = Field(description="The render's name in the order.")
    frames: list[int] = Field(min_length=1, max_length=100_000, description="Their numbers.")
    passes: list[str] = Field([], description="Just these passes; none for all.")
    why: str = Field("", max_length=200, description="What was wrong.")


class OwedTable(Body):
    """Pieces that a show owes."""

    table: str = Field(description="Rows of shot, variant, view, title, frames, size, passes, due, note.")
    replaces: bool = Field(False, description="Whether what is not in it leaves the list.")


class NewRuns(Body):
    """Shots to be run."""

    shots: list[str] = Field(min_length=1, description="Codes of the show's shots.")


class Copying(Body):
    """A copy of a package."""

    folder: str = Field("", description="A folder below the hand-off folder.")


class ForMany(Body):
    """The same for many shots: knots of one, or settings."""

    shots: list[str] = Field(min_length=1, description="Codes of the shots to change.")
    knots: list[str] = Field([], description="With `from`: knots to copy.")
    source: str = Field("", alias="from", description="Code of the shot to copy from.")
    values: dict[str, Any] = Field({}, description="Or settings by dotted name.")
    write: bool = Field(False, description="False only tells what would change.")


class Trying(Body):
    """Frames packed and thrown away, to see what a run would come to."""

    frames: int = Field(3, ge=1, le=20, description="How many frames are packed.")


class SendingTo(Body):
    """Where a package is sent."""

    inbox: str = Field(description="What the inbox is called; `GET /inboxes` lists them.")


BODIES: dict[str, type[Body]] = {
    "api.make_order": NewOrder,
    "api.ask_once_more": AskedOnceMore,
    "api.make_repair": Purpose,
    "api.put_owed": OwedTable,
    "api.make_show": NewShow, "api.accept": NewDelivery, "api.set_values": Values, "api.settle": KnotName,
    "api.run_shots": NewRuns, "api.copy": Copying, "api.for_many": ForMany,
    "api.estimate": Trying, "api.send": SendingTo,
}  # fmt: skip
"""What each route reads."""


def read_json() -> dict[str, Any]:
    """Read the request's JSON object as it is.

    Raises
    ------
    SettingError
        It is none, nested deeper than can be read, or holds numbers that JSON does not have.
    """
    try:
        plain = json.loads(request.get_data(), parse_constant=_refuse_constant) if request.is_json else None
    except (ValueError, RecursionError):
        plain = None
    if not isinstance(plain, dict):
        raise SettingError(
            "The request holds no JSON object.", where="body", why="It is not known what is asked.",
            remedy="Send one, with Content-Type: application/json; NaN and Infinity are no JSON.",
        )  # fmt: skip
    return plain


def _refuse_constant(name: str) -> None:
    raise ValueError(f"{name} is no JSON")


Read = TypeVar("Read", bound=Body)


def read_body(kind: type[Read]) -> Read:
    """Read the request's JSON object.

    Raises
    ------
    SettingError
        It is no JSON object, or something in it is refused; all of it told together.
    """
    plain = read_json()
    try:
        return kind.model_validate(plain)
    except ValidationError as error:
        refusals = [
            SettingError(
                f"“{str(one['input'])[:80]}” can't be {'.'.join(map(str, one['loc']))}."
                if one["type"] != "missing"
                else f"{'.'.join(map(str, one['loc']))} is missing.",
                where=".".join(map(str, one["loc"])), why="Nothing was changed.",
                remedy=f"{one['msg']}; see /api/v1/openapi.json.",
            )
            for one in error.errors()
        ]  # fmt: skip
        raise (refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)) from error
