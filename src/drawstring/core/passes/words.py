"""The trade's words in names of passes, cut out of whatever habit a name was written in.

Names come as `diffuse_direct`, `DiffDir`, `RenderLayer.Diffuse-Direct`, `diffdir`, `GI_DIFF`. They are cut
at dots, dashes and capitals; a run of small letters that is no word itself is cut into words when it is
made of nothing else (`zdepth`, `diffdir`, `worldnormal`).
"""

from __future__ import annotations

import re
from functools import lru_cache

from drawstring.core.passes.roles import Role

_CUT = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")

LOBES: dict[str, str] = {
    "diffuse": "diffuse", "diff": "diffuse", "dif": "diffuse", "lambert": "diffuse",
    "specular": "specular", "spec": "specular", "spc": "specular", "glossy": "specular", "gloss": "specular",
    "glos": "specular", "highlight": "specular", "highlights": "specular",
    "transmission": "transmission", "transmissive": "transmission", "trans": "transmission",
    "transm": "transmission", "transmit": "transmission", "trn": "transmission",
    "subsurface": "subsurface", "sss": "subsurface", "subsurf": "subsurface",
    "volume": "volume", "volumes": "volume", "vol": "volume", "volumetric": "volume", "volumetrics": "volume",
}  # fmt: skip
"""Words for the way in which a surface answers light."""

PARTS: dict[str, str] = {
    "direct": "direct", "dir": "direct", "drct": "direct",
    "indirect": "indirect", "ind": "indirect", "indir": "indirect", "idr": "indirect", "gi": "indirect",
    "bounce": "indirect", "bounced": "indirect",
    "colour": "albedo", "color": "albedo", "col": "albedo", "clr": "albedo", "albedo": "albedo",
    "filter": "albedo", "reflectance": "albedo", "tint": "albedo",
}  # fmt: skip
"""Words for a lobe's parts."""

WHOLE: dict[str, Role] = {
    "beauty": Role.BEAUTY, "bty": Role.BEAUTY, "rgb": Role.BEAUTY, "rgba": Role.BEAUTY,
    "combined": Role.BEAUTY, "composite": Role.BEAUTY, "master": Role.BEAUTY,
    "alpha": Role.ALPHA, "opacity": Role.ALPHA, "coverage": Role.ALPHA, "alp": Role.ALPHA,
    "depth": Role.DEPTH, "z": Role.DEPTH, "zdepth": Role.DEPTH, "zbuffer": Role.DEPTH, "distance": Role.DEPTH,
    "dpth": Role.DEPTH, "depthz": Role.DEPTH,
    "mist": Role.MIST, "fog": Role.MIST, "haze": Role.MIST,
    "position": Role.POSITION, "positions": Role.POSITION, "pos": Role.POSITION, "pworld": Role.POSITION,
    "wpos": Role.POSITION, "points": Role.POSITION, "point": Role.POSITION, "p": Role.POSITION,
    "wpp": Role.POSITION, "pws": Role.POSITION,
    "normal": Role.NORMAL, "normals": Role.NORMAL, "nrm": Role.NORMAL, "nrml": Role.NORMAL, "n": Role.NORMAL,
    "norm": Role.NORMAL, "nor": Role.NORMAL, "nworld": Role.NORMAL, "ncam": Role.NORMAL, "nn": Role.NORMAL,
    "motion": Role.MOTION, "velocity": Role.MOTION, "mv": Role.MOTION, "mvec": Role.MOTION,
    "vector": Role.MOTION, "vectors": Role.MOTION, "mov": Role.MOTION, "vel": Role.MOTION,
    "flow": Role.MOTION, "speed": Role.MOTION,
    "uv": Role.TEXTURE, "uvs": Role.TEXTURE, "uvw": Role.TEXTURE, "st": Role.TEXTURE,
    "texcoord": Role.TEXTURE, "texcoords": Role.TEXTURE,
    "coat": Role.COAT, "clearcoat": Role.COAT, "varnish": Role.COAT, "coating": Role.COAT,
    "sheen": Role.SHEEN, "fuzz": Role.SHEEN, "velvet": Role.SHEEN,
    "emission": Role.EMISSION, "emissive": Role.EMISSION, "emit": Role.EMISSION, "emi": Role.EMISSION,
    "emis": Role.EMISSION, "incandescence": Role.EMISSION, "selfillum": Role.EMISSION,
    "selfillumination": Role.EMISSION, "luminous": Role.EMISSION,
    "environment": Role.ENVIRONMENT, "env": Role.ENVIRONMENT, "background": Role.ENVIRONMENT,
    "bg": Role.ENVIRONMENT, "sky": Role.ENVIRONMENT, "backdrop": Role.ENVIRONMENT,
    "reflection": Role.REFLECTION, "reflections": Role.REFLECTION, "refl": Role.REFLECTION,
    "rfl": Role.REFLECTION, "reflect": Role.REFLECTION, "mirror": Role.REFLECTION,
    "refraction": Role.REFRACTION, "refractions": Role.REFRACTION, "refr": Role.REFRACTION,
    "rfr": Role.REFRACTION, "refract": Role.REFRACTION,
    "bloom": Role.BLOOM, "glow": Role.BLOOM, "glare": Role.BLOOM, "halation": Role.BLOOM,
    "ao": Role.OCCLUSION, "occlusion": Role.OCCLUSION, "occ": Role.OCCLUSION, "ambocc": Role.OCCLUSION,
    "amboc": Role.OCCLUSION, "acc": Role.OCCLUSION,
    "shadow": Role.SHADOW, "shadows": Role.SHADOW, "shd": Role.SHADOW, "shdw": Role.SHADOW,
    "shad": Role.SHADOW, "shw": Role.SHADOW,
    "ground": Role.GROUND_PICTURE, "whiteground": Role.GROUND_PICTURE, "onground": Role.GROUND_PICTURE,
    "plate": Role.PLATE, "footage": Role.PLATE, "filmed": Role.PLATE,
    "crypto": Role.OBJECT_MATTE, "cryptomatte": Role.OBJECT_MATTE, "cryptoobject": Role.OBJECT_MATTE,
    "id": Role.ID, "ids": Role.ID, "index": Role.ID, "idx": Role.ID, "oid": Role.ID, "mid": Role.ID,
    "objid": Role.ID, "matid": Role.ID,
    "matte": Role.MATTE, "mattes": Role.MATTE, "mask": Role.MATTE, "masks": Role.MATTE, "msk": Role.MATTE,
    "holdout": Role.MATTE, "puzzle": Role.MATTE,
    "variance": Role.DENOISE_HELPER, "stddev": Role.DENOISE_HELPER, "denoising": Role.DENOISE_HELPER,
    "denoise": Role.DENOISE_HELPER, "dn": Role.DENOISE_HELPER, "samples": Role.DENOISE_HELPER,
    "samplecount": Role.DENOISE_HELPER, "mse": Role.DENOISE_HELPER, "cputime": Role.DENOISE_HELPER,
}  # fmt: skip
"""Words that name a pass by themselves."""

LIGHTS = frozenset({"light", "lights", "lgt", "lamp", "lamps", "lightgroup", "lg", "lightmix", "lpe"})
"""Words that announce one lamp or a group of them."""

LAMPS = frozenset(
    {"key", "fill", "rim", "kicker", "sun", "practical", "practicals", "dome", "spot", "bounce"}
)
"""Usual names of lamps: with a number or a light word, a light group."""

SPACES: dict[str, str] = {
    "world": "world", "wld": "world", "ws": "world", "camera": "camera", "cam": "camera", "cs": "camera",
    "view": "camera", "screen": "screen", "object": "object", "obj": "object", "local": "object",
    "tangent": "tangent",
}  # fmt: skip
"""Words for the space in which vectors are told."""

KINDS: dict[str, str] = {
    "ray": "along the ray", "radial": "along the ray", "euclidean": "along the ray",
    "planar": "along the axis", "axis": "along the axis", "axial": "along the axis",
    "inverted": "inverted", "inverse": "inverted",
    "invert": "inverted", "inv": "inverted", "normalized": "normalised", "normalised": "normalised",
    "metric": "metric", "linear": "metric",
}  # fmt: skip
"""Words for the kind of a distance."""

TWINS: dict[str, str] = {
    "denoised": "denoised", "dnz": "denoised", "clean": "denoised", "nonoise": "denoised",
    "noisy": "noisy", "noise": "noisy", "raw": "raw", "undenoised": "noisy",
}  # fmt: skip
"""Words that tell one of two twins from the other."""

SILENT = frozenset(
    {
        "pass", "aov", "layer", "render", "rl", "rlayer", "renderlayer", "viewlayer", "main", "channel", "ch",
        "output", "out", "data", "the", "of", "lgt", "lighting", "total", "full", "all", "lin", "final",
        "el", "element", "ambient", "amb", "global", "illumination", "illum", "shading", "shade", "self",
        "pref", "scatter", "scattering", "surface", "map", "buffer", "filtered", "unfiltered", "aa",
        "default", "unlit", "lit", "in", "re", "motionvector", "buf", "img", "picture",
    }
)  # fmt: skip
"""Words that say nothing about the role."""

_KNOWN = (
    LOBES.keys() | PARTS.keys() | WHOLE.keys() | SPACES.keys() | KINDS.keys() | TWINS.keys() | LIGHTS | SILENT
    | {"material", "mat", "asset", "occ", "object", "crypto"}
)  # fmt: skip
_SHORTEST = 3
_TWO = frozenset({"texcoord", "texcoords", "subsurface", "selfillum", "selfillumination", "clearcoat"})


def words_of(name: str) -> list[str]:
    """Cut a name into lower-case words.

    Examples
    --------
    >>> words_of("RenderLayer.DiffDir"), words_of("specular_indirect"), words_of("CryptoObject00")
    (['render', 'layer', 'diff', 'dir'], ['specular', 'indirect'], ['crypto', 'object', '00'])
    >>> words_of("zdepth"), words_of("worldnormal"), words_of("GlossyInd"), words_of("N2")
    (['zdepth'], ['world', 'normal'], ['glossy', 'ind'], ['n', '2'])
    """
    words: list[str] = []
    for word in _CUT.findall(name):
        for piece in _segments(word.lower()):
            # Capitals may cut a word that the trade knows whole: TexCoord, SubSurface.
            joined = words[-1] + piece if words else ""
            if joined in _TWO and words[-1] not in LOBES and piece not in LOBES:
                words[-1] = joined
            else:
                words.append(piece)
    return words


def is_known(piece: str) -> bool:
    """Whether a piece of a name is made of the trade's words and numbers alone, and of one word at least."""
    words = words_of(piece)
    return all(word in _KNOWN or word.isdigit() for word in words) and not all(w.isdigit() for w in words)


@lru_cache(maxsize=4096)
def _segments(word: str) -> tuple[str, ...]:
    """Cut a run of letters that is no word into known words, the longest first; leave it when it can't be."""
    if word in _KNOWN or len(word) < 2 * _SHORTEST - 1 or word.isdigit():
        return (word,)
    for length in range(len(word) - 1, 1, -1):
        head, rest = word[:length], word[length:]
        if head in _KNOWN and (len(head) >= _SHORTEST or head in ("ao", "gi", "mv", "uv")):
            if rest in _KNOWN and len(rest) > 1:
                return (head, rest)
            tail = _segments(rest)
            if len(tail) > 1:
                return (head, *tail)
    return (word,)
