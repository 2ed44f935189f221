"""What was worked out once and stays so, kept while there is room."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any


class Memory:
    """Things by a key that names all they follow from; those not asked for longest leave first.

    Parameters
    ----------
    most : int
        How many are kept.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Give what a key names; made where it is not there. Two that ask at once may both make it."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made
