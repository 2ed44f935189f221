"""A sensible picture for each role, for trays and boards: eight bits, made for looking only."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.colour.view import through_view
from drawstring.core.depth.background import nothing_there
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, Role

Shown = NDArray[np.uint8]
"""(H, W, 3) display values."""

_REDDEST, _SPREAD, _THIRD = (
    0x9E3779B1,
    0x85EBCA77,
    0xC2B2AE3D,
)  # odd numbers that stir the bits of a name's hash


def look(role: Role, planes: Sequence[Stored]) -> Shown:
    """Make a pass visible.

    Parameters
    ----------
    role : Role
        Light goes through the plain view; distances are spread between their own ends; normals are
        lifted from -1..1; hashed names get stable colours; the rest is shown as values.
    planes : sequence of (H, W)
        The pass's channels, in component order.

    Returns
    -------
    (H, W, 3) uint8
    """
    if role in HASHED_ROLES and len(planes) >= 2:
        return matte_colours(planes)
    if role is Role.ID and len(planes) == 1:
        return id_colours(planes[0])
    values = np.stack([plane.astype(np.float32) for plane in planes[:3]], axis=-1)
    if role is Role.DEPTH:
        return _grey(_distance_values(values[..., 0]))
    values = np.nan_to_num(values, nan=0, posinf=1e4, neginf=-1e4)
    if role is Role.POSITION:
        low, high = np.percentile(values, [2, 98])
        values = (values - low) / max(float(high - low), 1e-6)
    elif role is Role.MOTION:
        reach = max(float(np.percentile(np.abs(values), 98)), 1e-6)
        values = values / (2 * reach) + 0.5
    elif role is Role.NORMAL:
        values = np.where((values == 0).all(axis=-1, keepdims=True), 0, values * 0.5 + 0.5)
    if values.shape[-1] == 1:
        return _grey(values[..., 0])
    if values.shape[-1] == 2:
        values = np.concatenate([values, np.zeros_like(values[..., :1])], axis=-1)
    if role in COLOUR_ROLES:
        values = through_view(values, "plain")
    return np.asarray((np.clip(values, 0, 1) * 255 + 0.5), np.uint8)


def matte_colours(planes: Sequence[Stored]) -> Shown:
    """Give each hashed name a stable colour, its coverage the strength.

    Parameters
    ----------
    planes : sequence of (H, W) float32
        Name, coverage, name, coverage ... as the open Cryptomatte specification 1.2 stores them.
    """
    colour = np.zeros((*planes[0].shape, 3), np.float32)
    for name, coverage in zip(planes[0::2], planes[1::2], strict=False):
        bits = np.ascontiguousarray(name, np.float32).view(np.uint32)
        stirred = np.stack(
            [bits * np.uint32(_REDDEST), bits * np.uint32(_SPREAD), bits >> np.uint32(5)], axis=-1
        )
        hue = ((stirred >> np.uint32(13)) & np.uint32(0xFF)).astype(np.float32) / 255
        colour += np.where(bits[..., None] == 0, 0, 0.25 + 0.6 * hue) * coverage.astype(np.float32)[..., None]
    return np.asarray(np.clip(colour, 0, 1) * 255 + 0.5, np.uint8)


def id_colours(plane: Stored) -> Shown:
    """Give each whole number a stable colour; 0 is black."""
    numbers = np.nan_to_num(plane.astype(np.float64))
    # Whole numbers may come as shares of the highest code of 16 bits.
    numbers = numbers * 65535 if numbers.size and 0 < numbers.max() <= 1 else numbers
    bits = np.round(np.clip(numbers, 0, 2**31)).astype(np.uint32)
    stirred = np.stack(
        [bits * np.uint32(_REDDEST), bits * np.uint32(_SPREAD), bits * np.uint32(_THIRD)], axis=-1
    )
    shade = 0.25 + 0.7 * ((stirred >> np.uint32(17)) & np.uint32(0xFF)).astype(np.float32) / 255
    return np.asarray(np.where(bits[..., None] == 0, 0, shade) * 255 + 0.5, np.uint8)


def _distance_values(z: NDArray[np.float32]) -> NDArray[np.float32]:
    nothing = nothing_there(z)
    if nothing.all():
        return np.zeros_like(z)
    near, far = np.percentile(z[~nothing], [0.5, 99.5])
    spread = np.where(nothing, far, z)
    # By reciprocal, so that what is near keeps its form beside far hills.
    value = (1 / spread - 1 / far) / max(float(1 / near - 1 / far), 1e-9)
    return np.asarray(np.clip(value, 0, 1) ** 0.6, np.float32)


def _grey(values: NDArray[np.float32]) -> Shown:
    eight = np.asarray(np.clip(np.nan_to_num(values), 0, 1) * 255 + 0.5, np.uint8)
    return np.repeat(eight[..., None], 3, axis=-1)
