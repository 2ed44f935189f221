"""A shot compared with what downstream asked for: before a run by its recipe, after it by its files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.pack.form import Reach, StoredType
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.pack.naming import bare_name
from drawstring.core.pack.profile import Profile
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import available_results, find_result


def asked_settings(profile: Profile, passes: Sequence[Pass], recipe: Recipe) -> dict[str, str]:
    """Give what the recipe has to say otherwise to be as the profile asks, by dotted name.

    Examples
    --------
    >>> asked_settings(Profile(name="small", alpha="straight"), [], Recipe())
    {'pack.alpha': 'straight'}
    """
    pack, eyes, depth = recipe.pack, recipe.eyes, recipe.depth
    wishes: dict[str, tuple[Any, Any]] = {
        f"pack.{name}": (getattr(profile, name), getattr(pack, name))
        for name in (
            "style",
            "files",
            "parts",
            "copying",
            "tiling",
            "reach",
            "alpha",
            "beauty",
            "padding",
            "start_frame",
        )
    }
    wishes["pack.file_name"] = (profile.file_name or None, pack.file_name)
    if profile.compressions and pack.compression not in profile.compressions:
        wishes["pack.compression"] = (profile.compressions[0], pack.compression)
    if profile.depth_white is not None:
        wishes["depth.white_is"] = (profile.depth_white, depth.white_is.value)
    if profile.depth_ends is not None:
        wishes["depth.near"] = (profile.depth_ends[0], depth.near)
        wishes["depth.far"] = (profile.depth_ends[1], depth.far)
    lacking = [form for form in profile.eyes if form not in eyes.deliver]
    if lacking:
        wishes["eyes.deliver"] = ("; ".join([*eyes.deliver, *lacking]), "; ".join(eyes.deliver))
        if not eyes.needed:
            wishes["eyes.needed"] = ("yes", "no")
    if profile.eyes and profile.first_eye is not None:
        wishes["eyes.first_out"] = (profile.first_eye, eyes.first_out)
    if profile.anaglyph_file is not None:
        wishes["eyes.anaglyph_file"] = (profile.anaglyph_file, eyes.anaglyph_file)
    found = {name: _typed(wish) for name, (wish, now) in wishes.items() if wish is not None and wish != now}
    return found | _of_rows(profile, passes, recipe)


def _typed(wish: Any) -> str:
    return {True: "yes", False: "no"}[wish] if isinstance(wish, bool) else str(wish)


def _of_rows(profile: Profile, passes: Sequence[Pass], recipe: Recipe) -> dict[str, str]:
    pack, found = recipe.pack, dict[str, str]()
    for name in [*(one.name for one in passes), *available_results(passes, recipe)]:
        row, bare = pack.row(name), bare_name(name)
        if bare in profile.names and row.layer != profile.names[bare]:
            found[f"pack.{name}.layer"] = profile.names[bare]
        if bare in profile.words and row.names != profile.words[bare]:
            found[f"pack.{name}.names"] = profile.words[bare]
        one = next((each for each in passes if each.name == name), None)
        wish = profile.types.get(bare, "uint")
        comes = set(one.pixel_types) if one is not None else {"float"}
        usual = {wish} if row.stored.value == wish else comes if row.stored is StoredType.AS_SOURCE else set()
        if wish != "uint" and row.goes and usual != {wish}:
            found[f"pack.{name}.stored"] = wish
        if row.compression and profile.compressions and row.compression not in profile.compressions:
            found[f"pack.{name}.compression"] = ""
        if row.goes and bare in profile.refused:
            found[f"pack.{name}.goes"] = "no"
    return found


def check_profile(
    passes: Sequence[Pass],
    recipe: Recipe,
    channels: Sequence[OutputChannel],
    *,
    display: tuple[int, int] | None,
    frame_rate: float,
) -> list[Finding]:
    """Compare a shot with its profile before it is run.

    Parameters
    ----------
    channels : sequence of OutputChannel
        What goes out as things stand.
    display : (width, height), optional
        Of the frame.
    """
    profile = recipe.pack.profile
    if profile is None:
        return []
    where, title = "pack.profile", f"“{profile.name}”"
    going = {bare_name(channel.source) for channel in channels}
    found = [_lacks(name, passes, recipe, title) for name in profile.required if name not in going]
    asked = asked_settings(profile, passes, recipe)
    for name, value in asked.items():
        found.append(
            Finding(
                "profile-differs",
                Severity.STOPS,
                f"{title} asks for {name} = {value or 'that of all'}.",
                name,
                "Downstream would send it back.",
                "Set it as asked, or choose another profile.",
                mends=(Mend("set it", Does.SET, ((name, value),)),),
            )
        )
    if profile.size and display and tuple(profile.size) != display:
        found.append(
            Finding(
                "profile-size", Severity.STOPS,
                f"{title} asks for {profile.size[0]} x {profile.size[1]}; "
                f"the frame is {display[0]} x {display[1]}.",
                where, "Downstream would send it back.",
                "Have it rendered in the size asked for, or choose another profile.",
            )
        )  # fmt: skip
    if profile.frame_rate and abs(profile.frame_rate - frame_rate) > 1e-3:
        found.append(
            Finding(
                "profile-rate", Severity.WARNS,
                f"{title} asks for {profile.frame_rate:g} frames a second; the show has {frame_rate:g}.",
                where, "It would play too fast or too slow.",
                "Correct the show's rate, or ask who reads it.",
            )
        )  # fmt: skip
    if profile.all_round is not None and profile.all_round is not recipe.eyes.is_round:
        found.append(
            Finding(
                "profile-round", Severity.STOPS,
                f"{title} asks for {'all-round (lat-long)' if profile.all_round else 'flat'} pictures.",
                where, "A headset and a screen show different things of the same file.",
                "Say at Eyes what the picture is, or choose another profile.",
            )
        )  # fmt: skip
    return found


def _lacks(name: str, passes: Sequence[Pass], recipe: Recipe, title: str) -> Finding:
    """Say what has to be done for a required pass to be in."""
    made, mends = find_result(name), tuple[Mend, ...]()
    if any(bare_name(one.name) == name for one in passes) or (made and not recipe.pack.row(name).goes):
        remedy = "Let it go out."
        mends = (Mend("let it go out", Does.SET, ((f"pack.{name}.goes", "yes"),)),)
    elif made is not None and made.is_ready(passes, recipe):
        remedy = f"Settle {made.knot.capitalize()}: it makes it."
    elif made is not None:
        remedy = f"{made.knot.capitalize()} makes it once that knot has what it needs."
    else:
        remedy = "Have it rendered, correct what a pass was taken for, or choose another profile."
    return Finding(
        "profile-lacks", Severity.STOPS, f"{title} asks for {name.replace('_', ' ')}, which is not in.",
        f"pack, {name}", "What is missing is missed downstream.", remedy, pass_name=name, mends=mends,
    )  # fmt: skip


def check_written(
    profile: Profile,
    facts: FileFacts,
    channels: Sequence[OutputChannel],
    *,
    ranges: Mapping[str, Sequence[float]] = MappingProxyType({}),
    with_others: int = 0,
) -> list[str]:
    """Compare a written file with a profile; give what is not as asked, in words.

    Parameters
    ----------
    facts : FileFacts
        As read back from its header.
    channels : sequence of OutputChannel
        What was to be written, in this file or another one of the frame.
    ranges : mapping of channel to (lowest, highest, NaNs)
        As read back from its pixels.
    with_others : int
        Bytes of the frame's other files.
    """
    told: list[str] = []
    here = {c.name: c.pixel_type for part in facts.parts for c in part.channels}
    for channel in channels:
        wish = profile.types.get(bare_name(channel.source))
        if wish and here.get(channel.name, wish) != wish:
            told.append(f"{channel.name} is {here[channel.name]} instead of {wish}")
        limits = profile.ranges.get(bare_name(channel.source))
        if limits and channel.name in ranges:
            low, high, lost = ranges[channel.name]
            if lost:
                told.append(f"{channel.name} holds {int(lost):,} NaN")
            if low < limits[0] or high > limits[1]:
                beyond = f"beyond {limits[0]:g} to {limits[1]:g}"
                told.append(f"{channel.name} reaches from {low:.6g} to {high:.6g}, {beyond}")
    for part in facts.parts:
        if profile.compressions and part.compression not in [one.value for one in profile.compressions]:
            told.append(f"it is compressed with {part.compression}")
        if profile.tiling is not None and (part.storage == "tiled") != bool(profile.tiling.side):
            told.append(f"it is stored as {part.storage}")
        display = part.display_window
        if profile.size and (display.width, display.height) != tuple(profile.size):
            told.append(f"it is {display.width} x {display.height}")
        if profile.reach is Reach.FRAME and not _is_within(part.data_window, display):
            told.append("it reaches beyond the frame")
    size = (facts.size_bytes + with_others) / 1e6
    if profile.largest_frame_mb and size > profile.largest_frame_mb:
        told.append(f"the frame has {size:.2f} MB, more than {profile.largest_frame_mb:g}")
    return list(dict.fromkeys(told))


def is_turned(profile: Profile, normalised: Plane, z: Plane) -> bool:
    """Whether a normalised depth has its white at the other end than a profile asks.

    Parameters
    ----------
    normalised : (H, W)
        As it is packed.
    z : (H, W) float32
        Distances, in any unit; whatever is not finite is left out.
    """
    if profile.depth_white is None:
        return False
    step = max(1, int((z.size / 40_000) ** 0.5))
    near_and_far, packed = z[::step, ::step].ravel(), normalised[::step, ::step].ravel().astype(np.float64)
    usable = np.isfinite(near_and_far) & np.isfinite(packed) & (packed > 0) & (packed < 1)
    if int(usable.sum()) < 2 or np.ptp(near_and_far[usable]) == 0 or np.ptp(packed[usable]) == 0:
        return False
    # Ranks, not values: whatever the mapping, one end is white.
    order = np.argsort(np.argsort(near_and_far[usable])).astype(np.float64)
    grows = float(np.corrcoef(order, packed[usable])[0, 1]) > 0
    return grows is (profile.depth_white == "near")


def _is_within(inner: Window, outer: Window) -> bool:
    return (
        inner.x_min >= outer.x_min
        and inner.y_min >= outer.y_min
        and inner.x_max <= outer.x_max
        and inner.y_max <= outer.y_max
    )
