"""What a picture covers: kinds of alpha, fringes, mattes, shadows as layers, layers on each other."""

from drawstring.core.alpha.conversion import cut_out, premultiplied, straight, with_sound_alpha
from drawstring.core.alpha.fringe import GROUNDS, Fringes, fringes, over_ground
from drawstring.core.alpha.kinds import AlphaEvidence, AlphaKind, OverFrames, alpha_evidence, edge_samples

__all__ = [
    "GROUNDS",
    "AlphaEvidence",
    "AlphaKind",
    "Fringes",
    "OverFrames",
    "alpha_evidence",
    "cut_out",
    "edge_samples",
    "fringes",
    "over_ground",
    "premultiplied",
    "straight",
    "with_sound_alpha",
]
