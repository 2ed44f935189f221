"""Tiles laid out as an order asked for them: for files that say nothing of their place but row and column."""

from __future__ import annotations

from dataclasses import replace

from drawstring.core.io.facts import Window, union
from drawstring.core.orders.document import Render
from drawstring.core.tiles.tile_set import TileSet


def as_ordered(tiles: TileSet, render: Render) -> TileSet | None:
    """Lay tiles where an order's render has them.

    Parameters
    ----------
    tiles : TileSet
        As names and seams lay it out.
    render : Render

    Returns
    -------
    TileSet or None
        None where the order asks for other tiles, or they lie there already.
    """
    asked = {(tile.row, tile.col): Window(*tile.window) for tile in render.tiles}
    if not asked or {(tile.row, tile.col) for tile in tiles.tiles} - set(asked):
        return None
    rows, cols = 1 + max(row for row, _ in asked), 1 + max(col for _, col in asked)
    if (tiles.rows, tiles.cols) != (rows, cols):
        return None
    moved = []
    for tile in tiles.tiles:
        window = asked[tile.row, tile.col]
        if (window.width, window.height) != (tile.window.width, tile.window.height):
            return None
        moved.append(replace(tile, window=window))
    if tuple(moved) == tiles.tiles:
        return None
    across = asked[0, 0].x_max - asked[0, 1].x_min + 1 if cols > 1 else 0
    down = asked[0, 0].y_max - asked[1, 0].y_min + 1 if rows > 1 else 0
    return replace(
        tiles, tiles=tuple(moved), display=Window(0, 0, render.size[0] - 1, render.size[1] - 1),
        data=union(tile.window for tile in moved), overlap=(across, down),
    )  # fmt: skip
