"""The feed's protocol, version 1: what a running renderer says of itself, and what it is asked for.

JSON over HTTP below an address of the renderer's, and pictures as OpenEXR files; docs/feed.md tells it
whole. Both
sides read these documents by the same models, so an answer that is none of them is refused in words.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from drawstring.core.errors import SourceError

PROTOCOL = "drawstring-feed"
VERSION = 1

MOST_SIDE = 8192
Share = Annotated[float, Field(ge=0, le=1)]
Colour = tuple[
    Annotated[float, Field(ge=0, le=1000)], Annotated[float, Field(ge=0, le=1000)],
    Annotated[float, Field(ge=0, le=1000)],
]  # fmt: skip


class _Document(BaseModel):
    # A renderer may say more than a reader of this version knows.
    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)


class _Asked(BaseModel):
    # What is asked for and not understood would be rendered otherwise than it was meant.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Hello(_Document):
    """Who answers."""

    protocol: str = Field(max_length=60)
    version: int
    renderer: str = Field("", max_length=200)
    passes: tuple[str, ...] = Field((), max_length=200)
    views: tuple[str, ...] = Field((), max_length=40, description="Displays that pictures can be baked for.")


class Light(_Document):
    """A light of a shot."""

    name: str = Field(min_length=1, max_length=120)
    kind: str = Field("", max_length=40)
    strength: float = Field(1.0, ge=0, description="Times what the scene has.")
    colour: Colour = (1.0, 1.0, 1.0)


class ShotOffered(_Document):
    """A shot that can be rendered."""

    code: str = Field(min_length=1, max_length=120)
    title: str = Field("", max_length=200)
    first: int = Field(ge=0)
    last: int = Field(ge=0)
    fps: float = Field(24.0, gt=0)
    size: tuple[int, int] = (960, 540)
    cameras: tuple[str, ...] = Field((), max_length=500)
    lights: tuple[Light, ...] = Field((), max_length=2000)


class SceneOffered(_Document):
    """A scene with its shots."""

    name: str = Field(max_length=200)
    shots: tuple[ShotOffered, ...] = Field((), max_length=5000)


class Scenes(_Document):
    """All that is offered."""

    scenes: tuple[SceneOffered, ...] = Field((), max_length=500)

    def shot(self, code: str) -> ShotOffered | None:
        """Give a shot by its code."""
        return next((shot for scene in self.scenes for shot in scene.shots if shot.code == code), None)


class LightChange(_Asked):
    """What is changed of a light."""

    strength: float | None = Field(None, ge=0, le=1e6, description="Times what the scene has.")
    colour: Colour | None = None


class RenderRequest(_Asked):
    """What is to be rendered."""

    shot: str = Field(min_length=1, max_length=120)
    camera: str = Field("", max_length=120)
    frames: tuple[int, int] = Field(description="First and last.")
    size: tuple[Annotated[int, Field(ge=8, le=MOST_SIDE)], Annotated[int, Field(ge=8, le=MOST_SIDE)]] = (
        480,
        270,
    )
    region: tuple[Share, Share, Share, Share] | None = Field(
        None, description="Left, top, right, bottom as shares of the frame; all of it when not given."
    )
    samples: int = Field(16, ge=1, le=100_000, description="Over the picture, for each pixel.")
    passes: tuple[str, ...] = Field(("beauty",), max_length=200)
    baked: str = Field("", max_length=80, description="A display to bake for; empty: scene-linear.")
    lights: dict[str, LightChange] = {}


class RenderStatus(_Document):
    """How far a render is."""

    id: str = Field(min_length=1, max_length=80)
    state: Literal["waiting", "rendering", "done", "cancelled", "failed"]
    frame: int | None = Field(None, description="What is rendered now.")
    frames_done: int = Field(0, ge=0)
    frames_total: int = Field(1, ge=1)
    samples: int = Field(0, ge=0, description="That the newest picture of `frame` has.")
    revision: int = Field(0, ge=0, description="Counts up with every new picture of any frame.")
    done: tuple[int, ...] = Field((), max_length=200_000, description="Frames that have all their samples.")
    fault: str = Field("", max_length=2000)


Model = TypeVar("Model", bound=BaseModel)


def read_answer(model: type[Model], text: bytes, where: str) -> Model:
    """Read an answer.

    Raises
    ------
    SourceError
        It is no JSON, or not such a document.
    """
    try:
        plain: Any = json.loads(text)
        return model.model_validate(plain)
    except (ValueError, RecursionError) as error:
        what = (
            "; ".join(
                f"{'.'.join(map(str, one['loc'])) or 'it'}: {one['msg'].lower()}"
                for one in error.errors()[:3]
            )
            if isinstance(error, ValidationError)
            else "no JSON"
        )
        raise SourceError(
            f"The renderer's answer can't be read: {what}.", where=where,
            why="Nothing of it can be believed.", remedy="Check that a renderer listens there, and its "
            "version.",
        ) from error  # fmt: skip


def check_hello(hello: Hello, where: str) -> Hello:
    """Give what answered, where it speaks this protocol in this version.

    Raises
    ------
    SourceError
        It speaks another one.
    """
    if hello.protocol != PROTOCOL:
        raise SourceError(
            f"“{hello.protocol[:40]}” answers there, not a renderer's feed.", where=where,
            why="Its pictures can't be asked for.", remedy="Check the address.",
        )  # fmt: skip
    if hello.version != VERSION:
        raise SourceError(
            f"The renderer speaks version {hello.version} of the feed; this house speaks {VERSION}.",
            where=where,
            why="What is asked for might be rendered otherwise than meant.",
            remedy="Bring both to the same version.",
        )  # fmt: skip
    return hello
