"""Colour changed on scene-linear light: exposure, white balance, contrast, saturation, and the ASC CDL.

All of it is done on the unmultiplied colour and multiplied back, so that half-covered rims keep theirs.

Source of slope, offset, power and saturation: "ASC Color Decision List (ASC CDL) Transfer Functions and
Interchange Syntax", ASC Technology Committee, version 1.2, 2009: out = (in x slope + offset) ^ power, then
saturation about luma with the weights of ITU-R BT.709. Where it clamps, both are held to 0 to 1, as that
version says; where it doesn't, values below 0 pass the power unchanged, so that light above 1 stays.

In this order: exposure and balance, contrast, curves, saturation, ASC CDL, lookup table.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.colour.curve import Curve, read_curve, sampled
from drawstring.core.colour.grade_kernel import grade_pixels
from drawstring.core.colour.kept_files import find_kept, read_kept
from drawstring.core.colour.management import HOUSE, Management
from drawstring.core.colour.table import read_space, through_table
from drawstring.core.errors import SettingError
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour, read_numbers
from drawstring.core.settings import setting

WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Of R, G and B in luminance: ITU-R BT.709-6, 3.2."""


class GradeSettings(KeyedSettings):
    """How colour is changed; every default changes nothing."""

    on: bool = setting(True, "Whether it is done; off to compare.")
    exposure: float = setting(0.0, "Brighter or darker.", unit="stops", ge=-20, le=20, keyed=True)
    balance: Colour = setting(
        (1.0, 1.0, 1.0), "White balance: what R, G and B are multiplied by.", reader=read_colour, keyed=True
    )
    contrast: float = setting(1.0, "Steepness about the pivot.", gt=0, le=10, keyed=True)
    pivot: float = setting(0.18, "The light that contrast leaves alone.", gt=0, le=1e4, keyed=True)
    saturation: float = setting(1.0, "0 is grey, 1 as it came.", ge=0, le=10, keyed=True)
    curve: Curve = setting((), "Light in and out, in pairs; for all three colours.", reader=read_curve)
    curve_red: Curve = setting((), "The same for red alone.", reader=read_curve)
    curve_green: Curve = setting((), "For green alone.", reader=read_curve)
    curve_blue: Curve = setting((), "For blue alone.", reader=read_curve)
    slope: Colour = setting((1.0, 1.0, 1.0), "ASC CDL: multiplied.", reader=read_colour, keyed=True)
    offset: Colour = setting((0.0, 0.0, 0.0), "ASC CDL: added.", reader=read_numbers, keyed=True)
    power: Colour = setting((1.0, 1.0, 1.0), "ASC CDL: exponent.", reader=read_colour, keyed=True)
    cdl_saturation: float = setting(1.0, "ASC CDL: saturation.", ge=0, le=10, keyed=True)
    clamps: bool = setting(False, "Whether ASC CDL holds its values to 0 to 1, as for display colours.")
    table: str = setting("", "A lookup table that was brought in.", reader=read_kept, max_length=1000)
    table_in: str = setting(
        "log (ACEScct)", "The coding that the table reads and gives back.", reader=read_space
    )
    matte: str = setting("", "A named matte that limits it.", max_length=31)

    @property
    def changes(self) -> bool:
        """Whether it does anything."""
        plain = GradeSettings(
            on=self.on, matte=self.matte, pivot=self.pivot, clamps=self.clamps, table_in=self.table_in
        )
        return self.on and (self != plain.model_copy(update={"keys": self.keys}) or bool(self.keys))

    @property
    def fault(self) -> str:
        """Why it can't be done: its table is gone, or was changed; empty where it can."""
        if not (self.on and self.table):
            return ""
        try:
            find_kept(self.table, "grade.table")
        except SettingError as refusal:
            return refusal.what
        return ""

    def own_matte_refused(self, where: str) -> list[SettingError]:
        """Refuse a matte where colour is not limited by one."""
        if not self.matte:
            return []
        return [
            SettingError(
                f"Colour is limited by the matte {self.matte}, which it can't be here.",
                where=f"{where}.matte", why="A term or layer is changed whole.",
                remedy="Limit the layer itself by the matte, or change the picture's colour.",
            )
        ]  # fmt: skip


def graded(
    picture: Picture,
    settings: GradeSettings,
    matte: Plane | None = None,
    *,
    management: Management = HOUSE,
    threads: int = 1,
) -> Picture:
    """Change a picture's colour.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
    settings : GradeSettings
        As they are at the frame.
    matte : (H, W) float32, optional
        Where, and how much.
    management : Management
    threads : int

    Returns
    -------
    (H, W, 4) float32
        Alpha stays. Light where alpha is 0 is changed as far as it is there: black stays black.
    """
    if settings.table:
        changed = _through_table(picture, settings, management)
    else:
        flat = np.ascontiguousarray(picture, np.float32).reshape(-1, 4)
        changed = np.empty_like(flat)
        plan = _plan(settings)
        black = changed_colour(np.zeros((1, 3), np.float32), settings)[0]
        in_bands(
            lambda first, last: _kernel(first, last, flat, changed, *plan, black),
            len(flat), threads, size=1 << 15,
        )  # fmt: skip
        changed = changed.reshape(picture.shape)
    if matte is not None:
        share = np.clip(matte, 0, 1)[..., None]
        changed = picture + (changed - picture) * share
    return np.asarray(changed, np.float32)


def _through_table(picture: Picture, settings: GradeSettings, management: Management) -> Picture:
    """Change a picture's colour where a table is part of it: all colours at once."""
    light, alpha = picture[..., :3], picture[..., 3:4]
    divisor = np.where(alpha > 0, alpha, np.float32(1))
    colour = changed_colour(light / divisor, settings, management)
    # Where nothing covers, nothing is there to be offset.
    black = changed_colour(np.zeros((1, 1, 3), np.float32), settings, management)
    colour = np.where(alpha > 0, colour, colour - black)
    return np.concatenate([colour * divisor, alpha], axis=-1)


def changed_colour(
    colour: NDArray[np.floating], settings: GradeSettings, management: Management = HOUSE
) -> NDArray[np.floating]:
    """Change unmultiplied scene-linear colours, (..., 3) float32.

    Examples
    --------
    >>> changed_colour(np.float32([[0.18, 0.18, 0.18]]), GradeSettings(exposure=1)).round(2).tolist()
    [[0.36000001430511475, 0.36000001430511475, 0.36000001430511475]]
    """
    flat = np.ones((colour.size // 3, 4), np.float32)
    flat[:, :3] = np.reshape(colour, (-1, 3))
    changed = np.empty_like(flat)
    _kernel(0, len(flat), flat, changed, *_plan(settings), np.zeros(3, np.float32))
    colours = changed[:, :3]
    if settings.table:
        colours = through_table(colours, settings.table, settings.table_in, management)
    return np.reshape(colours, colour.shape)


_Plan = tuple[NDArray[Any], ...]
_kernel: Any = grade_pixels
"""Compiled: its types are those of the arrays it is given."""


def _plan(settings: GradeSettings) -> _Plan:
    """Give a grade as the compiled kernel takes it (see `grade_kernel.grade_pixels`)."""
    gains = [v * 2.0**settings.exposure for v in settings.balance]
    gains += [settings.contrast, settings.pivot, settings.saturation]
    own = (settings.curve, settings.curve_red, settings.curve_green, settings.curve_blue)
    samples = [sampled(curve) for curve in own]
    has_cdl = (
        settings.slope != (1, 1, 1) or settings.offset != (0, 0, 0) or settings.power != (1, 1, 1)
        or settings.cdl_saturation != 1 or settings.clamps
    )  # fmt: skip
    decided = (*settings.slope, *settings.offset, *settings.power, settings.cdl_saturation)
    return (
        np.array(gains, np.float32),
        np.stack([gain for _, gain in samples]),
        np.array([ends for ends, _ in samples], np.float32),
        np.array(decided, np.float32),
        WEIGHTS,
        np.array([settings.contrast != 1, has_cdl, settings.clamps, *(bool(curve) for curve in own)]),
    )


def saturated(colour: NDArray[np.floating], saturation: float) -> NDArray[np.floating]:
    """Bring colours nearer to their grey, or further from it: luma + s (colour - luma)."""
    grey = (colour @ WEIGHTS)[..., None]
    return grey + np.float32(saturation) * (colour - grey)


def grey_balance(colour: NDArray[np.floating], where: str) -> NDArray[np.floating]:
    """Give what R, G and B have to be multiplied by so that a colour becomes grey, as bright as it was.

    Raises
    ------
    SettingError
        One of them is black there.
    """
    if (colour <= 1e-6).any():
        raise SettingError(
            "There is no light in one of R, G and B there.", where=where, why="It can't be made grey.",
            remedy="Click on something that should be grey or white.",
        )  # fmt: skip
    gain = float(colour @ WEIGHTS) / colour
    return np.asarray(gain)
