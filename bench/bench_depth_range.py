"""Depth range over HD frames against reading their depth channel."""

from __future__ import annotations

import shutil

import OpenImageIO as oiio
from floor import HEIGHT, WIDTH, hd_frames, paths_in, share_of, tell

from drawstring.core.depth import merged
from drawstring.core.io import read_facts
from drawstring.core.io.facts import Window
from drawstring.core.io.pixels import use_threads
from drawstring.core.passes import recognise
from drawstring.runs.measuring import measure_frame
from drawstring.runs.run_plan import SourceFile

WINDOW = Window(0, 0, WIDTH - 1, HEIGHT - 1)


def counted(path, passes):
    return measure_frame("depth", 1, (SourceFile(0, path, 0, 0),), passes, WINDOW)[1].first


def main() -> None:
    use_threads(1)
    folder = hd_frames(6)
    paths = paths_in(folder)
    passes = tuple(one for one in recognise(read_facts(paths[0])) if one.name in ("depth", "beauty"))
    bare_passes = tuple(one for one in passes if one.name == "depth")

    def floor() -> None:
        for path in paths:
            source = oiio.ImageInput.open(path)
            at = source.spec().channelnames.index("depth.Z")
            source.read_image(0, 0, at, at + 1, "float")
            source.close()

    for name, taken in (("depth alone", bare_passes), ("depth with alpha", passes)):
        share = share_of(floor, lambda taken=taken: merged(counted(path, taken) for path in paths))
        tell(f"depth range, HD, {name}: floor / ours", share, "0.95")
    shutil.rmtree(folder)


if __name__ == "__main__":
    main()
