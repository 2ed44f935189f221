"""What a knot wants counted over the frames of a delivery, as the recipe stands."""

from __future__ import annotations

from dataclasses import dataclass

from drawstring.core.io.facts import ChannelRef


@dataclass(frozen=True)
class Counting:
    """A count that a knot asks for.

    Attributes
    ----------
    key : str
        Names all of the recipe that it depends on: under another key frames are counted anew.
    inputs : tuple of ChannelRef
        What has to be read of a frame.
    says : str
        What is being done, as people read it while they wait: "adding up".
    is_sampled : bool
        Whether first, middle and last frame are enough.
    """

    key: str
    inputs: tuple[ChannelRef, ...]
    says: str
    is_sampled: bool = False
