"""Pictures of a feed, kept as files: the newest of each frame, read like any file from outside."""

from __future__ import annotations

import os
import shutil
import threading
from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.colour import look
from drawstring.core.errors import SourceError
from drawstring.core.io.facts import FileFacts
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import COLOUR_ROLES, Pass, recognise
from drawstring.runs.feeds.client import Feed
from drawstring.web.services import house

MOST_KEPT = 600
"""Pictures; the oldest leave first."""


@dataclass(frozen=True)
class Arrived:
    """A picture that came.

    Attributes
    ----------
    path : str
    facts : FileFacts
    passes : list of Pass
    revision, samples : int
    is_complete : bool
    """

    path: str
    facts: FileFacts
    passes: list[Pass]
    revision: int
    samples: int
    is_complete: bool


_KEPT: OrderedDict[tuple[str, str, int], Arrived] = OrderedDict()
_KEEPING = threading.Lock()


_BEGUN: set[str] = set()
"""Folders that this process has begun to use."""


def _folder() -> str:
    """Give where pictures are kept; what a former house left there is removed."""
    folder = os.path.join(house().installation.var, "feed")
    with _KEEPING:
        if folder not in _BEGUN:
            _BEGUN.add(folder)
            shutil.rmtree(folder, ignore_errors=True)
            os.makedirs(folder, exist_ok=True)
    return folder


def arrived(feed: Feed, name: str, render: str, frame: int, *, enough: int = 0) -> Arrived | None:
    """Give the newest picture of a frame, fetched if there is a newer one; None where nothing came yet.

    Parameters
    ----------
    feed : Feed
    name : str
        What the installation calls it.
    render : str
    frame : int
    enough : int
        A revision that is good enough if it is kept here: the renderer is not asked then.

    Raises
    ------
    SourceError
        What came is no picture.
    """
    key = name, render, frame
    with _KEEPING:
        before = _KEPT.get(key)
    if before is not None and 0 < enough <= before.revision:
        return before
    picture = feed.picture(render, frame, since=before.revision if before else 0)
    if picture is None:
        return before
    folder = _folder()
    path = os.path.join(folder, f"{name}-{render}-{frame}-{picture.revision}-{os.urandom(4).hex()}.exr")
    with open(path, "wb") as file:
        file.write(picture.data)
    try:
        facts = house().readers.read(path, read_facts, path)
        passes = recognise(facts)
    except SourceError as error:
        os.remove(path)
        raise SourceError(
            "What the renderer sent is no picture.", where=f"{name}, frame {frame}",
            why=str(error), remedy="It is fetched again by itself; look at the renderer.",
        ) from error  # fmt: skip
    came = Arrived(path, facts, passes, picture.revision, picture.samples, picture.is_complete)
    gone = [before] if before else []
    with _KEEPING:
        _KEPT[key] = came
        _KEPT.move_to_end(key)
        while len(_KEPT) > MOST_KEPT:
            gone.append(_KEPT.popitem(last=False)[1])
    for old in gone:
        if os.path.exists(old.path):
            os.remove(old.path)
    return came


def shown(came: Arrived, name: str, stops: float, wide: int) -> NDArray[np.uint8]:
    """Make a pass of a picture visible: (H, W, 3) uint8.

    Parameters
    ----------
    came : Arrived
    name : str
        Of the pass.
    stops : float
        Exposure, of what is light.
    wide : int
        Pixels across that are enough.

    Raises
    ------
    SourceError
        The picture has no such pass, or can't be read.
    """
    one = next((one for one in came.passes if one.name == name), None)
    if one is None:
        raise SourceError(
            f"The picture has no pass {name[:60]}.", where="feed", why="There is nothing to show.",
            remedy=f"There are: {', '.join(one.name for one in came.passes)}.",
        )  # fmt: skip
    is_light = one.role in COLOUR_ROLES
    window = came.facts.window
    level = min(4, max(0, (window.width // max(1, wide)).bit_length() - 1))
    refs = list(one.channels)
    planes = house().frames.planes({0: came.facts}, refs, window=window, level=level, is_light=is_light)
    values = [planes[ref] for ref in refs]
    is_baked = bool(came.facts.parts[0].metadata.get("displayBaked"))
    if is_light and is_baked:
        return np.stack(
            [np.clip(np.nan_to_num(plane.astype(np.float32)) * 255 + 0.5, 0, 255) for plane in values[:3]],
            axis=-1,
        ).astype(np.uint8)
    if is_light and stops:
        values = [plane.astype(np.float32) * np.float32(2.0**stops) for plane in values[:3]]
    return look(one.role, values)
