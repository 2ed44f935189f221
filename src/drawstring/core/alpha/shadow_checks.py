"""Whether the shadow can be made as settled and its renders fit together; whether layers can be laid."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping

from drawstring.core.alpha.kind_checks import Told
from drawstring.core.alpha.settings import AlphaSettings
from drawstring.core.alpha.shadow_settings import GroundFrom, LitIs, ShadowFrom
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame, show_pass

_SHIFT_PX = 0.1
_GAIN = 0.05
_CLIPPED = 0.02
_NO_GROUND = 0.01


def check_shadow(
    settings: AlphaSettings,
    told: Told,
    *,
    is_ready: bool,
    on_ground: str,
    eight_bit: Collection[str],
    passes: Collection[str],
    where: str,
) -> list[Finding]:
    """Check what the shadow is made from.

    Parameters
    ----------
    is_ready : bool
        Whether everything it needs came.
    on_ground : str
        Name of the render with the ground; empty where there is none.
    eight_bit : collection of str
        Passes that came with 8 bits.
    passes : collection of str
        Names of the shadow passes that are used.
    """
    shadow = settings.shadow
    if not shadow.on:
        return []
    at = f"{where}, shadow"
    if not is_ready:
        needs = {
            ShadowFrom.RENDERS: "the object with alpha, and the object on a plain ground"
            + (", and the ground alone" if shadow.ground is GroundFrom.RENDER else ""),
            ShadowFrom.PASSES: "a shadow pass",
            ShadowFrom.LIGHT: "one pass of light with shadows and one without",
        }[shadow.source]
        return [
            Finding(
                "shadow-not-there",
                Severity.STOPS,
                f"The shadow can't be made: it needs {needs}.",
                at,
                "The shadow that is settled would be missing from the package.",
                "Have it rendered, correct a pass's role in Arrivals, or choose another source.",
            )
        ]
    found = []
    if shadow.source is ShadowFrom.RENDERS:
        found += _renders(told, on_ground, eight_bit, at)
    if shadow.source is ShadowFrom.PASSES:
        votes = [
            frame[n]["white_lit"]
            for frame in told.values()
            for n in passes
            if "white_lit" in frame.get(n, {})
        ]
        white = sum(votes) > len(votes) / 2
        if votes and white is not (shadow.lit_is is LitIs.WHITE):
            other = LitIs.WHITE if white else LitIs.BLACK
            found.append(
                Finding(
                    "shadow-polarity",
                    Severity.WARNS,
                    f"In {', '.join(sorted(passes))} lit looks {other.says}: {'high' if white else 'low'} "
                    "where the picture is bright.",
                    at,
                    "Light and shadow would change places.",
                    f"Say that lit is {other.says}.",
                    mends=(Mend(f"lit is {other.says}", Does.SET, (("alpha.shadow.lit_is", other.value),)),),
                )
            )
    return found


def _renders(told: Told, on_ground: str, eight_bit: Collection[str], at: str) -> list[Finding]:
    found = []
    several = {number: frame[on_ground] for number, frame in told.items() if on_ground in frame}
    shifts = {n: said["shift"] for n, said in several.items() if "shift" in said}
    if shifts:
        worst = max(shifts, key=lambda number: math.hypot(*shifts[number]))
        right, down = shifts[worst]
        if math.hypot(right, down) > _SHIFT_PX:
            found.append(
                Finding(
                    "shadow-shifted",
                    Severity.WARNS,
                    f"The two renders do not line up: {on_ground} lies {right:+.2f} px to the right and "
                    f"{down:+.2f} px down (frame {worst}).",
                    at,
                    "The rim is divided by the wrong ground: a bright and a dark line run around it.",
                    "Render both with the same camera, lens shift and size.",
                    frame=worst,
                    pass_name=on_ground,
                    mends=(show_frame(worst), show_pass(on_ground)),
                )
            )
    gains = sorted(said["gain"] for said in several.values() if "gain" in said)
    # Light that the ground throws back makes the object a little brighter; less light never comes of it.
    if gains and not 1 - _GAIN < gains[len(gains) // 2] < 1 + 6 * _GAIN:
        gain = gains[len(gains) // 2]
        found.append(
            Finding(
                "shadow-exposure",
                Severity.WARNS,
                f"The object is {gain:.2f} times as bright on the ground as alone.",
                at,
                "Different exposure or lights: what is left of the object would count as shadow or light.",
                "Render both with the same lights and exposure, and without automatic exposure.",
                pass_name=on_ground,
                mends=(show_pass(on_ground),),
            )
        )
    clipped = {n: said["clipped"] for n, said in several.items() if said.get("clipped", 0) > _CLIPPED}
    if clipped:
        worst = max(clipped, key=lambda number: clipped[number])
        found.append(
            Finding(
                "ground-clipped",
                Severity.WARNS,
                f"{clipped[worst]:.0%} of {on_ground} stands at its highest value (frame {worst}): "
                "the ground is clipped.",
                at,
                "Where light above 1 was cut off, half shadows look lit and the shadow gets a hard rim.",
                "Render to float EXR, or lower the ground's colour or the light.",
                frame=worst,
                pass_name=on_ground,
                mends=(show_frame(worst), show_pass(on_ground)),
            )
        )
    if on_ground in eight_bit:
        found.append(
            Finding(
                "ground-8bit",
                Severity.WARNS,
                f"{on_ground} has 8 bits and a display curve.",
                at,
                "Dark shadows have few steps, and bands come with them.",
                "Have it rendered as float EXR; hold noise down a little meanwhile.",
                pass_name=on_ground,
            )
        )
    return found


def check_shadow_distance(
    settings: AlphaSettings, *, nothing: float, blurs: bool, where: str
) -> list[Finding]:
    """Say that mist and lens can't reach a shadow whose ground has no distance.

    Parameters
    ----------
    nothing : float
        Share of the picture without a distance, 0 to 1.
    blurs : bool
        Whether mist or focus work on the picture.
    """
    if not (settings.shadow.on and blurs and nothing > _NO_GROUND):
        return []
    return [
        Finding(
            "shadow-without-distance",
            Severity.WARNS,
            f"The shadow lies on ground without a distance ({nothing:.0%} of the picture has none): mist and "
            "focus leave it as it is.",
            f"{where}, shadow",
            "A shadow far away would be darker and sharper than what casts it.",
            "Have the ground's depth rendered with the object, or lay the shadow without mist and focus.",
        )
    ]


def check_stack(settings: AlphaSettings, faults: Mapping[int, str], where: str) -> list[Finding]:
    """Say which layers can't be laid, by their place from 1, and why; and which lie the wrong way round."""
    standing = [one for one in settings.stack if one.on and one.stands is not None]
    turned = [
        Finding(
            "stack-order",
            Severity.WARNS,
            f"{above.name} stands at {above.stands:g}, and lies over {below.name} at {below.stands:g}.",
            f"{where}, stack",
            "Between the eyes the nearer one would slide behind the farther one.",
            "Move the nearer layer up in the stack.",
        )
        for below, above in zip(standing, standing[1:], strict=False)
        if below.stands is not None and above.stands is not None and below.stands < above.stands
    ]
    return turned + [
        Finding(
            "layer-not-there",
            Severity.STOPS,
            f"Layer {place}, {settings.stack[place - 1].name}, can't be laid: {fault}.",
            f"{where}, stack",
            "The stack that is settled can't be made.",
            "Choose another source or matte for it, or mute it.",
        )
        for place, fault in faults.items()
    ]
