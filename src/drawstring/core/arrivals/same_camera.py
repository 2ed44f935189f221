"""Whether two pictures were taken by the same camera: by what they say, and by laying one over the other.

A shift between two renders of one camera is found by phase correlation to a hundredth of a pixel over the
whole picture, then again in tiles: the field of small shifts tells a moved camera from a changed lens,
a turned one or another size.

Source: M. Guizar-Sicairos, S. T. Thurman, J. R. Fienup, "Efficient subpixel image registration algorithms",
Optics Letters 33(2), 2008, pp. 156-158 (as implemented in scikit-image).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane
from drawstring.core.io.facts import FileFacts

SAME_PX = 0.1
"""Below this shift everywhere the pictures line up."""

CAMERA = ("worldToCamera", "pinholeFocalLength", "sensorOverallDimensions", "nearClip", "farClip")
"""Header attributes that describe a camera; the first three as OpenEXR names them."""

ALIKE = 0.35
"""Below this correlation after shifting, a shift means nothing."""

_UPSAMPLE = 100
_FLAT = 0.02


@dataclass(frozen=True)
class Shift:
    """How far a tile's contents lie apart: right and down positive, in pixels, and how sure that is."""

    x: float
    y: float
    right: float
    down: float
    sure: float


@dataclass(frozen=True)
class SameCamera:
    """What comparing two pictures brought.

    Attributes
    ----------
    is_same : bool or None
        None where the pictures are too empty to tell.
    right, down : float
        Shift of the second against the first, pixels.
    tiles : tuple of Shift
        At tile centres, in pixels of the picture.
    turn_deg, scale : float
        What a turn and a growth about the middle explain of the tiles' shifts.
    said : tuple of str
        Differences between what the headers say of the camera, in words.
    words : str
        The answer in a sentence.
    """

    is_same: bool | None
    right: float
    down: float
    tiles: tuple[Shift, ...]
    turn_deg: float
    scale: float
    said: tuple[str, ...]
    words: str


def compare(first: Plane, second: Plane, *, said: tuple[str, ...] = (), tile: int = 96) -> SameCamera:
    """Lay one picture over another.

    Parameters
    ----------
    first, second : (H, W) float32
        Brightness of the two, of one size; any range. NaN and infinity count as 0.
    said : tuple of str
        What `camera_differences` found, to be told together.
    tile : int
        Side of a tile in pixels.

    Raises
    ------
    ValueError
        The sizes differ.
    """
    if first.shape != second.shape:
        raise ValueError(f"shapes differ: {first.shape} and {second.shape}")
    a, b = _ready(first), _ready(second)
    if a.std() < 1e-6 or b.std() < 1e-6:
        return SameCamera(None, 0, 0, (), 0, 1, said, "One of the pictures is empty: nothing to line up.")
    down, right = _shift(a, b)
    alike = _alike(a, b, (round(down), round(right)))
    if alike < ALIKE:
        words = "The pictures have little in common: another scene, or cameras far apart."
        return SameCamera(False, right, down, (), 0, 1, said, words)
    tiles = _tiles(a, b, (down, right), min(tile, *a.shape))
    turn, scale = _turn_and_scale(tiles, a.shape)
    worst = max((math.hypot(t.right, t.down) for t in tiles if t.sure > 0.5), default=math.hypot(right, down))
    is_same = bool(math.hypot(right, down) < SAME_PX and worst < 5 * SAME_PX and not said)
    found = SameCamera(is_same, right, down, tiles, turn, scale, said, "")
    return replace(found, words=_words(found, worst))


def camera_words(facts: FileFacts) -> list[str]:
    """Say what a header tells of its camera: lens, film back, clip planes, kind of depth, unit.

    Parameters
    ----------
    facts : FileFacts
        Only the first part is asked.
    """
    said = facts.parts[0].metadata if facts.parts else {}
    words = []
    if isinstance(said.get("pinholeFocalLength"), int | float):
        words.append(f"{said['pinholeFocalLength']:g} mm")
    if isinstance(said.get("sensorOverallDimensions"), list):
        words.append(f"film back {said['sensorOverallDimensions'][0]:g} mm")
    near, far = said.get("nearClip"), said.get("farClip")
    if isinstance(near, int | float) and isinstance(far, int | float):
        words.append(f"clips {near:.4g} to {far:.4g}")
    words += [f"depth {said[name]}" for name in ("depthKind",) if isinstance(said.get(name), str)]
    words += [f"lengths in {said[name]}" for name in ("sceneUnit",) if isinstance(said.get(name), str)]
    return words


def camera_differences(first: Mapping[str, Any], second: Mapping[str, Any]) -> tuple[str, ...]:
    """Say how two headers' cameras differ; empty where they agree or one says nothing.

    Examples
    --------
    >>> camera_differences({"pinholeFocalLength": 35.0}, {"pinholeFocalLength": 50.0})
    ('focal length is 35 mm and 50 mm',)
    """
    found = []
    for name in CAMERA:
        a, b = first.get(name), second.get(name)
        if a is None or b is None or np.allclose(np.ravel(a), np.ravel(b), rtol=1e-5, atol=1e-6):
            continue
        if name == "pinholeFocalLength":
            found.append(f"focal length is {a:g} mm and {b:g} mm")
        elif name == "worldToCamera":
            apart = float(np.abs(_position(a) - _position(b)).max())
            found.append(
                f"the cameras stand {apart:.3g} units apart" if apart > 1e-4 else "the cameras look elsewhere"
            )
        elif name == "sensorOverallDimensions":
            found.append(f"film back is {a[0]:g} mm and {b[0]:g} mm wide")
        else:
            found.append(f"{'near' if name == 'nearClip' else 'far'} clip is {a:g} and {b:g}")
    return tuple(found)


def _position(matrix: Any) -> NDArray[np.float64]:
    m = np.asarray(matrix, np.float64).reshape(4, 4)
    return np.asarray(-m[3, :3] @ m[:3, :3].T)


def _ready(plane: Plane) -> NDArray[np.float32]:
    """Compress the range, so that a highlight does not outweigh all edges, and take the mean away."""
    values = np.nan_to_num(plane.astype(np.float32), nan=0, posinf=0, neginf=0)
    values = np.log1p(np.clip(values, 0, None) / max(float(np.median(np.abs(values))), 1e-4))
    return np.asarray(values - values.mean(), np.float32)


def _windowed(values: NDArray[np.float32]) -> NDArray[np.float32]:
    height, width = values.shape
    return (
        values * np.hanning(height).astype(np.float32)[:, None] * np.hanning(width).astype(np.float32)[None]
    )


def _register(a: NDArray[np.float32], b: NDArray[np.float32], **how: Any) -> Any:
    # Loaded when it is needed: half a second, which every start of the house would pay.
    from skimage.registration import phase_cross_correlation

    register: Any = phase_cross_correlation  # untyped in its package
    return register(a, b, **how)


def _shift(a: NDArray[np.float32], b: NDArray[np.float32]) -> tuple[float, float]:
    """Give the shift of b against a: (down, right)."""
    moved, _, _ = _register(_windowed(a), _windowed(b), upsample_factor=_UPSAMPLE, normalization=None)
    down, right = -float(moved[0]), -float(moved[1])
    # The windows stand still while the pictures move, which pulls the answer towards 0: shift and ask again.
    for _ in range(2):
        whole = (round(down), round(right))
        if whole == (0, 0):
            break
        overlap_a, overlap_b = _overlap(a, b, whole)
        moved, _, _ = _register(
            _windowed(overlap_a), _windowed(overlap_b), upsample_factor=_UPSAMPLE, normalization=None
        )
        down, right = whole[0] - float(moved[0]), whole[1] - float(moved[1])
    return down, right


def _overlap(
    a: NDArray[np.float32], b: NDArray[np.float32], moved: tuple[int, int]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Cut both so that what b shows lies where a shows it, for b moved by whole pixels."""
    height, width = a.shape
    down, right = moved
    rows_a = slice(max(0, -down), min(height, height - down))
    cols_a = slice(max(0, -right), min(width, width - right))
    rows_b = slice(rows_a.start + down, rows_a.stop + down)
    cols_b = slice(cols_a.start + right, cols_a.stop + right)
    return a[rows_a, cols_a], b[rows_b, cols_b]


def _alike(a: NDArray[np.float32], b: NDArray[np.float32], moved: tuple[int, int]) -> float:
    """Give how far two pictures agree where they overlap after a shift: 1 the same, 0 nothing in common."""
    if abs(moved[0]) > a.shape[0] // 2 or abs(moved[1]) > a.shape[1] // 2:
        return 0.0
    one, other = _overlap(a, b, moved)
    if one.std() < 1e-6 or other.std() < 1e-6:
        return 0.0
    return float(np.corrcoef(one.ravel(), other.ravel())[0, 1])


def _tiles(
    a: NDArray[np.float32], b: NDArray[np.float32], around: tuple[float, float], size: int
) -> tuple[Shift, ...]:
    height, width = a.shape
    strength = float(np.std(a)) or 1.0
    rows = np.unique(np.linspace(0, height - size, max(1, math.ceil(height / size))).astype(int))
    cols = np.unique(np.linspace(0, width - size, max(1, math.ceil(width / size))).astype(int))
    found = []
    for row in rows:
        for col in cols:
            one = a[row : row + size, col : col + size]
            if float(one.std()) < _FLAT * strength:
                continue
            off_row = int(np.clip(row + round(around[0]), 0, height - size))
            off_col = int(np.clip(col + round(around[1]), 0, width - size))
            other = b[off_row : off_row + size, off_col : off_col + size]
            moved, error, _ = _register(
                _windowed(one - one.mean()), _windowed(other - other.mean()), upsample_factor=_UPSAMPLE,
                normalization=None,
            )  # fmt: skip
            down = off_row - row - float(moved[0])
            right = off_col - col - float(moved[1])
            found.append(
                Shift(col + size / 2, row + size / 2, right, down, float(np.clip(1 - error**2, 0, 1)))
            )
    return tuple(found)


def _turn_and_scale(tiles: tuple[Shift, ...], shape: tuple[int, ...]) -> tuple[float, float]:
    """Fit a similarity to the tiles' shifts: turn in degrees (clockwise on screen) and scale."""
    sure = [tile for tile in tiles if tile.sure > 0.5]
    if len(sure) < 4:
        return 0.0, 1.0
    x = np.array([tile.x - shape[1] / 2 for tile in sure])
    y = np.array([tile.y - shape[0] / 2 for tile in sure])
    u, v = np.array([tile.right for tile in sure]), np.array([tile.down for tile in sure])
    ones, none = np.ones_like(x), np.zeros_like(x)
    # u = (s cos - 1) x - s sin y + tx;  v = s sin x + (s cos - 1) y + ty
    rows = np.concatenate([np.stack([x, -y, ones, none], 1), np.stack([y, x, none, ones], 1)])
    moved = np.concatenate([u - np.median(u), v - np.median(v)])
    fitted, *_ = np.linalg.lstsq(rows, np.concatenate([u, v]), rcond=None)
    left = rows @ fitted - np.concatenate([u, v])
    # Things at different depths seen by two eyes move apart, too; a turn is told only where it explains most.
    if float(np.sqrt((left**2).mean())) > 0.4 * float(np.sqrt((moved**2).mean())):
        return 0.0, 1.0
    p, q = fitted[:2]
    return float(np.degrees(np.arctan2(q, 1 + p))), float(np.hypot(1 + p, q))


def _words(found: SameCamera, worst: float) -> str:
    right, down = found.right, found.down
    if found.is_same:
        apart = max(abs(right), abs(down), 0.01)
        return f"The same camera: the pictures lie within {apart:.2f} px of each other."
    parts = []
    if math.hypot(right, down) >= SAME_PX:
        parts.append(f"the second lies {abs(right):.2f} px {'right' if right > 0 else 'left'} and "
                     f"{abs(down):.2f} px {'down' if down > 0 else 'up'}")  # fmt: skip
    if abs(found.turn_deg) > 0.02:
        parts.append(f"it is turned by {found.turn_deg:.2f}°")
    if abs(found.scale - 1) > 0.0005:
        parts.append(f"it is {found.scale:.4f} times as large")
    if worst - math.hypot(right, down) > 10 * SAME_PX and len(parts) < 2:
        parts.append(
            f"parts of it lie up to {worst:.1f} px apart, as for two eyes or where things have moved"
        )
    if found.said:
        parts.append("the headers differ: " + "; ".join(found.said))
    return "Not the same camera: " + (", ".join(parts) or "parts of the picture have moved") + "."
