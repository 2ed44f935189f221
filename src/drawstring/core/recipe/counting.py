"""What a knot wants counted over the frames of a delivery, as the recipe stands."""

from __future__ import annotations

from dataclasses import dataclass

from drawstring.core.io.facts import ChannelRef

FACTS = "facts"
"""What is counted of every delivery; any other kind of count is a knot's, and bears its name."""


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
    beside : tuple of ChannelRef
        What is read, too, of frames that came with it.
    looked_at : tuple of ChannelRef
        What is read, too, of the few frames of which more is told.
    pass_name : str
        Of the pass it is about, where that is a single one.
    is_waited_for : bool
        Whether somebody looks at a page that can't go on without it: it comes before all else.
    is_whole : bool
        Whether it takes the whole of a picture of any size; else the middle of one that can't be held whole.
    """

    key: str
    inputs: tuple[ChannelRef, ...]
    says: str
    is_sampled: bool = False
    beside: tuple[ChannelRef, ...] = ()
    looked_at: tuple[ChannelRef, ...] = ()
    pass_name: str = ""
    is_waited_for: bool = False
    is_whole: bool = False
