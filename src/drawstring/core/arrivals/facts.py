"""What a delivery's counted frames mean: passes that are black, doubled or broken, frames that stand out."""

from __future__ import annotations

import statistics
from collections import defaultdict
from collections.abc import Mapping, Sequence

from drawstring.core.arrivals.slips import check_slips
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame, show_pass
from drawstring.core.io.facts import Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import LIT_ROLES, Role
from drawstring.core.passes.statistics import PassStatistics

Counted = Mapping[int, Mapping[str, PassStatistics]]
"""By frame number and pass name."""

JUMP = 0.2
"""A frame's mean must differ by this share from both neighbours' middle to be told as standing out."""

STEADY = 6.0
"""... and by this many times the usual step between frames."""

NEGATIVE_MUCH = 0.001
"""From this share of pixels on, negative light is told with its share."""

MOST_FRAMES = 8
"""How many frames are told one by one."""


def findings_of(counted: Counted, passes: Sequence[Pass], *, where: str, window: Window) -> list[Finding]:
    """Tell what is wrong with passes and frames, by what was counted in them.

    Parameters
    ----------
    counted : by frame and pass
    passes : sequence of Pass
    where : str
        Which shot.
    window : Window
        What rows and columns begin at.
    """
    frames = sorted(counted)
    found: list[Finding] = []
    curves = {
        one.name: [(n, counted[n][one.name]) for n in frames if one.name in counted[n]] for one in passes
    }
    flat: set[str] = set()
    alike: dict[tuple[bool, float, int], list[str]] = defaultdict(list)
    for one in passes:
        curve = curves[one.name]
        if not curve:
            continue
        level = _flat(curve)
        if level is not None:
            flat.add(one.name)
            alike[level == 0, level if level else 0, len(curve)].append(one.name)
        found += _broken(one, curve, where, window)
        if one.name not in flat:
            found += _standing_out(one, curve, where)
    found += [_said_flat(names, level, count, where) for (_, level, count), names in alike.items()]
    found += _doubled(curves, flat, where)
    found += _frozen(curves, passes, where)
    told = {n: {name: one.told for name, one in counted[n].items() if one.told} for n in frames}
    found += check_slips(told, where=where)
    found += [
        Finding(
            "pass-twins", Severity.NOTES,
            f"{one.name} is the {_mark(one)} twin of {one.twin_of}; {one.twin_of} is used.",
            f"{where}, {one.name}", "Both are kept; results are made from the chosen one.",
            "Look at both, and choose the other one if the denoiser took too much.", pass_name=one.name,
            mends=(show_pass(one.name), Mend(f"use {one.name}", Does.TWIN, (("pass", one.name),))),
        )
        for one in passes if one.twin_of
    ]  # fmt: skip
    return found


def _mark(one: Pass) -> str:
    return next((trait for trait in ("noisy", "raw", "denoised") if trait in one.traits), "other")


def _flat(curve: list[tuple[int, PassStatistics]]) -> float | None:
    """Give the one value that a pass has everywhere in all frames; None where it has several."""
    low, high = min(s.low for _, s in curve), max(s.high for _, s in curve)
    return low if low == high and not any(s.nan or s.infinite for _, s in curve) else None


def _said_flat(names: Sequence[str], level: float, count: int, where: str) -> Finding:
    """Tell of passes that have one value everywhere: those of one value in one finding."""
    several = len(names) > 1
    listed = f"{', '.join(names[:-1])} and {names[-1]}" if several else names[0]
    verb, them = ("are", "them") if several else ("is", "it")
    mends = (show_pass(names[0]), _leave_out(*names))
    if level == 0:
        return Finding(
            "pass-black", Severity.WARNS, f"{listed} {verb} black in all {count} frames.",
            f"{where}, {', '.join(names)}",
            "A light was off, or a pass was never switched on; sums made with it lack its part.",
            f"Ask the renderer for {them}, or leave {them} out of the package.", pass_name=names[0],
            mends=mends,
        )  # fmt: skip
    return Finding(
        "pass-constant", Severity.NOTES, f"{listed} {verb} {level:g} everywhere in all {count} frames.",
        f"{where}, {', '.join(names)}",
        f"{'They tell' if several else 'It tells'} nothing about the picture.",
        f"Check that {'they were' if several else 'it was'} switched on, or leave {them} out.",
        pass_name=names[0], mends=mends,
    )  # fmt: skip


def _leave_out(*names: str) -> Mend:
    label = "leave them out" if len(names) > 1 else "leave it out"
    return Mend(label, Does.SET, tuple((f"pack.{name}.goes", "no") for name in names))


def _broken(one: Pass, curve: list[tuple[int, PassStatistics]], where: str, window: Window) -> list[Finding]:
    found = []
    infinite_is_fine = one.role in (Role.DEPTH, Role.POSITION)
    bad = {n: (s.nan, 0 if infinite_is_fine else s.infinite) for n, s in curve}
    bad = {n: counts for n, counts in bad.items() if any(counts)}
    if bad:
        number = max(bad, key=lambda n: sum(bad[n]))
        worst = dict(curve)[number]
        at = (worst.odd[1] + window.x_min, worst.odd[0] + window.y_min) if worst.odd else None
        found.append(
            Finding(
                "pass-nan", Severity.WARNS,
                f"{one.name} has pixels that are no number: {_by_frame(bad, ('NaN', 'infinite'))}.",
                f"{where}, {one.name}, frame {number}" + (f", pixel {at[0]}, {at[1]}" if at else ""),
                "Filters spread them into black or white blocks; sums made with them are lost.",
                "Render the frame again, or have the renderer clamp its samples.",
                frame=number, pass_name=one.name, pixel=at, mends=(show_frame(number), show_pass(one.name)),
            )
        )  # fmt: skip
    negative = {n: (s.negative,) for n, s in curve if s.negative} if one.role in LIT_ROLES else {}
    if negative:
        number = max(negative, key=lambda n: negative[n])
        share = sum(s.negative for _, s in curve) / max(1, sum(s.values for _, s in curve))
        much = f", {share:.1%} of all" if share > NEGATIVE_MUCH else ""
        found.append(
            Finding(
                "pass-negative", Severity.NOTES,
                f"{one.name} has negative pixels: {_by_frame(negative, ('negative',))}{much}.",
                f"{where}, {one.name}",
                "Light is never negative; a filter or a gamut conversion left it.",
                "Look where it is; clamp it in the renderer if it is more than grain.",
                frame=number, pass_name=one.name, mends=(show_frame(number), show_pass(one.name)),
            )
        )  # fmt: skip
    return found


def _by_frame(counts: Mapping[int, tuple[int, ...]], kinds: tuple[str, ...]) -> str:
    """Say how many pixels of each kind, frame by frame; of very many frames the worst.

    Examples
    --------
    >>> _by_frame({1001: (3, 0), 1002: (0, 12)}, ("NaN", "infinite"))
    '3 NaN in frame 1001, 12 infinite in 1002'
    """
    order = sorted(counts, key=lambda n: -sum(counts[n])) if len(counts) > MOST_FRAMES else list(counts)
    said: list[str] = []
    for number in order[:MOST_FRAMES]:
        kinds_here = " and ".join(
            f"{count:,} {kind}" for count, kind in zip(counts[number], kinds, strict=True) if count
        )
        said.append(f"{kinds_here} in {'frame ' if not said else ''}{number}")
    left = order[MOST_FRAMES:]
    more = f", and {sum(sum(counts[n]) for n in left):,} in {len(left)} more frames" if left else ""
    return ", ".join(said) + more


def standing_out(values: Sequence[float]) -> list[int]:
    """Give the places at which a curve jumps and comes back: a flicker, a black or broken frame.

    Parameters
    ----------
    values : sequence of float
        One to a frame, in order.

    Examples
    --------
    >>> standing_out([1, 1.01, 1.02, 0.4, 1.04, 1.05, 1.06])
    [3]
    """
    if len(values) < 5:
        return []
    # The quieter steps: a single jump makes two of them large, which in a short shot is half of all.
    steps = sorted(abs(b - a) for a, b in zip(values, values[1:], strict=False))
    usual = steps[len(steps) // 4]
    found = []
    for i, value in enumerate(values):
        around = [values[j] for j in (i - 2, i - 1, i + 1, i + 2) if 0 <= j < len(values)]
        middle = statistics.median(around)
        # The neighbours agree with each other, and this one with none of them.
        spread = max(around) - min(around)
        apart = min(abs(value - other) for other in around)
        if apart > max(STEADY * usual, JUMP * abs(middle), 2 * spread) and apart > 1e-5:
            found.append(i)
    return found


def _standing_out(one: Pass, curve: list[tuple[int, PassStatistics]], where: str) -> list[Finding]:
    if one.role not in LIT_ROLES | {Role.OCCLUSION, Role.SHADOW, Role.DEPTH, Role.MIST}:
        return []
    found = []
    for i in standing_out([s.mean for _, s in curve])[:4]:
        number, seen = curve[i]
        beside = curve[i - 1 if i else i + 1][1].mean
        found.append(
            Finding(
                "frame-stands-out", Severity.WARNS,
                f"Frame {number} of {one.name} is {seen.mean:.3g} on average, its neighbours {beside:.3g}.",
                f"{where}, {one.name}, frame {number}",
                "It would flicker: a light, a texture or samples failed.",
                f"Look at it, and render frame {number} again if it is wrong.",
                frame=number, pass_name=one.name, mends=(show_frame(number), show_pass(one.name)),
            )
        )  # fmt: skip
    return found


def _doubled(
    curves: Mapping[str, list[tuple[int, PassStatistics]]], flat: set[str], where: str
) -> list[Finding]:
    by_digest: dict[tuple[str, ...], list[str]] = defaultdict(list)
    for name, curve in curves.items():
        if curve and name not in flat:
            by_digest[tuple(s.digest for _, s in curve)].append(name)
    return [
        Finding(
            "pass-doubled", Severity.WARNS, f"{' and '.join(names)} are the same picture in every frame.",
            f"{where}, {names[1]}", "One of them was written under the wrong name, or twice.",
            "Check the renderer's pass list; leave one out of the package.", pass_name=names[1],
            mends=(show_pass(names[1]), _leave_out(names[1])),
        )
        for names in by_digest.values() if len(names) > 1
    ]  # fmt: skip


def _frozen(
    curves: Mapping[str, list[tuple[int, PassStatistics]]], passes: Sequence[Pass], where: str
) -> list[Finding]:
    beauty = next((one.name for one in passes if one.role is Role.BEAUTY), "")
    curve = curves.get(beauty, [])
    same = [b[0] for a, b in zip(curve, curve[1:], strict=False) if a[1].digest == b[1].digest]
    if not same or len(same) == len(curve) - 1:
        return []
    return [
        Finding(
            "frame-frozen", Severity.WARNS,
            f"Frame {number} is the same picture as the one before.", f"{where}, {beauty}, frame {number}",
            "Movement would stop for a frame: a file was copied over, or the scene did not advance.",
            f"Render frame {number} again.", frame=number, pass_name=beauty, mends=(show_frame(number),),
        )
        for number in same[:6]
    ]  # fmt: skip
