"""Whether the eyes fit each other, the screen and what is settled: findings with their mends."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from drawstring.core.eyes.anaglyph import ghosting, matrices_of
from drawstring.core.eyes.compare import late_by
from drawstring.core.eyes.packing import First, Packing
from drawstring.core.eyes.rig import limits_for
from drawstring.core.eyes.settings import AnaglyphFile, Came, EyesSettings, Form
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame, show_pass

Eyes = Mapping[int, Mapping[str, Any]]
"""What was told of each frame's eyes."""

_OFFSET_PX, _TURN, _SIZE, _LIGHT = 0.3, 0.03, 0.0015, 0.03
_MOST_GHOST = 0.15


def check_eyes(
    settings: EyesSettings,
    told: Eyes,
    *,
    fault: str,
    width: int,
    missing: Mapping[str, Sequence[int]],
    has_depth: Mapping[str, bool],
    sizes: Mapping[str, tuple[int, int]],
    lossy: Sequence[str],
    size: tuple[int, int],
    where: str,
) -> list[Finding]:
    """Check a pair.

    Parameters
    ----------
    settings : EyesSettings
    told : Eyes
        Empty while frames are being counted.
    fault : str
        Why there is no pair; empty where there is one.
    width : int
        Of an eye's picture.
    missing : mapping of "left" and "right" to frames
        Which frames came for one eye only.
    has_depth : mapping of "left" and "right" to bool
    sizes : mapping of "left" and "right" to (width, height)
        In which the eyes came; empty where one picture holds both.
    lossy : sequence of str
        Passes that were compressed with loss.
    size : (width, height)
        Of the picture that came.
    where : str
    """
    found: list[Finding] = []
    if fault:
        found.append(
            Finding(
                "eyes-no-pair",
                Severity.STOPS,
                f"There is no pair: {fault}.",
                where,
                "Nothing can be made of two eyes that are not there.",
                "Choose another form in which the pair came, or mark Eyes as not needed.",
                mends=_otherwise(settings, told, has_depth),
            )
        )
    found += _arrival(settings, told, size, where)
    if settings.came in (Came.VIEWS, Came.PACKED) and not fault:
        found += _pair(settings, told, where)
        found += _times(settings, told, where)
    for eye, frames in missing.items():
        if frames:
            found.append(
                Finding(
                    "eyes-missing",
                    Severity.WARNS,
                    f"The {eye} eye lacks {len(frames)} frame{'s' if len(frames) > 1 else ''}, "
                    f"the first is {frames[0]}.",
                    where,
                    "One eye alone is no pair: these frames are left out of the package.",
                    "Have them rendered and scan again.",
                    frame=frames[0],
                )
            )
    if len(set(sizes.values())) > 1:
        said = ", ".join(f"the {eye} eye {width}x{height}" for eye, (width, height) in sizes.items())
        found.append(
            Finding(
                "eyes-unequal",
                Severity.STOPS,
                f"The eyes came in two sizes: {said}.",
                where,
                "Laid over each other they would differ everywhere, and no packing holds them.",
                "Have both rendered at one size.",
            )
        )
    if settings.came is Came.VIEWS and not fault and len(set(has_depth.values())) > 1:
        eye = next(name for name, has in has_depth.items() if not has)
        found.append(
            Finding(
                "eyes-depth-one",
                Severity.WARNS,
                f"The {eye} eye came without depth.",
                where,
                "Depth goes out for one eye only, and nothing made from it fits the other.",
                "Have it rendered for both, or leave depth out of the package.",
            )
        )
    found += _screen(settings, told, width, where)
    found += _forms(settings, lossy, size, where)
    if settings.is_round:
        found += _round(settings, told, size, where)
    return found


def _set(label: str, **values: str) -> Mend:
    return Mend(label, Does.SET, tuple((f"eyes.{name}", value) for name, value in values.items()))


def _otherwise(settings: EyesSettings, told: Eyes, has_depth: Mapping[str, bool]) -> tuple[Mend, ...]:
    """Offer the form in which the pair seems to have come."""
    packings = Counter(frame["proposal"][0] for frame in told.values() if "proposal" in frame)
    if packings and packings.total() > len(told) / 2 and settings.came is not Came.PACKED:
        packing = packings.most_common(1)[0][0]
        return (_set(f"take it as {packing}", came=Came.PACKED.value, packing=packing),)
    if settings.came is Came.VIEWS and has_depth.get("left"):
        return (_set("make the other eye", came=Came.ONE.value),)
    return ()


def check_arrived(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
    """Say that what came looks like a pair, where Eyes is not needed so far."""
    if settings.needed or not told:
        return []
    proposals = [frame["proposal"] for frame in told.values() if "proposal" in frame]
    if len(proposals) > len(told) / 2:
        packing, reason, _ = max(proposals, key=lambda one: one[2])
        return [
            Finding(
                "eyes-packed",
                Severity.NOTES,
                f"The picture looks like two eyes, {packing}: {reason}.",
                where,
                "Mist, focus and mattes would run from one eye into the other.",
                "Take it as packed at Eyes, or leave it as one picture.",
                mends=(_set("take it as packed", needed="yes", came=Came.PACKED.value, packing=packing),),
            )
        ]
    if any("seam" in frame for frame in told.values()):
        return [
            Finding(
                "eyes-round",
                Severity.NOTES,
                "The picture shows all directions.",
                where,
                "It can be looked at by turning, levelled, and checked at its seam and poles.",
                "Take it as all-round at Eyes.",
                mends=(_set("take it as all-round", needed="yes", came=Came.NO_PAIR.value, is_round="yes"),),
            )
        ]
    return []


def _arrival(settings: EyesSettings, told: Eyes, size: tuple[int, int], where: str) -> list[Finding]:
    """Compare the settled form with what the pixels say."""
    if settings.came is not Came.PACKED:
        return []
    across = settings.packing in (Packing.SIDE_BY_SIDE, Packing.SIDE_BY_SIDE_HALF)
    lines = settings.packing in (Packing.ROWS, Packing.COLUMNS)
    if not lines and size[0 if across else 1] % 2:
        side = f"{size[0]} px wide" if across else f"{size[1]} px high"
        return [
            Finding(
                "eyes-odd",
                Severity.STOPS,
                f"The packed picture is {side}, which makes no two equal halves.",
                where,
                "One eye would have a line more than the other.",
                "Have it rendered with an even size.",
            )
        ]
    if lines:
        combs = [
            frame[f"comb_{settings.packing.value.split()[0]}"]
            for frame in told.values()
            if f"comb_{settings.packing.value.split()[0]}" in frame
        ]
        if combs and np.median(combs) < 1.05:
            return [
                Finding(
                    "eyes-scaled",
                    Severity.STOPS,
                    f"The lines do not alternate: neighbours differ {np.median(combs):.2f} times as much as "
                    "every second.",
                    where,
                    "The picture was scaled or filtered after it was interlaced, or never held two eyes.",
                    "Have it delivered again as it was interlaced, or as two pictures.",
                )
            ]
    proposals = [frame["proposal"] for frame in told.values() if "proposal" in frame]
    if told and len(proposals) < len(told) / 2:
        return (
            []
            if lines
            else [
                Finding(
                    "eyes-mono",
                    Severity.WARNS,
                    f"The picture does not look {settings.packing.value}: its halves are not alike.",
                    where,
                    "One picture would be cut in two.",
                    "Look at both eyes; choose another form if it is one picture.",
                    mends=(show_pass("eye_left"),),
                )
            ]
        )
    if proposals:
        packing = Counter(one[0] for one in proposals).most_common(1)[0][0]
        reason = next(one[1] for one in proposals if one[0] == packing)
        if packing != settings.packing.value:
            return [
                Finding(
                    "eyes-packing",
                    Severity.WARNS,
                    f"The picture looks {packing}: {reason}.",
                    where,
                    f"It is read as {settings.packing.value}.",
                    f"Read it as {packing}.",
                    mends=(_set(f"read it as {packing}", packing=packing),),
                )
            ]
    return []


def pair_over_frames(told: Eyes) -> dict[str, Any]:
    """Give what the pairs of all frames say together: medians, and how many frames told."""
    pairs = [frame["pair"] for frame in told.values() if frame.get("pair", {}).get("points", 0) > 0]
    if not pairs:
        return {"frames": 0}
    said: dict[str, Any] = {"frames": len(pairs)}
    for name in ("offset", "turn_degrees", "scale", "spread", "order"):
        said[name] = float(np.median([pair[name] for pair in pairs]))
    said["gain"] = [float(np.median([pair["gain"][c] for pair in pairs])) for c in range(3)]
    said["points"] = int(np.median([pair["points"] for pair in pairs]))
    said["told_by"] = pairs[0]["told_by"]
    return said


def _is_turned_round(settings: EyesSettings) -> bool:
    """Whether what was told as left is settled to be the right eye; packed eyes are told left first."""
    return settings.swap is not (settings.came is Came.PACKED and settings.first is First.RIGHT)


def _pair(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
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
    flip = -1 if _is_turned_round(settings) else 1
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
                mends=(_set("swap the eyes", swap="no" if settings.swap else "yes"), show_pass("anaglyph")),
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
                mends=(_set("move it", mend_down=f"{settings.mend_down + offset:.3f}"),),
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
                mends=(_set("turn it back", mend_turn=f"{settings.mend_turn + turn:.4f}"),),
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
                mends=(_set("bring it to one size", mend_scale=f"{settings.mend_scale * scale:.3f}"),),
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
                mends=(_set("even it out", mend_gain=" ".join(f"{v:.4f}" for v in whole)),),
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


def _times(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
    grids = {n: frame["grid"] for n, frame in told.items() if "grid" in frame}
    if len(grids) < 8:
        return []
    late, sure = late_by({n: g[0] for n, g in grids.items()}, {n: g[1] for n, g in grids.items()})
    if not late or sure < 0.1:
        return []
    eye = "right" if (late > 0) is not _is_turned_round(settings) else "left"
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


def parallax_over_frames(told: Eyes, settings: EyesSettings) -> dict[int, tuple[float, float]]:
    """Give each frame's lowest and highest parallax in pixels, as settled."""
    found = {}
    for number, frame in sorted(told.items()):
        if "range" in frame:
            low, high = frame["range"][0], frame["range"][2]
        elif frame.get("pair", {}).get("points", 0) > 0:
            low, high = frame["pair"]["nearest"], frame["pair"]["farthest"]
        else:
            continue
        if _is_turned_round(settings):
            low, high = -high, -low
        shift = settings.at(number).shift
        found[number] = (low + shift, high + shift)
    return found


def _screen(settings: EyesSettings, told: Eyes, width: int, where: str) -> list[Finding]:
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
                        _set(
                            "float the window",
                            float_left=f"{max(0.0, -left):.1f}",
                            float_right=f"{max(0.0, -right):.1f}",
                        ),
                        show_frame(worst),
                    ),
                )
            )
    return found


def _forms(settings: EyesSettings, lossy: Sequence[str], size: tuple[int, int], where: str) -> list[Finding]:
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
                    mends=(_set("write PNG", anaglyph_file="png"),),
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
        if form in settings.deliver and settings.came is not Came.PACKED and size[side] % 2:
            found.append(
                Finding(
                    "eyes-odd",
                    Severity.STOPS,
                    f"An eye of {size[0]}x{size[1]} px can't be squeezed to half for {form.value}.",
                    where,
                    "One line would have no partner.",
                    "Leave this form out, or render at an even size.",
                )
            )
    return found


def _round(settings: EyesSettings, told: Eyes, size: tuple[int, int], where: str) -> list[Finding]:
    found = []
    seams = {n: frame for n, frame in told.items() if "seam" in frame}
    width, height = next((frame["size"] for frame in seams.values()), size)
    if abs(width / height - 2) > 0.02:
        found.append(
            Finding(
                "round-ratio",
                Severity.STOPS,
                f"An eye has {width}x{height} px; all directions need 2:1.",
                where,
                "Everything would be stretched, and the poles would tear.",
                "Check how the eyes are packed (4:1 is side by side, 1:1 above/below), or have it rendered "
                "2:1.",
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
                    mends=(_set("turn it level", pitch=f"{-pitch:.3f}", roll=f"{-roll:.3f}"),),
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
