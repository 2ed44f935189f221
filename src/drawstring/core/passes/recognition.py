"""Each layer of a file taken for a pass: its role, how sure that is, and why.

Names and pixels are heard separately. Where they agree the confidence is high; where the pixels
contradict the name, the name is kept as a claim with low confidence, so that a person looks.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.passes.layers import Layer, layers_of, ranked_name
from drawstring.core.passes.naming import role_from_name
from drawstring.core.passes.roles import COLOUR_ROLES, Role
from drawstring.core.passes.values import contradiction, role_from_values

LOOK_BELOW = 0.7
"""Below this confidence a person should look."""


@dataclass(frozen=True)
class Pass:
    """One picture quantity of a view.

    Attributes
    ----------
    name : str
        The one name used everywhere; the role's, made unique where several share it.
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
        "half", "float" or "uint", per channel.
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

    @property
    def needs_look(self) -> bool:
        """Whether a person should confirm the role."""
        return self.confidence < LOOK_BELOW


def recognise(facts: FileFacts, pixels: Mapping[ChannelRef, Stored] | None = None) -> list[Pass]:
    """Take each layer of a file for a pass.

    Parameters
    ----------
    facts : FileFacts
    pixels : mapping of ChannelRef to (H, W), optional
        One frame's channels; without them only names are heard.

    Returns
    -------
    list of Pass
        In the file's order, names unique within a view.
    """
    passes: list[Pass] = []
    taken: set[tuple[str, str]] = set()
    for layer in _joined_ranks(layers_of(facts)):
        role, confidence, reason = _judge(layer, pixels)
        name = role.value if role is not Role.OTHER else layer.name or "unnamed"
        if (layer.view, name) in taken:
            name = layer.name or f"{name}_2"
        taken.add((layer.view, name))
        passes.append(
            Pass(
                name, layer.name, role, confidence, reason, layer.view, layer.channels,
                _suffixes(role, layer), layer.pixel_types,
            )
        )  # fmt: skip
    return passes


def _judge(layer: Layer, pixels: Mapping[ChannelRef, Stored] | None) -> tuple[Role, float, str]:
    named = role_from_name(layer.name, layer.suffixes)
    planes = [pixels[ref] for ref in layer.channels if ref in pixels] if pixels else []
    if named and not planes:
        return named[0], 0.8, named[1]
    if named:
        role, reason = named
        if against := contradiction(role, planes):
            return role, 0.35, f"{reason}, but {against}"
        return role, 0.97, f"{reason}, and its pixels agree"
    if planes and (seen := role_from_values(planes)):
        return seen[0], 0.6, f"{seen[1]}; its name {layer.name} says nothing"
    return Role.OTHER, 0.3, f"neither its name {layer.name} nor its pixels tell"


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


def _suffixes(role: Role, layer: Layer) -> tuple[str, ...]:
    """Name the channels within the pass, the same way whatever the file calls them."""
    count = len(layer.channels)
    if role is Role.OBJECT_MATTE:
        return tuple(f"{i // 4:02d}.{'RGBA'[i % 4]}" for i in range(count))
    if count == 1:
        return ("Z",) if role is Role.DEPTH else ("A",) if role is Role.ALPHA else ("V",)
    if role in (Role.NORMAL, Role.POSITION, Role.MOTION) and count <= 4:
        return tuple("XYZW"[:count])
    if role in COLOUR_ROLES | {Role.OTHER} and count <= 4:
        return tuple("RGBA"[:count])
    return layer.suffixes
