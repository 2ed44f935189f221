"""Files: what they say of themselves, their pixels, how they form sequences, and writing them safely."""

from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, PartFacts, Window
from drawstring.core.io.headers import read_facts
from drawstring.core.io.pixels import read_channels
from drawstring.core.io.sequences import Sequence, group
from drawstring.core.io.writing import write_exr

__all__ = [
    "ChannelFacts",
    "ChannelRef",
    "FileFacts",
    "PartFacts",
    "Sequence",
    "Window",
    "group",
    "read_channels",
    "read_facts",
    "write_exr",
]
