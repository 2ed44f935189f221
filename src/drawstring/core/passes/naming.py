"""What a layer's name says about its role, how surely, and what else it tells.

A name's words (`words.py`) are looked up; the role follows from what they say together. Where they say two
different things the name is believed only half, so that a person looks: no word is worth a silent mistake.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.passes.roles import Role
from drawstring.core.passes.words import (
    KINDS,
    LAMPS,
    LIGHTS,
    LOBES,
    PARTS,
    SILENT,
    SPACES,
    TWINS,
    WHOLE,
    words_of,
)

CLEAR, ALMOST, DOUBTFUL = 0.85, 0.75, 0.5
"""How far a name by itself is believed."""


@dataclass(frozen=True)
class Claim:
    """What a name claims.

    Attributes
    ----------
    role : Role
    confidence : float
    reason : str
    traits : tuple of str
        What else it tells: "denoised", "noisy", "world space", "along the ray", "normalised" ...
    """

    role: Role
    confidence: float
    reason: str
    traits: tuple[str, ...] = ()


_DEPTHLIKE = {Role.DEPTH, Role.MIST}
_TELLS_MORE: tuple[tuple[Role, Role], ...] = (
    # Of two roles named together, the first is what the pass is; the second says what it is about.
    (Role.DENOISE_HELPER, Role.OTHER),
    (Role.DEPTH, Role.MIST),
    (Role.MOTION, Role.POSITION),
    (Role.MATTE, Role.SHADOW),
    (Role.SHADOW, Role.MATTE),
    (Role.ALPHA, Role.MATTE),
    (Role.ALPHA, Role.BEAUTY),
    (Role.OCCLUSION, Role.SHADOW),
    (Role.TEXTURE, Role.POSITION),
    (Role.BLOOM, Role.BEAUTY),
    (Role.REFLECTION, Role.ENVIRONMENT),
    (Role.REFRACTION, Role.ENVIRONMENT),
)


def role_from_name(layer: str, suffixes: Sequence[str] = ()) -> Claim | None:
    """Take a layer for a role by its name alone.

    Parameters
    ----------
    layer : str
        The layer's name; empty for plain R, G, B, A.
    suffixes : sequence of str
        Its channels' last words.

    Returns
    -------
    Claim or None
        None when the name says nothing.

    Examples
    --------
    >>> role_from_name("GlossInd").role.value, role_from_name("N_world").traits
    ('specular_indirect', ('world space',))
    >>> role_from_name("depth_of_field"), role_from_name("lamp_key_03").role.value
    (None, 'light_group')
    """
    words = words_of(layer)
    telling = [word for word in words if not word.isdigit()]
    if not telling:
        return _plain(layer, suffixes)
    said = set(telling)
    if {"depth", "field"} <= said or "dof" in said or "bokeh" in said:
        return None
    traits = _traits(telling)
    claim = (
        _helper(layer, said)
        or _ground(layer, said)
        or _names(layer, said, suffixes)
        or _lobe(layer, telling)
        or _light_group(layer, words, said)
        or _whole(layer, telling, suffixes)
        or _twin(layer, said, suffixes)
    )
    return Claim(claim.role, claim.confidence, claim.reason, traits + claim.traits) if claim else None


def _plain(layer: str, suffixes: Sequence[str]) -> Claim | None:
    small = {suffix.lower()[:1] for suffix in suffixes}
    if not layer and {"r", "g", "b"} <= small:
        return Claim(Role.BEAUTY, CLEAR, "plain R, G, B")
    if not layer and [s.lower() for s in suffixes] in (["a"], ["alpha"]):
        return Claim(Role.ALPHA, CLEAR, "a lone channel A")
    return None


def _twin(layer: str, said: set[str], suffixes: Sequence[str]) -> Claim | None:
    """Take a picture that is only said to be noisy, or not, for a twin of the beauty."""
    told = said & {"denoised", "noisy", "undenoised", "nonoise"}
    rest = said - told - SILENT - {"image", "images"}
    is_colour = not suffixes or {"r", "g", "b"} <= {suffix.lower()[:1] for suffix in suffixes}
    if told and not rest and is_colour:
        return Claim(Role.BEAUTY, ALMOST, f"named {layer}")
    return None


def _helper(layer: str, said: set[str]) -> Claim | None:
    marks = said & {"variance", "stddev", "denoising", "samplecount", "mse", "cputime"}
    if marks or "denoise" in said and len(said) > 1 or said == {"samples"}:
        return Claim(Role.DENOISE_HELPER, CLEAR, f"named {layer}")
    return None


def _ground(layer: str, said: set[str]) -> Claim | None:
    if "ground" in said and said & {"clean", "empty", "bare"}:
        return Claim(Role.CLEAN_GROUND, CLEAR, f"named {layer}")
    return None


def _names(layer: str, said: set[str], suffixes: Sequence[str]) -> Claim | None:
    """Hashed names and numbers for things."""
    about_material = said & {"material", "mat", "matid", "mid"}
    if said & {"crypto", "cryptomatte", "cryptoobject"}:
        role = (
            Role.MATERIAL_MATTE
            if about_material
            else Role.ASSET_MATTE
            if "asset" in said
            else Role.OBJECT_MATTE
        )
        return Claim(role, CLEAR, f"named {layer}")
    if said & {"id", "ids", "index", "idx", "oid", "mid", "objid", "matid"}:
        others = {WHOLE[word] for word in said if word in WHOLE} - {Role.ID, Role.MATTE}
        is_colour = len(suffixes) >= 3 or said & {"colour", "color", "rgb"}
        role = Role.ID_COLOUR if is_colour else Role.ID
        if others - {Role.BEAUTY}:
            return Claim(role, DOUBTFUL, f"named {layer}, which also speaks of {_list(others)}")
        return Claim(role, ALMOST if is_colour else CLEAR, f"named {layer}")
    return None


def _lobe(layer: str, telling: list[str]) -> Claim | None:
    said = set(telling)
    lobes = {LOBES[word] for word in telling if word in LOBES}
    parts = {PARTS[word] for word in telling if word in PARTS}
    wholes = {WHOLE[word] for word in telling if word in WHOLE} - {Role.BEAUTY}
    if not lobes and "albedo" in said:
        return Claim(Role.DIFFUSE_ALBEDO, CLEAR, f"named {layer}")
    if not lobes and parts and wholes & {Role.REFLECTION}:
        lobes, wholes = {"specular"}, wholes - {Role.REFLECTION}
    if not lobes and parts and wholes & {Role.REFRACTION}:
        lobes, wholes = {"transmission"}, wholes - {Role.REFRACTION}
    if not lobes:
        return None
    if "reflection" in wholes or "coat" in wholes or "sheen" in wholes:
        # "specular_reflection" is the specular lobe; "coat_specular" the coat.
        coat = wholes & {Role.COAT, Role.SHEEN}
        if coat and not parts:
            return Claim(next(iter(coat)), ALMOST, f"named {layer}")
        wholes -= {Role.REFLECTION}
    if len(lobes) == 2 and lobes == {"diffuse", "transmission"}:
        lobes = {"transmission"}
    lobe = sorted(lobes)[0]
    if "indirect" in parts and "direct" in parts:
        parts -= {"direct"}
    confidence = CLEAR
    reason = f"named {layer}"
    if len(lobes) > 1 or len(parts) > 1:
        confidence, reason = DOUBTFUL, f"named {layer}, which says several things"
    elif wholes:
        confidence, reason = DOUBTFUL, f"named {layer}, which also speaks of {_list(wholes)}"
    part = next(iter(sorted(parts)), "")
    value = f"{lobe}_{part}" if part else lobe
    if value not in set(Role):
        value = lobe
    return Claim(Role(value), confidence, reason)


def _light_group(layer: str, words: list[str], said: set[str]) -> Claim | None:
    lamps, lights = said & LAMPS, said & LIGHTS
    numbered = any(word.isdigit() for word in words)
    roles = {WHOLE[word] for word in said if word in WHOLE}
    if lights and not roles and (len(said) > 1 or numbered):
        return Claim(Role.LIGHT_GROUP, CLEAR, f"named {layer}, a lamp or group of lamps")
    if lamps and not roles and said - SILENT == lamps:
        return Claim(Role.LIGHT_GROUP, ALMOST, f"named {layer}, a usual name of a lamp")
    return None


def _whole(layer: str, telling: list[str], suffixes: Sequence[str]) -> Claim | None:
    found = [WHOLE[word] for word in telling if word in WHOLE]
    if not found:
        return None
    roles = set(found)
    if len(roles) > 1:
        roles -= {Role.BEAUTY}
    if len(roles) > 1:
        for first, second in _TELLS_MORE:
            if roles == {first, second}:
                return Claim(first, ALMOST, f"named {layer}")
        # The last word is the most telling.
        others = _list(roles - {found[-1]})
        return Claim(found[-1], DOUBTFUL, f"named {layer}, which also speaks of {others}")
    role = next(iter(roles))
    unknown = [word for word in telling if _is_strange(word)]
    short = len(telling) == 1 and len(telling[0]) == 1
    if (
        short
        and role is Role.NORMAL
        and len(suffixes) < 3
        or short
        and role is Role.POSITION
        and len(suffixes) == 1
    ):
        return Claim(role, DOUBTFUL, f"named {layer}, which is too short to be sure")
    if unknown and role in _DEPTHLIKE | {Role.ALPHA, Role.NORMAL}:
        # "bump_normal" and "fog_depth" are what they say; a stranger beside the word is told all the same.
        return Claim(
            role, ALMOST if telling[-1] in WHOLE or telling[0] in WHOLE else DOUBTFUL, f"named {layer}"
        )
    return Claim(role, CLEAR, f"named {layer}")


def _traits(telling: list[str]) -> tuple[str, ...]:
    traits = []
    for word in telling:
        if word in TWINS:
            traits.append(TWINS[word])
        elif word in SPACES and any(w in WHOLE and WHOLE[w] in _VECTORS for w in telling):
            traits.append(f"{SPACES[word]} space")
        elif word in KINDS and any(w in WHOLE and WHOLE[w] in _DEPTHLIKE for w in telling):
            traits.append(KINDS[word])
    return tuple(dict.fromkeys(traits))


_VECTORS = {Role.NORMAL, Role.POSITION, Role.MOTION}


def _is_strange(word: str) -> bool:
    known = LOBES.keys() | PARTS.keys() | WHOLE.keys() | SPACES.keys() | KINDS.keys() | TWINS.keys()
    return word not in known and word not in SILENT and word not in LIGHTS


def _list(roles: set[Role]) -> str:
    return " and ".join(sorted(role.value.replace("_", " ") for role in roles))


__all__ = ["ALMOST", "CLEAR", "DOUBTFUL", "Claim", "role_from_name", "words_of"]
