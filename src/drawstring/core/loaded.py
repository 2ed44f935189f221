"""What a process has loaded, left out where Python looks for garbage."""

from __future__ import annotations

import atexit
import gc


def keep_loaded() -> None:
    """Leave all that is there now out of the search for garbage, until the process ends.

    Then it is given back: libraries take what is left over at the end for lost, and say so.
    """
    gc.freeze()
    atexit.register(gc.unfreeze)
