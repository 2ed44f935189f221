"""A stereo rig planned from distances: interaxial, convergence, and what parallax they come to."""

from __future__ import annotations

from dataclasses import dataclass

from drawstring.core.eyes.rig import Limits, RigSums, limits_for, start_interaxial, sums


@dataclass(frozen=True)
class RigPlan:
    """A rig as planned.

    Attributes
    ----------
    told : RigSums
    limits : Limits
        Of the screen, in % of the picture's width.
    nearest, subject, farthest : float
        Scene units.
    """

    told: RigSums
    limits: Limits
    nearest: float
    subject: float
    farthest: float

    @property
    def shares(self) -> tuple[float, float, float]:
        """Parallax at nearest, subject and farthest in % of the width."""
        return (
            self.told.share(self.told.at_near), self.told.share(self.told.at_subject),
            self.told.share(self.told.at_far),
        )  # fmt: skip

    @property
    def is_comfortable(self) -> bool:
        """Whether nothing goes beyond what the screen allows."""
        return min(self.shares) >= self.limits.near and max(self.shares) <= self.limits.far

    @property
    def largest_interaxial(self) -> float:
        """The interaxial at which the first limit is met; parallax grows with it evenly.

        Convergence stays as it is.
        """
        near, _, far = self.shares
        allows = [
            limit / share
            for share, limit in ((near, self.limits.near), (far, self.limits.far))
            if share * limit > 0
        ]
        return self.told.interaxial * min(allows, default=1.0)


def plan_rig(
    *, subject: float, nearest: float | None, farthest: float | None, ratio: float,
    interaxial: float | None, convergence: float | None, focal_mm: float, filmback_mm: float, width: int,
    screen_m: float, viewer_m: float,
) -> RigPlan:  # fmt: skip
    """Plan a rig; what is not given follows from the subject's distance.

    Parameters
    ----------
    subject, nearest, farthest : float
        Along the axis, scene units; the nearest is the subject when not given, the farthest infinite.
    ratio : float
        How many interaxials away the nearest thing is.
    interaxial, convergence : float, optional
        Scene units; the nearest by the ratio, and the subject's distance, when not given.

    Examples
    --------
    >>> rig = plan_rig(subject=3, nearest=None, farthest=30, ratio=30, interaxial=None, convergence=None,
    ...                focal_mm=36, filmback_mm=36, width=1000, screen_m=1.2, viewer_m=2.5)
    >>> rig.told.interaxial, rig.told.at_subject, rig.told.at_far
    (0.1, 0.0, 30.0)
    """
    near = subject if nearest is None else nearest
    far = float("inf") if farthest is None else farthest
    between = start_interaxial(near, ratio) if interaxial is None else interaxial
    told = sums(
        nearest=near, subject=subject, farthest=far, interaxial=between, convergence=convergence or subject,
        focal_px=focal_mm / filmback_mm * width, width=width,
    )  # fmt: skip
    return RigPlan(told, limits_for(screen_m, viewer_m), near, subject, far)
