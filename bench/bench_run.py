"""A frame of a run against bare read, write and the second reader's read-back; one process, one thread."""

from __future__ import annotations

import shutil
import tempfile

import OpenEXR
import OpenImageIO as oiio
from floor import hd_frames, paths_in, share_of, tell

from drawstring.core.depth import DepthSettings
from drawstring.core.io import read_facts
from drawstring.core.io.packed import digests_of
from drawstring.core.io.pixels import use_threads
from drawstring.core.pack import PackSettings
from drawstring.core.pack.form import Parts
from drawstring.core.passes import recognise
from drawstring.core.recipe import Recipe
from drawstring.runs.frame import carry_out
from drawstring.runs.run_plan import FrameTask, RunPlan, SourceFile


def main() -> None:
    use_threads(1)
    folder = hd_frames(2)
    path = paths_in(folder)[0]
    facts = read_facts(path)
    passes = tuple(recognise(facts))
    # As when the frame was counted on arrival.
    packed = digests_of(path)
    one, several, came = Parts.ONE, Parts.PASSES, Parts.CAME
    asked = {"zip": 1.25, "piz": 1.1, "dwaa": 1.0, "none": 1.3}
    for compression, parts in (
        ("zip", came), ("zip", one), ("zip", several), ("piz", one), ("dwaa", one), ("none", one)
    ):  # fmt: skip
        out = tempfile.mkdtemp(dir=folder)
        recipe = Recipe(
            depth=DepthSettings(near=4, far=90, settled_on="x"),
            pack=PackSettings(compression=compression, parts=parts),
        )
        plan = RunPlan(1, "A", "B", 1, out, "m", recipe, "d", passes, facts.window)
        count = iter(range(99))

        def ours(plan=plan, count=count) -> None:
            source = SourceFile(0, path, facts.size_bytes, facts.mtime_ns, packed)
            task = FrameTask(1, (source,), f"A_v001.{next(count):04d}.exr")
            answer = carry_out(plan, task)
            assert answer.checksum, answer.fault

        def bare(out=out, compression=compression) -> None:
            with OpenEXR.File(path, separate_channels=True) as file:
                channels = {name: channel.pixels for name, channel in file.channels().items()}
            # The run writes one channel more, the normalised depth: so does the floor.
            channels["depth_normalised.V"] = channels["depth.Z"]
            header = {
                "compression": getattr(
                    OpenEXR, f"{'NO' if compression == 'none' else compression.upper()}_COMPRESSION"
                ),
                "type": OpenEXR.scanlineimage,
            }
            with OpenEXR.File(header, channels) as file:
                file.write(f"{out}/bare.exr")
            source = oiio.ImageInput.open(f"{out}/bare.exr")
            source.read_image(0, 0, 0, source.spec().nchannels, "float")
            source.close()

        tell(
            f"run, HD, 33 channels, {compression}, {parts.says}: floor / ours",
            share_of(bare, ours),
            f"{5 if parts is came else asked[compression]:g}",
        )
    shutil.rmtree(folder)


if __name__ == "__main__":
    main()
