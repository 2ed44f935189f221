"""Which parts of what goes out can be copied as they are packed, and why the others can't.

A part that came goes on as it is where every channel of it goes out untouched, in its order, type, window and
compression. Nothing has to be unpacked then: its bytes were, when the frame was counted.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from drawstring.core.io.facts import FileFacts, PartFacts, Window
from drawstring.core.pack.form import AlphaKind, Compression, Reach
from drawstring.core.pack.layout import CONSTANT, OutputChannel, compressions_of
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.outputs import OutputPlan

_BY_NAME = frozenset(
    {
        Compression.DWAA, Compression.DWAB, Compression.HTJ2K256, Compression.HTJ2K32, Compression.LJ2K,
    }
)  # fmt: skip
"""What packs channels by what they are called: other names would be unpacked as something else."""


@dataclass(frozen=True)
class Copied:
    """A part that can be copied.

    Attributes
    ----------
    source, part : int
        Where it came from.
    names : tuple of str
        What its channels are called in the file that goes out, in their order there.
    """

    source: int
    part: int
    names: tuple[str, ...]


@dataclass(frozen=True)
class Unpacked:
    """A part that has to be unpacked and packed again, and why, as a clause."""

    why: str
    keeps: str = ""
    """The compression that it came with, where that alone is in the way."""


PartPlace = tuple[str, str]
"""The pass whose file it is, and the part's name."""


def copied_parts(
    plan: OutputPlan, files: Mapping[int, FileFacts], window: Window, display: Window
) -> dict[PartPlace, Copied | Unpacked]:
    """Tell for every part that goes out whether it can be copied.

    Parameters
    ----------
    plan : OutputPlan
    files : mapping of source to FileFacts
        Of one frame.
    window, display : Window
        Which pixels go out, and the frame.
    """
    packed = compressions_of(plan.channels, plan.chains.recipe.pack)
    told: dict[PartPlace, Copied | Unpacked] = {}
    for place, compression in packed.items():
        mine = [one for one in plan.channels if (one.of_pass, one.part) == place]
        told[place] = _told(plan, mine, files, window, display, compression)
    return told


def _told(
    plan: OutputPlan, mine: Sequence[OutputChannel], files: Mapping[int, FileFacts], window: Window,
    display: Window, compression: Compression,
) -> Copied | Unpacked:  # fmt: skip
    pack = plan.chains.recipe.pack
    made = list(dict.fromkeys(one.source for one in mine if one.ref is None))
    if not pack.copying:
        return Unpacked("Pack asks that everything is unpacked")
    if made:
        here = ["channels of one value" if name == CONSTANT else name.replace("_", " ") for name in made]
        return Unpacked(f"{_listed(here)} made here")
    places = list(dict.fromkeys((one.ref.source, one.ref.part) for one in mine if one.ref is not None))
    if len(places) > 1:
        return Unpacked(f"it is put together from {len(places)} parts that came")
    source, index = places[0]
    facts = files.get(source)
    if facts is None or facts.kind != "openexr" or index >= len(facts.parts):
        return Unpacked("what came is no OpenEXR file")
    return _of_part(plan, mine, facts.parts[index], source, window, display, compression)


def _of_part(
    plan: OutputPlan, mine: Sequence[OutputChannel], came: PartFacts, source: int, window: Window,
    display: Window, compression: Compression,
) -> Copied | Unpacked:  # fmt: skip
    pack, by_name = plan.chains.recipe.pack, {one.ref.name: one for one in mine if one.ref is not None}
    left = [each.name for each in came.channels if each.name not in by_name]
    if left:
        return Unpacked(f"{_listed(left)} of it stay{'s' if len(left) == 1 else ''} behind")
    if len(by_name) < len(mine):
        return Unpacked("a channel of it goes out twice")
    untouched = untouched_channels(plan, {one.source for one in mine})
    touched = list(dict.fromkeys(one.source for one in mine if one not in untouched))
    if touched:
        return Unpacked(f"{_listed(touched)} {'is' if len(touched) == 1 else 'are'} changed on the way")
    if any(each.pixel_type != by_name[each.name].stored for each in came.channels):
        return Unpacked("it goes out in other number types")
    if any((each.x_sampling, each.y_sampling) != (1, 1) for each in came.channels):
        return Unpacked("it came with channels of fewer pixels")
    if came.compression != compression.value:
        return Unpacked(f"it came packed with {came.compression}", keeps=came.compression)
    if (came.storage == "tiled") != bool(pack.tiling.side):
        return Unpacked("it came in tiles" if came.storage == "tiled" else "it came in lines")
    if pack.reach is Reach.CONTENT:
        return Unpacked("its window is trimmed to what is covered")
    reaches = window if pack.reach is Reach.ALL else _meeting(window, display)
    if came.data_window != reaches:
        return Unpacked("it goes out with another data window")
    in_order = sorted(by_name)
    names = tuple(by_name[name].name for name in in_order)
    if list(names) != sorted(names):
        return Unpacked("its channels get names of another order")
    if compression in _BY_NAME and list(names) != in_order:
        return Unpacked(f"its channels get other names, and {compression.value} packs by name")
    return Copied(source, came.index, names)


def untouched_channels(plan: OutputPlan, sources: Collection[str]) -> set[OutputChannel]:
    """Give the channels of some passes that go out just as they came; each pass is described once."""
    roles = {one.name: one for one in plan.chains.passes}
    is_divided = plan.chains.recipe.pack.alpha is AlphaKind.STRAIGHT
    described = {
        name: plan.chains.own(name).given
        for name in sources
        if not (is_divided and roles[name].role in COLOUR_ROLES and len(roles[name].channels) == 4)
    }
    return {
        one for one in plan.channels
        if one.ref is not None and one.source in described and one.component < len(described[one.source])
        and described[one.source][one.component].ref == one.ref
    }  # fmt: skip


def _meeting(window: Window, display: Window) -> Window:
    return Window(
        max(window.x_min, display.x_min), max(window.y_min, display.y_min),
        min(window.x_max, display.x_max), min(window.y_max, display.y_max),
    )  # fmt: skip


def _listed(names: Sequence[str]) -> str:
    more = len(names) - 3
    return ", ".join(names[:3]) + (f" and {more} more" if more > 0 else "")
