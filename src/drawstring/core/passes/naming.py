"""What a layer's name says about its role.

Names are cut into words (dots, underscores, camel case) and looked up in the trade's usual words and
abbreviations. The words are a table, so that what is believed can be read.
"""

from __future__ import annotations

import re

from drawstring.core.passes.roles import Role

_WORDS = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")

_WHOLE: dict[str, Role] = {
    "beauty": Role.BEAUTY, "rgb": Role.BEAUTY, "rgba": Role.BEAUTY, "combined": Role.BEAUTY,
    "final": Role.BEAUTY,
    "alpha": Role.ALPHA, "opacity": Role.ALPHA, "coverage": Role.ALPHA,
    "depth": Role.DEPTH, "z": Role.DEPTH, "zdepth": Role.DEPTH, "distance": Role.DEPTH,
    "position": Role.POSITION, "pos": Role.POSITION, "pworld": Role.POSITION, "wpos": Role.POSITION,
    "points": Role.POSITION, "p": Role.POSITION,
    "normal": Role.NORMAL, "normals": Role.NORMAL, "nrm": Role.NORMAL, "n": Role.NORMAL,
    "emission": Role.EMISSION, "emissive": Role.EMISSION, "emit": Role.EMISSION,
    "environment": Role.ENVIRONMENT, "env": Role.ENVIRONMENT, "background": Role.ENVIRONMENT,
    "bg": Role.ENVIRONMENT, "sky": Role.ENVIRONMENT,
    "ao": Role.OCCLUSION, "occlusion": Role.OCCLUSION, "occ": Role.OCCLUSION,
    "shadow": Role.SHADOW, "shadows": Role.SHADOW, "shd": Role.SHADOW,
    "mist": Role.MIST, "fog": Role.MIST,
    "crypto": Role.OBJECT_MATTE, "cryptomatte": Role.OBJECT_MATTE,
    "motion": Role.MOTION, "velocity": Role.MOTION, "mv": Role.MOTION, "vector": Role.MOTION,
    "uv": Role.TEXTURE, "st": Role.TEXTURE, "texcoord": Role.TEXTURE,
}  # fmt: skip
_DIFFUSE = {"diffuse", "diff", "dif"}
_SPECULAR = {"specular", "spec", "glossy", "gloss", "reflection", "refl"}
_DIRECT = {"direct", "dir"}
_INDIRECT = {"indirect", "ind", "indir", "gi", "bounce"}
_COLOUR = {"colour", "color", "col", "albedo", "filter", "reflectance"}


def words_of(name: str) -> list[str]:
    """Cut a name into lower-case words.

    Examples
    --------
    >>> words_of("RenderLayer.DiffDir"), words_of("specular_indirect"), words_of("CryptoObject00")
    (['render', 'layer', 'diff', 'dir'], ['specular', 'indirect'], ['crypto', 'object', '00'])
    """
    return [word.lower() for word in _WORDS.findall(name)]


def role_from_name(layer: str, suffixes: tuple[str, ...]) -> tuple[Role, str] | None:
    """Take a layer for a role by its name alone.

    Parameters
    ----------
    layer : str
        The layer's name; empty for plain R, G, B, A.
    suffixes : tuple of str
        Its channels' last words.

    Returns
    -------
    (Role, str) or None
        The role and the reason in words.
    """
    words = words_of(layer)
    if not words and {"r", "g", "b"} <= {s.lower()[:1] for s in suffixes}:
        return Role.BEAUTY, "plain R, G, B"
    said = set(words)
    for lobe, direct, indirect, colour in (
        (_DIFFUSE, Role.DIFFUSE_DIRECT, Role.DIFFUSE_INDIRECT, Role.DIFFUSE_COLOUR),
        (_SPECULAR, Role.SPECULAR_DIRECT, Role.SPECULAR_INDIRECT, Role.SPECULAR_COLOUR),
    ):
        if said & lobe:
            for kind, role in ((_INDIRECT, indirect), (_DIRECT, direct), (_COLOUR, colour)):
                if said & kind:
                    return role, f"named {layer}"
    if "albedo" in said:
        return Role.DIFFUSE_COLOUR, f"named {layer}"
    # The last word is the most telling: "fog_depth" is a depth.
    for word in reversed(words):
        if word in _WHOLE:
            return _WHOLE[word], f"named {layer}"
    if "".join(words) in _WHOLE:
        return _WHOLE["".join(words)], f"named {layer}"
    return None
