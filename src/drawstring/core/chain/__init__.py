"""The chain: stages in one fixed order, what a shot's picture is after each, pulled by name."""

from drawstring.core.chain.chain import CUT, ELSE, MATTE, PICTURE, Chain, How, Step, is_picture
from drawstring.core.chain.stages import STAGES, Reach, Stage, StageFacts, facts_of, is_before
from drawstring.core.chain.value import Value, Work, channels_of, leaf, value

__all__ = [
    "CUT",
    "ELSE",
    "MATTE",
    "PICTURE",
    "STAGES",
    "Chain",
    "How",
    "Reach",
    "Stage",
    "StageFacts",
    "Step",
    "Value",
    "Work",
    "channels_of",
    "facts_of",
    "is_before",
    "is_picture",
    "leaf",
    "value",
]
