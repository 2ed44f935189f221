"""An order held against 1,000 frames, and a show list of 500 shots: budgets of a second, and of a page."""

from __future__ import annotations

import time

from drawstring.core.io.facts import Window
from drawstring.core.orders.came import CameView, held_against
from drawstring.core.orders.document import Order, Render, ShotOrder, read_order, written
from drawstring.core.owed.reading import read_table

FRAMES, SHOTS, RENDERS = 1000, 500, 4


def main() -> None:
    """Print what each takes."""
    names = ("main", "left", "right", "cam4")
    window = Window(0, 0, 1919, 1079)
    renders = tuple(
        Render(
            name=name, view="" if name == "main" else name, size=(1920, 1080), window=tuple(window),
            frames=((1001, 1000 + FRAMES),), passes=("beauty", "depth", "normal"), focal_mm=35,
            filmback_mm=36,
        )
        for name in names[:RENDERS]
    )  # fmt: skip
    shot = ShotOrder(shot="TW010", fps=24, renders=renders)
    order = Order(show="Tidewrack", shots=(shot,))
    frames = frozenset(range(1001, 1001 + FRAMES)) - {1004, 1500}
    came = [
        CameView(one.view, frames, {}, window, window, frozenset(one.passes), {"rate": 24.0})
        for one in renders
    ]
    began = time.perf_counter()
    findings = held_against(order, shot, came, "TW010")
    took = time.perf_counter() - began
    print(f"order against {RENDERS} views of {FRAMES} frames: {1000 * took:.1f} ms, {len(findings)} findings")
    many = order.model_copy(
        update={"shots": tuple(shot.model_copy(update={"shot": f"TW{i:04d}"}) for i in range(SHOTS))}
    )
    began = time.perf_counter()
    again = read_order(written(many))
    took = time.perf_counter() - began
    print(f"order of {len(again.shots)} shots written and read: {1000 * took:.0f} ms")
    table = "\n".join(f"TW{i:04d},,,Shot {i},1001-1096,1920x1080,depth normal" for i in range(SHOTS))
    began = time.perf_counter()
    read_table(table)
    print(f"show list of {SHOTS} shots read: {1000 * (time.perf_counter() - began):.0f} ms")


if __name__ == "__main__":
    main()
