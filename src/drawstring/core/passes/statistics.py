"""What one frame of a pass holds, in numbers: enough to see a flicker, a black pass, a torn value.

Counted once for every frame by workers and kept; what they mean over a whole delivery is told by
`arrivals.facts`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import xxhash
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.depth.background import HUGE


@dataclass(frozen=True)
class PassStatistics:
    """One pass of one frame.

    Attributes
    ----------
    low, high, mean : float
        Over finite values below `HUGE`, the alpha of a colour left out; 0 where there are none.
    nan, infinite, negative : int
        Pixels with any channel of each kind; the sign is asked of finite values only.
    values : int
        Pixels.
        How many there are.
    odd : (row, column) or None
        The first pixel with a NaN, else with an infinite value.
    digest : str
        Of all values' bits: equal pictures have equal digests.
    alpha : dict
        For colours with alpha: `low`, `high`, shares of `part`-covered pixels, of `over` (part-covered ones
        brighter than their alpha) and of `lit_nothing` (colour where alpha is 0).
    told : dict
        What was told beside: see `recipe.told`.
    odd_values : three int
        Values of all channels that are NaN, infinite, below 0: as `pack.odd` counts what is written.
    """

    low: float
    high: float
    mean: float
    nan: int
    infinite: int
    negative: int
    values: int
    odd: tuple[int, int] | None
    digest: str
    alpha: dict[str, float]
    told: dict[str, Any] = field(default_factory=dict)
    odd_values: tuple[int, int, int] = (0, 0, 0)

    def as_dict(self) -> dict[str, Any]:
        """Give plain data, for JSON; short names, as there is one of these to each pass and frame."""
        plain: dict[str, Any] = {
            "l": self.low, "h": self.high, "m": self.mean, "n": self.values, "d": self.digest,
        }  # fmt: skip
        for key, value in (
            ("nan", self.nan),
            ("inf", self.infinite),
            ("neg", self.negative),
            ("at", self.odd),
            ("v", self.odd_values if any(self.odd_values) else None),
        ):
            if value:
                plain[key] = value
        return plain | ({"a": self.alpha} if self.alpha else {}) | ({"t": self.told} if self.told else {})


def statistics_from_dict(plain: dict[str, Any]) -> PassStatistics:
    """Read statistics back."""
    at = plain.get("at")
    return PassStatistics(
        plain["l"], plain["h"], plain["m"], plain.get("nan", 0), plain.get("inf", 0), plain.get("neg", 0),
        plain["n"], (at[0], at[1]) if at else None, plain["d"], plain.get("a", {}), plain.get("t", {}),
        tuple(plain.get("v", (0, 0, 0))),
    )  # fmt: skip


def pass_statistics(planes: Sequence[Stored], *, has_alpha: bool) -> PassStatistics:
    """Count one pass of one frame.

    Parameters
    ----------
    planes : sequence of (H, W)
        In component order.
    has_alpha : bool
        Whether the fourth channel is the coverage of the first three.

    Examples
    --------
    >>> one = pass_statistics([np.float32([[1, np.nan], [-2, 4]])], has_alpha=False)
    >>> one.low, one.high, one.mean, one.nan, one.negative, one.odd
    (-2.0, 4.0, 1.0, 1, 1, (0, 1))
    """
    digest = xxhash.xxh3_64()
    lows, highs, total, count = [], [], 0.0, 0
    odd: tuple[int, int] | None = None
    masks: dict[str, NDArray[np.bool_]] = {}
    odd_values = {"nan": 0, "infinite": 0, "negative": 0}

    def mark(kind: str, where: NDArray[np.bool_]) -> None:
        odd_values[kind] += int(where.sum())
        masks[kind] = masks[kind] | where if kind in masks else where

    for i, plane in enumerate(planes):
        digest.update(np.ascontiguousarray(plane).data)
        seen: NDArray[Any]
        if plane.dtype == np.uint32:
            seen = plane.astype(np.float64).ravel()
        else:
            wide = plane.astype(np.float32)
            known = np.isfinite(wide)
            whole = bool(known.all())
            if not whole:
                is_nan = np.isnan(wide)
                mark("nan", is_nan)
                mark("infinite", ~known & ~is_nan)
                if odd is None:
                    at = is_nan if is_nan.any() else ~known
                    row, col = np.unravel_index(int(np.argmax(at)), at.shape)
                    odd = int(row), int(col)
            seen = wide.ravel() if whole else wide[known]
            if seen.size and seen.min() < 0:
                mark("negative", known & (wide < 0))
        seen = seen[np.abs(seen) < HUGE] if seen.size and np.abs(seen).max() >= HUGE else seen
        if i == 3 and has_alpha or not seen.size:
            continue
        lows.append(float(seen.min()))
        highs.append(float(seen.max()))
        total += float(seen.sum(dtype=np.float64))
        count += seen.size
    nan, infinite, negative = (
        int(masks[kind].sum()) if kind in masks else 0 for kind in ("nan", "infinite", "negative")
    )
    values = planes[0].size
    return PassStatistics(
        _short(min(lows, default=0.0)), _short(max(highs, default=0.0)),
        _short(total / count if count else 0.0),
        nan, infinite, negative, values, odd, digest.hexdigest(),
        _alpha_statistics(planes) if has_alpha else {},
        odd_values=(odd_values["nan"], odd_values["infinite"], odd_values["negative"]),
    )  # fmt: skip


def joined(bands: Sequence[PassStatistics]) -> PassStatistics:
    """Put the counts of a pass's bands together, from the top to the bottom.

    What alpha speaks for, and what was told beside the counts, is taken from the middle band. The digest
    is one of digests: it compares with those of frames that were counted in the same bands.
    """
    if len(bands) == 1:
        return bands[0]
    middle = bands[len(bands) // 2]
    values = sum(one.values for one in bands)
    digest = xxhash.xxh3_64()
    for one in bands:
        digest.update(one.digest.encode())
    alpha = dict(middle.alpha)
    if alpha:
        alpha["low"] = min(one.alpha["low"] for one in bands)
        alpha["high"] = max(one.alpha["high"] for one in bands)
    return PassStatistics(
        min(one.low for one in bands), max(one.high for one in bands),
        _short(sum(one.mean * one.values for one in bands) / max(1, values)),
        sum(one.nan for one in bands), sum(one.infinite for one in bands),
        sum(one.negative for one in bands), values, next((one.odd for one in bands if one.odd), None),
        digest.hexdigest(), alpha, middle.told,
        (
            sum(one.odd_values[0] for one in bands), sum(one.odd_values[1] for one in bands),
            sum(one.odd_values[2] for one in bands),
        ),
    )  # fmt: skip


def alpha_kind(alpha: dict[str, float]) -> str:
    """Say what kind of alpha the counts speak for, as a first word on it.

    Examples
    --------
    >>> alpha_kind({"low": 1, "high": 1, "part": 0, "over": 0, "lit_nothing": 0})
    'opaque'
    """
    if not alpha:
        return "missing"
    if alpha["low"] >= 0.999:
        return "opaque"
    if alpha["high"] <= 0.001:
        return "empty"
    if alpha["low"] < -0.001 or alpha["high"] > 1.001:
        return "outside 0 to 1"
    if alpha["lit_nothing"] > 0.02 or alpha["over"] > 0.3:
        return "straight"
    return "premultiplied" if alpha["part"] > 0 else "unsure"


def _alpha_statistics(planes: Sequence[Stored]) -> dict[str, float]:
    alpha = planes[3].astype(np.float32)
    brightest = np.maximum(np.maximum(planes[0], planes[1]), planes[2]).astype(np.float32)
    part = (alpha > 0.02) & (alpha < 0.98)
    parts = int(part.sum())
    nothing = alpha == 0
    nothings = int(nothing.sum())
    known = alpha[np.isfinite(alpha)]
    return {
        "low": _short(float(known.min())) if known.size else 0.0,
        "high": _short(float(known.max())) if known.size else 0.0,
        "part": round(parts / alpha.size, 6),
        "over": round(float((brightest[part] > 1.5 * alpha[part] + 0.02).mean()), 4) if parts else 0.0,
        "lit_nothing": round(float((brightest[nothing] > 1e-4).mean()), 4) if nothings else 0.0,
    }


def _short(value: float) -> float:
    return float(f"{value:.6g}")
