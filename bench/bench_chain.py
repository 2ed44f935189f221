"""The whole chain in the well: mist, focus, stack, lens and two eyes on, and a value moved at each stage."""

from __future__ import annotations

import statistics
import time
from itertools import product

from floor import tell
from serving import pair_served
from sqlalchemy.orm import sessionmaker

from drawstring.store import recipes, shows
from drawstring.store.database import connect

FRAME = 1002
CHAIN = {
    "depth.near": "2.5", "depth.far": "60", "depth.mist.add": "haze", "depth.mist.1.start": "3",
    "depth.focus.on": "yes", "depth.focus.by": "largest radius", "depth.focus.distance": "8",
    "alpha.needed": "yes", "alpha.stack.add": "beauty", "alpha.stack.1.matte": "", "alpha.stack.1.right": "6",
    "framing.needed": "yes", "framing.lens.bends": "scene", "framing.lens.k": "-0.05",
    "eyes.needed": "yes", "eyes.came": "two_views", "eyes.convergence": "8",
}  # fmt: skip
MOVED = {
    "mist": ("depth.mist.1.start", 4.0, 0.25), "focus": ("depth.focus.distance", 4.0, 0.25),
    "stack": ("alpha.stack.1.right", 4.0, 0.5), "lens": ("framing.lens.k", -0.05, 0.001),
    "eyes": ("eyes.shift", 0.0, 0.5),
}  # fmt: skip
"""A setting of each stage, where it begins, and by how much a hand moves it."""


def main() -> None:
    with pair_served() as (app, url, number, _):
        with sessionmaker(connect(url)).begin() as session:
            for name, value in CHAIN.items():
                recipes.set_values(session, shows.shot_by_id(session, number), {name: value})
        client = app.test_client()
        base = f"/shots/{number}/frames/{FRAME}/pixels"
        for result, (knot, moved) in product(("picture", "anaglyph"), MOVED.items()):
            setting, begins, by = moved
            for level, size, wanted in ((1, "half", "400"), (2, "a quarter", "100")):
                taken = []
                for i in range(12):
                    began = time.perf_counter()
                    answer = client.get(f"{base}/{result}?level={level}&{setting}={begins + by * i}")
                    assert answer.status_code == 200, answer.text
                    taken.append((time.perf_counter() - began) * 1000)
                says = f"{result}, all stages on, {knot} moved, {size} of HD, ms"
                tell(says, statistics.median(taken[2:]), wanted)


if __name__ == "__main__":
    main()
