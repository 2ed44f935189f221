"""Whether the eyes fit each other, the screen and what is settled: findings with their mends."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np

from drawstring.core.eyes.packing import Packing
from drawstring.core.eyes.pair_checks import check_pair, check_times
from drawstring.core.eyes.screen_checks import check_forms, check_round, check_screen
from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.eyes.told import Eyes, set_eyes
from drawstring.core.findings import Does, Finding, Mend, Severity, show_pass


def check_eyes(
    settings: EyesSettings,
    told: Eyes,
    *,
    fault: str,
    width: int,
    missing: Mapping[str, Sequence[int]],
    has_depth: Mapping[str, bool],
    alone: Sequence[str] = (),
    has_lens: bool = True,
    sizes: Mapping[str, tuple[int, int]],
    lossy: Sequence[str],
    size: tuple[int, int],
    out: tuple[int, int] | None = None,
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
    alone : sequence of str
        Passes that go out in forms of a pair, and came for one eye only.
    has_lens : bool
        Whether the lens is known, from which the other eye would be made.
    sizes : mapping of "left" and "right" to (width, height)
        In which the eyes came; empty where one picture holds both.
    lossy : sequence of str
        Passes that were compressed with loss.
    size : (width, height)
        Of the picture that came.
    out : (width, height), optional
        Of an eye as it goes out, framed; that of the picture that came when not given.
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
        found += check_pair(settings, told, where)
        found += check_times(settings, told, where)
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
    if alone and settings.deliver and not fault:
        found.append(
            Finding(
                "eyes-pass-one",
                Severity.STOPS,
                f"{', '.join(alone)} came for one eye only.",
                where,
                "Forms of a pair hold every pass twice; without it no frame of them can be written.",
                "Have it rendered for the other eye, too, or leave it out of the package.",
                mends=(
                    Mend(
                        "leave it out" if len(alone) == 1 else "leave them out",
                        Does.SET,
                        tuple((f"pack.{name}.goes", "no") for name in alone),
                    ),
                ),
            )
        )
    if settings.came is Came.ONE and not fault and not has_lens:
        found.append(
            Finding(
                "eyes-lens-unknown",
                Severity.STOPS,
                "The other eye can't be made: the lens is not known.",
                where,
                "How far things move between the eyes follows from focal length and film width.",
                "Type both at Depth (as it came), have them written into the header, or do without the eye.",
                mends=(set_eyes("do without the other eye", needed="no"),),
            )
        )
    found += check_screen(settings, told, width, where)
    found += check_forms(settings, lossy, out or size, where)
    if settings.is_round:
        found += check_round(settings, told, size, where)
    return found


def _otherwise(settings: EyesSettings, told: Eyes, has_depth: Mapping[str, bool]) -> tuple[Mend, ...]:
    """Offer the form in which the pair seems to have come."""
    packings = Counter(Packing(frame["proposal"][0]) for frame in told.values() if "proposal" in frame)
    if packings and packings.total() > len(told) / 2 and settings.came is not Came.PACKED:
        packing = packings.most_common(1)[0][0]
        return (set_eyes(f"take it as {packing.says}", came=Came.PACKED.value, packing=packing.value),)
    if settings.came is Came.VIEWS and has_depth.get("left"):
        return (set_eyes("make the other eye", came=Came.ONE.value),)
    return ()


def check_arrived(settings: EyesSettings, told: Eyes, where: str) -> list[Finding]:
    """Say that what came looks like a pair, where Eyes is not needed so far."""
    if settings.needed or not told:
        return []
    proposals = [
        frame["proposal"] for frame in told.values() if "proposal" in frame and not frame.get("says_round")
    ]
    if len(proposals) > len(told) / 2:
        packing, reason, _ = max(proposals, key=lambda one: one[2])
        return [
            Finding(
                "eyes-packed",
                Severity.NOTES,
                f"The picture looks like two eyes, {Packing(packing).says}: {reason}.",
                where,
                "Mist, focus and mattes would run from one eye into the other.",
                "Take it as packed at Eyes, or leave it as one picture.",
                mends=(set_eyes("take it as packed", needed="yes", came=Came.PACKED.value, packing=packing),),
            )
        ]
    # Where no header says so, a picture of 2:1 has to look like one: closed at the back, a point at the
    # poles.
    looks = [
        frame["seam"] < 1.6 and max(frame["poles"]) < 0.3
        for frame in told.values()
        if "seam" in frame and not frame.get("says_round")
    ]
    if any(frame.get("says_round") for frame in told.values()) or (looks and all(looks)):
        return [
            Finding(
                "eyes-round",
                Severity.NOTES,
                "The picture shows all directions.",
                where,
                "It can be looked at by turning, levelled, and checked at its seam and poles.",
                "Take it as all-round at Eyes.",
                mends=(
                    set_eyes("take it as all-round", needed="yes", came=Came.NO_PAIR.value, is_round="yes"),
                ),
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
        comb = f"comb_{settings.packing.value.split('_')[0]}"
        combs = [frame[comb] for frame in told.values() if comb in frame]
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
                    f"The picture does not look {settings.packing.says}: its halves are not alike.",
                    where,
                    "One picture would be cut in two.",
                    "Look at both eyes; choose another form if it is one picture.",
                    mends=(show_pass("eye_left"),),
                )
            ]
        )
    if proposals:
        packing = Counter(Packing(one[0]) for one in proposals).most_common(1)[0][0]
        reason = next(one[1] for one in proposals if Packing(one[0]) is packing)
        if packing is not settings.packing:
            return [
                Finding(
                    "eyes-packing",
                    Severity.WARNS,
                    f"The picture looks {packing.says}: {reason}.",
                    where,
                    f"It is read as {settings.packing.says}.",
                    f"Read it as {packing.says}.",
                    mends=(set_eyes(f"read it as {packing.says}", packing=packing.value),),
                )
            ]
    return []
