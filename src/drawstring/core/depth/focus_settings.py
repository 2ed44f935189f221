"""What is settled of the focus: what is sharp, and how unsharp the rest becomes."""

from __future__ import annotations

from drawstring.core.choices import Choice
from drawstring.core.keyed import KeyedSettings
from drawstring.core.settings import SCENE, setting


class FocusBy(Choice):
    """What makes things unsharp."""

    LENS = "lens"
    """A thin lens: focal length, f-number, film back."""
    RADIUS = "radius", "largest radius"
    """By hand: the largest blur on either side, and how far from the focus it is reached."""


class RadiusIn(Choice):
    """The unit of the largest radius."""

    PX = "px"
    WIDTH = "percent", "% of width"


class FocusSettings(KeyedSettings):
    """Focus made from depth."""

    on: bool = setting(False, "Whether the picture is focused at all.")
    distance: float = setting(10.0, "Distance that is sharp.", unit=SCENE, gt=0, keyed=True)
    by: FocusBy = setting(FocusBy.LENS, "What makes the rest unsharp.")
    focal_mm: float | None = setting(
        None, "Focal length; empty takes the camera's.", unit="mm", gt=0, le=5000, keyed=True
    )
    stop: float = setting(2.8, "The f-number.", unit="f/", gt=0, le=1000, keyed=True)
    filmback_mm: float | None = setting(
        None, "Film width; empty takes the camera's.", unit="mm", gt=0, le=500
    )
    near_radius: float = setting(8.0, "Largest blur nearer than the focus.", ge=0, le=400, keyed=True)
    far_radius: float = setting(8.0, "Largest blur beyond the focus.", ge=0, le=400, keyed=True)
    radius_in: RadiusIn = setting(RadiusIn.PX, "The unit of these radii.")
    near_reach: float = setting(
        5.0, "How far before the focus the near blur is largest.", unit=SCENE, gt=0, keyed=True
    )
    far_reach: float = setting(
        40.0, "How far beyond the focus the far blur is largest.", unit=SCENE, gt=0, keyed=True
    )
    tilt: float = setting(
        0.0, "Tilts the sharp plane: top away from the camera.", unit="°", ge=-89, le=89, keyed=True
    )
    swing: float = setting(
        0.0, "Swings the sharp plane: right side away.", unit="°", ge=-89, le=89, keyed=True
    )
    blades: int = setting(0, "Sides of the opening; 0 is round.", ge=0, le=15)
    turn: float = setting(0.0, "Turns the opening.", unit="°", ge=-360, le=360)
    limit: float = setting(5.0, "No blur is larger than this.", unit="% of width", gt=0, le=20)
