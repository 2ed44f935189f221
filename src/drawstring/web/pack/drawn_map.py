"""The channel map as it is drawn: sources at the left, what goes out at the right, a cord between them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from drawstring.core.pack.form import Files, Parts
from drawstring.core.pack.layout import CONSTANT, OutputChannel, compressions_of
from drawstring.core.pack.naming import layer_of
from drawstring.core.pack.settings import PackRow
from drawstring.core.passes.roles import HASHED_ROLES
from drawstring.core.recipe import KnotState, find_result, fixed_results
from drawstring.store.standing import ShotStanding

ROW_PX = 44
HEAD_PX = 30
ACROSS_PX = 120


@dataclass(frozen=True)
class Source:
    """A pass or result at the left."""

    name: str
    says: str
    count: int
    goes: bool
    is_going: bool


@dataclass(frozen=True)
class Target:
    """What goes out of it, at the right."""

    name: str
    row: PackRow
    layer: str
    words: str
    names: tuple[str, ...]
    stored: str
    is_fixed: bool
    is_constant: bool = False


@dataclass(frozen=True)
class Group:
    """A file or part, with what lies in it."""

    title: str
    says: str
    targets: tuple[Target, ...]


@dataclass(frozen=True)
class DrawnMap:
    """Both sides and the cords."""

    sources: tuple[Source, ...]
    groups: tuple[Group, ...]
    cords: tuple[str, ...]
    height: int
    row_px: int = ROW_PX
    head_px: int = HEAD_PX
    across_px: int = ACROSS_PX
    has_own_compression: bool = False
    stays: tuple[str, ...] = field(default=())


def draw_map(how: ShotStanding) -> DrawnMap:
    """Draw the channel map of a shot as it stands."""
    going: dict[str, list[OutputChannel]] = {}
    for channel in how.outputs.channels:
        going.setdefault(channel.source if channel.value is None else f"={channel.name}", []).append(channel)
    sources = _sources(how, going)
    groups = _groups(how, going)
    has_heads = any(group.title for group in groups)
    ends: dict[str, float] = {}
    y = 0.0
    for group in groups:
        y += HEAD_PX if has_heads else 0
        for target in group.targets:
            ends[target.name] = y + ROW_PX / 2
            y += ROW_PX
    cords = []
    for i, source in enumerate(sources):
        if source.name in ends:
            start, end, middle = i * ROW_PX + ROW_PX / 2, ends[source.name], ACROSS_PX / 2
            cords.append(f"M0 {start:g}C{middle:g} {start:g} {middle:g} {end:g} {ACROSS_PX} {end:g}")
    pack = how.recipe.pack
    return DrawnMap(
        tuple(sources), tuple(groups), tuple(cords), int(max(y, len(sources) * ROW_PX)),
        has_own_compression=pack.parts is Parts.PASSES or pack.files is Files.PASSES,
    )  # fmt: skip


def _sources(how: ShotStanding, going: dict[str, list[OutputChannel]]) -> list[Source]:
    pack = how.recipe.pack
    knots = {knot.name: knot for knot in how.knots}
    sources = [
        Source(
            one.name, one.layer or "R, G, B, A", len(one.channels), pack.row(one.name).goes, one.name in going
        )
        for one in how.passes
    ]
    made = dict.fromkeys([*fixed_results(), *going, *pack.rows])
    for result in [one for name in made if (one := find_result(name)) is not None]:
        if result.is_packed and (result.name in going or result.name in pack.rows):
            knot = knots.get(result.knot)  # none for what all of them make together
            is_open = ", which is open" if knot and knot.state is KnotState.OPEN else ""
            sources.append(
                Source(
                    result.name, f"made by {knot.title if knot else 'all knots'}{is_open}",
                    len(result.suffixes),
                    pack.row(result.name).goes, result.name in going,
                )
            )  # fmt: skip
    return sources


def _groups(how: ShotStanding, going: dict[str, list[OutputChannel]]) -> list[Group]:
    pack = how.recipe.pack
    passes = {one.name: one for one in how.passes}
    packed = compressions_of(how.outputs.channels, pack)
    groups: dict[tuple[str, str], list[Target]] = {}
    for name, channels in going.items():
        one, first = passes.get(name), channels[0]
        constant = first.source == CONSTANT
        row = PackRow() if constant else pack.row(name)
        target = Target(
            name=name,
            row=row,
            layer="" if constant else layer_of(name, pack, one),
            words=" ".join(channel.name.rpartition(".")[2] for channel in channels),
            names=tuple(channel.name for channel in channels),
            stored=", ".join(dict.fromkeys(channel.stored for channel in channels)),
            is_fixed=one is not None and one.role in HASHED_ROLES,
            is_constant=constant,
        )
        groups.setdefault((first.of_pass, first.part), []).append(target)
    told = []
    for (of_pass, part), targets in groups.items():
        kind = "file" if of_pass and not part else "part"
        told.append(Group(f"{kind} {part or of_pass}", packed[of_pass, part].value, tuple(targets)))
    # Where each holds one pass, its name stands in its row already.
    is_plain = len(told) == 1 or all(len(group.targets) == 1 for group in told)
    return [replace(group, title="") for group in told] if is_plain else told
