"""Each layer of a file taken for a pass: its role, how sure that is, and why.

Names and pixels are heard separately. Where they agree the confidence is high; where the pixels
contradict the name, the name is kept as a claim with low confidence, so that a person looks. What the
show's dictionary says goes before both.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.passes.dictionary import Entry, look_up
from drawstring.core.passes.layers import Layer, layers_of, ranked_name
from drawstring.core.passes.naming import Claim, role_from_name
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, Role
from drawstring.core.passes.values import (
    contradiction,
    depth_traits,
    id_traits,
    normal_traits,
    role_from_values,
)

LOOK_BELOW = 0.7
"""Below this confidence a person should look."""

UNKNOWN_BELOW = 0.4
"""Below this confidence nothing is claimed."""

STRAIGHT = "straight alpha"
"""The trait of a pass whose format says that colours are not multiplied by alpha (PNG, most TIFF)."""

_STRANGE = re.compile(r"[^A-Za-z0-9_.\-]+")


@dataclass(frozen=True)
class Pass:
    """One picture quantity of a view.

    Attributes
    ----------
    name : str
        The one name used everywhere; the role's, made unique where several share it, with the view before
        it for all views but the first.
    layer : str
        What the file calls it.
    role : Role
    confidence : float
        0 to 1; below `LOOK_BELOW` a person should look.
    reason : str
        Why it was taken for its role.
    view : str
    channels : tuple of ChannelRef
        In component order.
    suffixes : tuple of str
        What each channel is called within the pass: R, G, B, A, X, Y, Z or V.
    pixel_types : tuple of str
        "half", "float", "uint", "uint8" or "uint16", per channel.
    traits : tuple of str
        What else is known: "normalised", "near is white", "world space", "denoised" ...
    twin_of : str
        The chosen pass of the same role, where this is the other one of a pair.
    space, space_reason : str
        The colour space it was written in (a key of `colour.SPACES`), and why that is believed.
    """

    name: str
    layer: str
    role: Role
    confidence: float
    reason: str
    view: str
    channels: tuple[ChannelRef, ...]
    suffixes: tuple[str, ...]
    pixel_types: tuple[str, ...]
    traits: tuple[str, ...] = ()
    twin_of: str = ""
    space: str = "linear"
    space_reason: str = ""

    @property
    def is_straight(self) -> bool:
        """Whether its file's format keeps colours that are not multiplied by alpha."""
        return STRAIGHT in self.traits

    @property
    def needs_look(self) -> bool:
        """Whether a person should confirm the role."""
        return self.confidence < LOOK_BELOW


def recognise(
    facts: FileFacts,
    pixels: Mapping[ChannelRef, Stored] | None = None,
    *,
    dictionary: Sequence[Entry] = (),
    called: str = "",
    view: str = "",
) -> list[Pass]:
    """Take each layer of a file for a pass.

    Parameters
    ----------
    facts : FileFacts
    pixels : mapping of ChannelRef to (H, W), optional
        One frame's channels; without them only names are heard.
    dictionary : sequence of Entry
        What people said about names.
    called : str
        What the file's name says of its pass; counts for layers without a name.
    view : str
        What the file's name says of its view; counts where the file does not say.

    Returns
    -------
    list of Pass
        In the file's order, names unique.
    """
    layers = _joined_ranks(layers_of(facts))
    if any(_is_hashed_name(layer.name) for layer in layers):
        # A file that is called after its hashed names shows the picture beside them as plain R, G, B, A.
        said = role_from_name(called, ("R", "G", "B")) if called else None
        called = "" if said and said.role in HASHED_ROLES else called
    if called and len(layers) == 1 and len(layers[0].name) == 1:
        # A lone V, Y or Z says less than the file's own name.
        layers = [replace(layers[0], name="")]
    passes = [_taken(layer, pixels, dictionary, called, layer.view or view) for layer in layers]
    return with_names(_with_beauty(passes, facts, pixels))


def with_names(passes: Sequence[Pass], *, default_view: str | None = None) -> list[Pass]:
    """Give every pass its one name, unique among them all.

    Of several passes with one role the surest has the role's name, a denoised one before its noisy twin;
    the others keep their own. Passes of other views than the default have the view before their name.
    """
    views = list(dict.fromkeys(one.view for one in passes))
    first = default_view if default_view is not None else views[0] if views else ""
    named: dict[int, Pass] = {}
    taken: set[str] = set()
    order = sorted(range(len(passes)), key=lambda i: (passes[i].view != first, *_rank(passes[i]), i))
    chosen: dict[tuple[str, Role], str] = {}
    for i in order:
        one = passes[i]
        prefix = f"{one.view}." if one.view != first else ""
        own = _STRANGE.sub("_", one.layer).strip("_.-") or "unnamed"
        key = (one.view, one.role)
        twin = ""
        if one.role in (Role.OTHER, Role.LIGHT_GROUP, Role.MATTE):
            name = own
        elif key in chosen:
            name, twin = _other_name(one, own), chosen[key] if _is_twin(one) else ""
        else:
            name = one.role.value
        name = _free(prefix + name, taken)
        taken.add(name)
        chosen.setdefault(key, name)
        named[i] = replace(one, name=name, twin_of=twin)
    return [named[i] for i in range(len(passes))]


def _with_beauty(
    passes: list[Pass], facts: FileFacts, pixels: Mapping[ChannelRef, Stored] | None
) -> list[Pass]:
    """Take a first part of plain R, G, B, A for the beauty, whatever it is called, where nothing else is.

    Writers of several parts put the picture first, and call it "main", "default", "part0" and the like.
    """
    if len(facts.parts) < 2 or any(one.role is Role.BEAUTY for one in passes):
        return passes
    called = {one.layer for one in passes if one.channels[0].part == 0}

    def is_beauty(one: Pass) -> bool:
        planes = [pixels[ref] for ref in one.channels if ref in pixels] if pixels else []
        return (
            one.role is Role.OTHER
            and one.needs_look  # nobody has said that it is something else
            and one.layer in called  # of every view
            and {ref.name.upper() for ref in one.channels} == set("RGBA")
            and (not planes or contradiction(Role.BEAUTY, planes) is None)
        )

    return [
        replace(
            one, name=Role.BEAUTY.value, role=Role.BEAUTY, confidence=LOOK_BELOW,
            reason=f"plain R, G, B, A of the first part; its name {one.layer} says nothing",
        )
        if is_beauty(one)
        else one
        for one in passes
    ]  # fmt: skip


def _rank(one: Pass) -> tuple[bool, bool, float]:
    """Order passes of one role: people's word first, what is whole before what is made of it, the surest."""
    lesser = {"noisy", "raw", "filtered"} | ({"normalised"} if one.role is Role.DEPTH else set())
    return one.confidence < 1, bool(lesser & set(one.traits)), -one.confidence


def _is_twin(one: Pass) -> bool:
    return bool({"noisy", "raw", "denoised"} & set(one.traits))


def _other_name(one: Pass, own: str) -> str:
    mark = next((trait for trait in ("noisy", "raw", "denoised") if trait in one.traits), "")
    return f"{one.role.value}_{mark}" if mark else own if own != "unnamed" else f"{one.role.value}_2"


def _free(name: str, taken: set[str]) -> str:
    number, wanted = 2, name
    while name in taken:
        name, number = f"{wanted}_{number}", number + 1
    return name


def _taken(
    layer: Layer,
    pixels: Mapping[ChannelRef, Stored] | None,
    dictionary: Sequence[Entry],
    called: str,
    view: str,
) -> Pass:
    planes = [pixels[ref] for ref in layer.channels if ref in pixels] if pixels else []
    own = layer.name or called
    claim = _judge(layer, own, planes, dictionary)
    traits = claim.traits
    if planes and claim.role is Role.DEPTH:
        seen = depth_traits(planes[0], _alpha(pixels or {}))
        traits = tuple(t for t in traits if t not in ("metric", "normalised")) + seen
    elif planes and claim.role is Role.ID:
        traits += id_traits(planes[0])
    elif planes and claim.role is Role.NORMAL:
        traits += normal_traits(planes)
    return Pass(
        claim.role.value, own, claim.role, round(claim.confidence, 3), claim.reason, view, layer.channels,
        suffixes_for(claim.role, layer.suffixes), layer.pixel_types, tuple(dict.fromkeys(traits)),
    )  # fmt: skip


def _judge(layer: Layer, own: str, planes: list[Stored], dictionary: Sequence[Entry]) -> Claim:
    if told := look_up(dictionary, own):
        said = role_from_name(own, layer.suffixes)
        return Claim(
            told.role,
            0.99,
            f"the show's dictionary: {told.kind.says} {told.text}",
            said.traits if said else (),
        )
    claim = role_from_name(own, layer.suffixes)
    if claim is None and not layer.name:
        claim = role_from_name("", layer.suffixes)
    if claim and layer.name == "" and own:
        claim = replace(claim, reason=f"{claim.reason}, by the file's name") if own in claim.reason else claim
    if claim and not planes:
        return claim
    seen = role_from_values(planes) if planes else None
    if claim and claim.role is not Role.OTHER:
        if against := contradiction(claim.role, planes):
            if seen and seen[0] is Role.NORMAL:
                return replace(claim, confidence=0.35, reason=f"{claim.reason}, but {against}")
            return replace(claim, confidence=0.45, reason=f"{claim.reason}, but {against}")
        if seen and seen[0] is claim.role:
            return replace(claim, confidence=0.97, reason=f"{claim.reason}, and its pixels agree: {seen[1]}")
        sure = 0.95 if claim.confidence >= LOOK_BELOW else claim.confidence + 0.1
        return replace(claim, confidence=sure, reason=f"{claim.reason}, and its pixels agree")
    if seen:
        return Claim(seen[0], 0.6, f"{seen[1]}; its name {own} says nothing")
    tells = f"neither its name {own} nor its pixels tell" if planes else f"its name {own} says nothing"
    return Claim(Role.OTHER, 0.3, tells)


def _alpha(pixels: Mapping[ChannelRef, Stored]) -> Stored | None:
    return next(
        (plane for ref, plane in pixels.items() if ref.name in ("A", "alpha", "rgba.A", "beauty.A")), None
    )


def _joined_ranks(layers: list[Layer]) -> list[Layer]:
    """Join `CryptoObject00`, `01` ... into one layer; drop their preview without a rank."""
    joined: dict[tuple[str, str], list[Layer]] = {}
    for layer in layers:
        joined.setdefault((layer.view, ranked_name(layer.name) or layer.name), []).append(layer)
    result = []
    for (view, name), members in joined.items():
        ranked = sorted((m for m in members if ranked_name(m.name)), key=lambda m: m.name) or members
        result.append(
            Layer(
                name,
                view,
                sum((m.channels for m in ranked), ()),
                sum((m.suffixes for m in ranked), ()),
                sum((m.pixel_types for m in ranked), ()),
            )
        )
    return result


def _is_hashed_name(layer: str) -> bool:
    claim = role_from_name(layer, ("R", "G", "B", "A")) if layer else None
    return claim is not None and claim.role in HASHED_ROLES


def suffixes_for(role: Role, suffixes: Sequence[str]) -> tuple[str, ...]:
    """Name the channels within a pass of a role, the same way whatever the file calls them."""
    count = len(suffixes)
    if role in HASHED_ROLES:
        return tuple(f"{i // 4:02d}.{'RGBA'[i % 4]}" for i in range(count))
    if count == 1:
        return ("Z",) if role is Role.DEPTH else ("A",) if role is Role.ALPHA else ("V",)
    if role in (Role.NORMAL, Role.POSITION, Role.MOTION) and count <= 4:
        return tuple("XYZW"[:count])
    if role in COLOUR_ROLES | {Role.OTHER} and count <= 4:
        return tuple("RGBA"[:count])
    return tuple(suffixes)
