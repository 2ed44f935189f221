"""Whether eyes fit what they are made for: the screen, glasses, forms, a head that turns."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

import numpy as np

from drawstring.core.errors import SettingError
from drawstring.core.eyes.anaglyph import ghosting, matrices_of
from drawstring.core.eyes.packing import eye_size, round_packing
from drawstring.core.eyes.rig import limits_for
from drawstring.core.eyes.settings import AnaglyphFile, Came, EyesSettings, Form
from drawstring.core.eyes.told import Eyes, parallax_over_frames, set_eyes
from drawstring.core.findings import Finding, Mend, Severity, show_frame, show_pass

_MOST_GHOST = 0.15


def check_screen(settings: EyesSettings, told: Eyes, width: int, where: str) -> list[Finding]:
    """Compare parallax with what the screen allows, and with the frame's sides."""
    over = parallax_over_frames(told, settings)
    if not over or settings.is_round:
        return []
    limits = limits_for(settings.screen_m, settings.viewer_m)
    low, high = min(v[0] for v in over.values()), max(v[1] for v in over.values())
    found = []
    for is_far, value, limit in ((True, high, limits.far), (False, low, limits.near)):
        share = 100 * value / width
        if (share > limit) if is_far else (share < limit):
            frame = next(n for n, v in over.items() if v[1 if is_far else 0] == value)
            what = (
                f"Parallax reaches {share:+.2f} % of the width; a screen {settings.screen_m:g} m wide, "
                f"{settings.viewer_m:g} m away, allows {limit:+.2f} %."
            )
            remedy = (
                f"Move everything {'nearer' if is_far else 'back'} by "
                f"{abs(value - limit * width / 100):.1f} px, "
                "or bring the eyes closer together."
            )
            looks: dict[str, Any] = {"frame": frame, "mends": (show_frame(frame), show_pass("parallax"))}
            turns = "Eyes would have to turn outwards or to the limit of comfort."
            close = "Things come so close that eyes can't follow at ease."
            found.append(
                Finding("eyes-too-far", Severity.WARNS, what, where, turns, remedy, **looks)
                if is_far
                else Finding("eyes-too-near", Severity.WARNS, what, where, close, remedy, **looks)
            )
    cut = {n: frame["sides"] for n, frame in told.items() if "sides" in frame}
    if cut:
        worst = min(cut, key=lambda n: min(cut[n]) + settings.at(n).shift)
        left, right = (value + settings.at(worst).shift for value in cut[worst])
        now = settings.at(worst)
        if left < -0.5 and now.float_left < -left - 0.5 or right < -0.5 and now.float_right < -right - 0.5:
            found.append(
                Finding(
                    "eyes-window",
                    Severity.WARNS,
                    f"At the sides of frame {worst} things before the screen are cut by the frame "
                    f"({left:+.1f} px left, {right:+.1f} px right).",
                    where,
                    "The frame lies behind what it cuts, which eyes do not believe.",
                    "Let the window float: black at one side of either eye brings the frame forward.",
                    frame=worst,
                    mends=(
                        set_eyes(
                            "float the window",
                            float_left=f"{max(0.0, -left):.1f}",
                            float_right=f"{max(0.0, -right):.1f}",
                        ),
                        show_frame(worst),
                    ),
                )
            )
    return found


def check_forms(
    settings: EyesSettings, lossy: Sequence[str], size: tuple[int, int], where: str
) -> list[Finding]:
    """Check what is written."""
    found = []
    if lossy:
        found.append(
            Finding(
                "eyes-lossy",
                Severity.WARNS,
                f"{', '.join(lossy)} came compressed with loss.",
                where,
                "Blocks of one eye bleed into the other, and parallax in them is made up.",
                "Ask for a lossless delivery.",
            )
        )
    if Form.ANAGLYPH in settings.deliver:
        if settings.anaglyph_file is AnaglyphFile.JPEG:
            found.append(
                Finding(
                    "eyes-jpeg",
                    Severity.WARNS,
                    "The anaglyph is written as JPEG.",
                    where,
                    "Even with colour at full size, its blocks carry one eye into the other.",
                    "Write PNG or TIFF.",
                    mends=(set_eyes("write PNG", anaglyph_file="png"),),
                )
            )
        left, right = ghosting(
            settings.method, matrices_of(settings.method, settings.own_matrix or (0.0,) * 18)
        )
        if max(left, right) > _MOST_GHOST:
            found.append(
                Finding(
                    "eyes-ghosts",
                    Severity.NOTES,
                    f"Through the glasses the left eye gets {left:.0%} of the other one's light, "
                    f"the right {right:.0%}.",
                    where,
                    "Strong edges are seen twice.",
                    "Choose another method, or less parallax.",
                    mends=(show_pass("glasses_left"),),
                )
            )
    halves = {Form.SIDE_BY_SIDE_HALF: 0, Form.ABOVE_BELOW_HALF: 1}
    for form, side in halves.items():
        if form in settings.deliver and size[side] % 2:
            found.append(
                Finding(
                    "eyes-odd",
                    Severity.STOPS,
                    f"An eye of {size[0]}x{size[1]} px can't be squeezed to half for {form.says}.",
                    where,
                    "One line would have no partner.",
                    "Leave this form out, frame the eyes to an even size at Framing, or render at one.",
                )
            )
    return found


def check_round(settings: EyesSettings, told: Eyes, size: tuple[int, int], where: str) -> list[Finding]:
    """Check an all-round picture: ratio, seam, poles, level."""
    found = []
    seams = {n: frame for n, frame in told.items() if "seam" in frame}
    width, height = size
    if settings.came is Came.PACKED:
        with suppress(SettingError):  # an odd size is told elsewhere
            width, height = eye_size(width, height, settings.packing)
    if abs(width / height - 2) > 0.02:
        packing = round_packing(*size)
        mends: tuple[Mend, ...] = ()
        if packing is not None:
            mends = (set_eyes("both eyes are in it", came=Came.PACKED.value, packing=packing.value),)
        found.append(
            Finding(
                "round-ratio",
                Severity.STOPS,
                f"An eye has {width}x{height} px; all directions need 2:1.",
                where,
                "Everything would be stretched, and the poles would tear.",
                "Check how the eyes are packed (4:1 is side by side, 1:1 above/below), or have it rendered "
                "2:1.",
                mends=mends,
            )
        )
    torn = [n for n, frame in seams.items() if frame["seam"] > 2.5]
    if torn:
        found.append(
            Finding(
                "round-seam",
                Severity.WARNS,
                f"The left edge does not continue the right one in {len(torn)} frames: "
                f"{seams[torn[0]]['seam']:.1f} times the usual difference.",
                where,
                "Whoever turns round sees a line.",
                "Check for a crop or overscan that was left in.",
                frame=torn[0],
                mends=(show_frame(torn[0]),),
            )
        )
    poles = [n for n, frame in seams.items() if max(frame["poles"]) > 0.5]
    if poles:
        found.append(
            Finding(
                "round-pole",
                Severity.WARNS,
                f"The first or last row changes along itself in {len(poles)} frames.",
                where,
                "Straight up and down there is a star instead of one point.",
                "Check that the picture is lat-long.",
                frame=poles[0],
                mends=(show_frame(poles[0]),),
            )
        )
    levels = [frame["level"] for frame in seams.values() if "level" in frame]
    if levels:
        pitch, roll = (float(np.median([one[i] for one in levels])) for i in (0, 1))
        rest = pitch + settings.pitch, roll + settings.roll
        if max(map(abs, rest)) > 0.3:
            found.append(
                Finding(
                    "round-level",
                    Severity.WARNS,
                    f"The camera was not level: {pitch:+.2f}° up, {roll:+.2f}° clockwise, by {levels[0][2]}.",
                    where,
                    "In a headset the floor would lean, and people with it.",
                    "Turn it level; with two eyes have it rendered level, since depth only fits the way it "
                    "was rendered.",
                    mends=(set_eyes("turn it level", pitch=f"{-pitch:.3f}", roll=f"{-roll:.3f}"),),
                )
            )
    elif seams:
        found.append(
            Finding(
                "round-level-unknown",
                Severity.NOTES,
                "Whether the camera was level is not known.",
                where,
                "Neither the header nor upright lines tell.",
                "Look round once before it goes out.",
            )
        )
    return found
