"""Whether the two eyes of a pair fit each other: order, height, turn, size, light, time."""

from __future__ import annotations

import numpy as np

from drawstring.core.eyes.compare import late_by
from drawstring.core.eyes.settings import EyesSettings
from drawstring.core.eyes.told import Eyes, is_turned_round, pair_over_frames, set_eyes
from drawstring.core.findings import Finding, Severity, show_frame, show_pass

_OFFSET_PX, _TURN, _SIZE, _LIGHT = 0.3, 0.03, 0.0015, 0.03


def check_pair(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
    """Compare what was measured between the eyes with what is settled to be mended."""
    doubled = [n for n, frame in sorted(told.items()) if frame.get("pair", {}).get("is_doubled")]
    if doubled:
        return [
            Finding(
                "eyes-doubled",
                Severity.STOPS,
                f"Both eyes show the very same picture in {len(doubled)} frames.",
                where,
                "It would be sold as stereo and be flat.",
                "Have the other eye rendered, or make it from depth.",
                frame=doubled[0],
                mends=(show_frame(doubled[0]),),
            )
        ]
    said = pair_over_frames(told)
    if not said["frames"]:
        return []
    found = []
    of_all = f"median of {said['frames']} frames, {said['points']} points each"
    flip = -1 if is_turned_round(settings, told) else 1
    order = said["order"] * flip
    if order < -0.2:
        found.append(
            Finding(
                "eyes-swapped",
                Severity.STOPS,
                f"The eyes are swapped: nearness and parallax say so by {said['told_by']} "
                f"({abs(order):.0%} sure).",
                where,
                "Near things would lie behind far ones, and everybody's eyes would hurt.",
                "Swap them.",
                mends=(
                    set_eyes("swap the eyes", swap="no" if settings.swap else "yes"),
                    show_pass("anaglyph"),
                ),
            )
        )
    offset = flip * said["offset"] - settings.mend_down
    if abs(offset) > _OFFSET_PX:
        found.append(
            Finding(
                "eyes-offset",
                Severity.WARNS,
                f"The right eye lies {abs(offset):.2f} px {'lower' if offset > 0 else 'higher'} than the "
                f"left "
                f"({of_all}).",
                where,
                "Eyes can't turn up and down against each other; it tires quickly.",
                "Move it.",
                mends=(set_eyes("move it", mend_down=f"{settings.mend_down + offset:.3f}"),),
            )
        )
    turn = flip * said["turn_degrees"] - settings.mend_turn
    if abs(turn) > _TURN:
        found.append(
            Finding(
                "eyes-turned",
                Severity.WARNS,
                f"The right eye is turned by {turn:+.3f}° against the left ({of_all}).",
                where,
                "At the sides of the picture one eye looks higher than the other.",
                "Turn it back.",
                mends=(set_eyes("turn it back", mend_turn=f"{settings.mend_turn + turn:.4f}"),),
            )
        )
    scale = said["scale"] ** flip / (settings.mend_scale / 100)
    if abs(scale - 1) > _SIZE:
        found.append(
            Finding(
                "eyes-size",
                Severity.WARNS,
                f"The right eye is {scale:.2%} the size of the left ({of_all}).",
                where,
                "Heights do not match away from the middle.",
                "Bring it to one size.",
                mends=(set_eyes("bring it to one size", mend_scale=f"{settings.mend_scale * scale:.3f}"),),
            )
        )
    gain = [v**flip / g for v, g in zip(said["gain"], settings.mend_gain, strict=True)]
    if max(abs(v - 1) for v in gain) > _LIGHT:
        whole = [v * g for v, g in zip(gain, settings.mend_gain, strict=True)]
        found.append(
            Finding(
                "eyes-light",
                Severity.WARNS,
                f"The right eye is {' '.join(f'{v:.3f}' for v in gain)} times as bright (R G B; {of_all}).",
                where,
                "One eye brighter than the other shimmers.",
                "Even it out.",
                mends=(set_eyes("even it out", mend_gain=" ".join(f"{v:.4f}" for v in whole)),),
            )
        )
    toed = [frame["rig"] for frame in told.values() if "rig" in frame and abs(frame["rig"][3]) > 0.02]
    if toed:
        found.append(
            Finding(
                "eyes-toed-in",
                Severity.WARNS,
                f"The cameras are turned towards each other by {abs(np.median([r[3] for r in toed])):.2f}°.",
                where,
                "Toed-in eyes differ in height towards the corners, more the closer things are.",
                "Have them rendered parallel with shifted film backs; what is even over the picture can be "
                "mended here.",
            )
        )
    return found


def check_times(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
    """Tell an eye that is late by some frames."""
    grids = {n: frame["grid"] for n, frame in told.items() if "grid" in frame}
    if len(grids) < 8:
        return []
    late, sure = late_by({n: g[0] for n, g in grids.items()}, {n: g[1] for n, g in grids.items()})
    if not late or sure < 0.1:
        return []
    eye = "right" if (late > 0) is not is_turned_round(settings, told) else "left"
    return [
        Finding(
            "eyes-late",
            Severity.STOPS,
            f"The {eye} eye is {abs(late)} frame{'s' if abs(late) > 1 else ''} late ({sure:.0%} sure).",
            where,
            "Whatever moves tears apart between the eyes.",
            "Have it delivered with the right frame numbers; it is not shifted here, since the ends would "
            "be missing.",
        )
    ]
