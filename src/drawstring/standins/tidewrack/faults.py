"""A folder of arrivals with honest faults in it, as renderers, copies and people make them.

Small frames of the demo's scenes, written the way different studios would, each with something wrong: what
the Arrivals page is for. Every fault here is one that its finding names.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from drawstring.core.colour import through_view
from drawstring.core.io.facts import Window
from drawstring.core.io.writing import write_exr
from drawstring.standins.renderer import (
    LATLONG,
    Camera,
    RenderedFrame,
    View,
    name_header,
    name_planes,
    render,
    write_frame,
)
from drawstring.standins.renderer.scene import PackedScene, Scene
from drawstring.standins.tidewrack import scenes
from drawstring.standins.tidewrack.mural import TileFaults, render_mural

FOLDER = "tidewrack-arrivals"
FRAMES = 10
FIRST = 1001

Planes = dict[str, NDArray[Any]]

_AP1 = [0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767]


def make_faults(folder: str, *, width: int = 320, height: int = 180) -> bool:
    """Make the folder where it is not there yet; give whether it was made.

    It is made beside its place and moved there when it is whole.
    """
    if os.path.exists(folder):
        return False
    unfinished = f"{folder}.making"
    shutil.rmtree(unfinished, ignore_errors=True)
    yard, bench = _Set(scenes.fog_yard(), width, height), _Set(scenes.lamp_bench(), width, height)
    _a_file_to_each_pass(os.path.join(unfinished, "TW110", "v001"), yard)
    _eyes(os.path.join(unfinished, "TW120", "v002"), yard)
    _stills(os.path.join(unfinished, "TW130"), bench)
    _odd_frames(os.path.join(unfinished, "TW140", "v001"), bench)
    _strange_numbers(os.path.join(unfinished, "TW150"), bench)
    _twins_and_names(os.path.join(unfinished, "TW160", "v003"), bench)
    _half_size(os.path.join(unfinished, "TW080", "v002"), bench)
    bell = _Set(scenes.bell_yard(), width, height)
    _faulty_pair(os.path.join(unfinished, "TW040", "v002"), bell)
    _leaning(os.path.join(unfinished, "TW050", "v002"), bell)
    _tiles(os.path.join(unfinished, "TW170"), width, height)
    with open(os.path.join(unfinished, "render_notes.txt"), "w", encoding="utf-8") as file:
        file.write("Night of the 14th: farm blades 3 and 7 went down at two.\n")
    os.symlink("/etc/hostname", os.path.join(unfinished, "TW110", "v001", "TW110_beauty_v001.1011.exr"))
    os.rename(unfinished, folder)
    return True


class _Set:
    """A scene with its frames, rendered once and shared by all who write them down."""

    def __init__(self, scene: Scene, width: int, height: int) -> None:
        self.scene, self.width, self.height = scene, width, height
        self.packed: PackedScene = scene.packed()
        self._frames: dict[tuple[int, float], RenderedFrame] = {}

    def camera(self, i: int) -> Camera:
        t = i / FRAMES
        if any(lamp.name == "sun" for lamp in self.scene.lamps):
            return scenes.fog_yard_camera(t)
        return scenes.lamp_bench_camera(t)

    def frame(self, i: int, eye: float = 0.0) -> RenderedFrame:
        if (i, eye) not in self._frames:
            camera = replace(self.camera(i), interaxial_m=0.2, convergence_m=8.0) if eye else self.camera(i)
            view = View(self.width, self.height, samples=1, eye=eye)
            self._frames[i, eye] = render(self.packed, camera, view, seed=FIRST + i, nothing=1e10)
        return self._frames[i, eye]

    def planes(self, i: int, eye: float = 0.0) -> Planes:
        """Give every plane, beauty's as R, G, B and A."""
        frame = self.frame(i, eye)
        beauty = {letter: np.ascontiguousarray(frame.beauty[..., n]) for n, letter in enumerate("RGBA")}
        return {**beauty, **frame.planes}

    def layer(self, i: int, name: str, eye: float = 0.0) -> Planes:
        """Give one pass with plain channel names, as renderers that write a file to each pass do."""
        planes = self.planes(i, eye)
        if name == "beauty":
            return {letter: planes[letter] for letter in "RGBA"}
        found = {key.rpartition(".")[2]: plane for key, plane in planes.items() if key.startswith(f"{name}.")}
        if set(found) == set("XYZ"):
            return dict(zip("RGB", (found[axis] for axis in "XYZ"), strict=True))
        return found


def _write(
    path: str, planes: Mapping[str, NDArray[Any]], *, compression: str = "zip", **said: object
) -> None:
    os.makedirs(os.path.dirname(path), exist_ok=True)
    height, width = next(iter(planes.values())).shape
    window = Window(0, 0, width - 1, height - 1)
    write_exr(
        path, planes, compression=compression, data_window=window, display_window=window,
        metadata={"framesPerSecond": 24.0, "sceneUnit": "m", **said},
    )  # fmt: skip


def _a_file_to_each_pass(folder: str, made: _Set) -> None:
    """Missing, torn and empty frames, a black pass, a doubled one, NaN, a flicker, a forgotten padding."""

    def path(name: str, number: int) -> str:
        return os.path.join(folder, f"TW110_{name}_v001.{number:04d}.exr")

    wanted = {
        "beauty": "beauty", "zdepth": "depth", "normals": "normal", "diff_dir": "diffuse_direct",
        "diff_ind": "diffuse_indirect", "albedo": "diffuse_colour", "spec_dir": "diffuse_direct",
        "emit": "emission", "ao": "occlusion", "shadow": "shadow",
    }  # fmt: skip
    for i in range(FRAMES):
        number = FIRST + i
        for name, layer in wanted.items():
            planes = made.layer(i, layer)
            if name == "beauty" and number == 1004 or name == "zdepth" and number > 1008:
                continue  # one frame of the beauty never came, and depth stops early
            if name == "emit":
                planes = {key: np.zeros_like(plane) for key, plane in planes.items()}
            if name == "beauty" and number == 1007:
                planes["G"] = planes["G"].copy()
                planes["G"][40:42, 60:63] = np.nan
            if name == "diff_ind" and number == 1006:
                planes = {key: (plane * np.float16(0.2)) for key, plane in planes.items()}
            _write(path(name, number), planes)
    _cut(path("zdepth", 1006))
    open(path("normals", 1003), "wb").close()
    _write(os.path.join(folder, "TW110_shadow_v001.01002.exr"), made.layer(1, "shadow"))
    _write(os.path.join(folder, "TW110_mist_v001.exr"), made.layer(0, "occlusion"))
    small = {key: plane[::2, ::2].copy() for key, plane in made.layer(0, "position").items()}
    for number in range(FIRST, FIRST + FRAMES):
        _write(path("motion", number), small)


def _eyes(folder: str, made: _Set) -> None:
    """Two eyes, of which the right one lacks frames and says another rate."""
    for eye, side in ((-1.0, "L"), (1.0, "R")):
        for i in range(FRAMES):
            if side == "R" and i in (4, 5):
                continue
            for name in ("beauty", "depth"):
                path = os.path.join(folder, f"TW120_{side}_{name}_v002.{FIRST + i:04d}.exr")
                _write(path, made.layer(i, name, eye), framesPerSecond=25.0 if side == "R" else 24.0)


def _faulty_pair(folder: str, made: _Set) -> None:
    """Two eyes in one picture, the wrong way round; the right one low, dark and a frame late."""
    frames = {
        (i, eye): render(
            made.packed, scenes.bell_yard_camera(i / FRAMES),
            View(made.width, made.height, samples=2, eye=eye), seed=FIRST + i + int(eye),
        ).beauty
        for i in range(FRAMES) for eye in (-1.0, 1.0)
    }  # fmt: skip
    for i in range(FRAMES):
        late = frames[max(0, i - 1), 1.0]
        low = np.roll(late, 2, axis=0) * np.float32(0.9)
        both = np.concatenate([low, frames[i, -1.0]], axis=1)
        planes = {name: both[..., c].astype(np.float16) for c, name in enumerate("RGB")}
        _write(os.path.join(folder, f"TW040_sbs_v002.{FIRST + i:04d}.exr"), planes)


def _leaning(folder: str, made: _Set) -> None:
    """All directions from a camera that was not level."""
    camera = scenes.round_the_yard_camera(0)
    low = replace(camera, target=(camera.target[0], camera.position[1] - 0.9, camera.target[2]))
    view = View(2 * made.height, made.height, samples=2, projection=LATLONG)
    os.makedirs(folder, exist_ok=True)
    for i in range(3):
        write_frame(
            os.path.join(folder, f"TW050_main_v002.{FIRST + i:04d}.exr"),
            render(made.packed, low, view, seed=FIRST + i),
            objects=made.scene.objects, camera=low, view=view, fps=24.0,
        )  # fmt: skip


def _stills(folder: str, made: _Set) -> None:
    """Eight bits and JPEG, where light and distances were meant."""
    os.makedirs(folder, exist_ok=True)
    for i in range(4):
        planes = made.layer(i, "beauty")
        light = np.stack([planes[letter] for letter in "RGB"], axis=-1).astype(np.float32)
        shown = through_view(light, "plain")
        alpha = planes["A"].astype(np.float32)[..., None]
        depth = made.layer(i, "depth")["Z"].astype(np.float32)
        grey = np.clip((depth - 1) / 3, 0, 1).astype(np.float32)[..., None]
        _write_still(
            os.path.join(folder, f"TW130-beauty-{FIRST + i:04d}.png"), np.concatenate([shown, alpha], -1)
        )
        _write_still(os.path.join(folder, f"TW130-albedo-{FIRST + i:04d}.jpg"), shown)
        _write_still(os.path.join(folder, f"TW130-depth-{FIRST + i:04d}.png"), grey)


def _odd_frames(folder: str, made: _Set) -> None:
    """Frames that differ from the rest, a frozen one, a deep one, hashed names as half, another gamut."""
    for i in range(FRAMES):
        path = os.path.join(folder, f"TW140_main_v001.{FIRST + i:04d}.exr")
        planes = made.planes(3 if i == 4 else i)
        frame = made.frame(3 if i == 4 else i)
        hashed = name_planes(made.scene.objects, frame.ids, frame.coverage)
        with np.errstate(over="ignore"):
            planes |= {name: plane.astype(np.float16) for name, plane in hashed.items()}
        if i == 6:
            planes = {name: plane for name, plane in planes.items() if not name.startswith("depth")}
        said = {**name_header(made.scene.objects), "chromaticities": _AP1}
        _write(path, planes, compression="piz" if i == 2 else "zip", **said)
    _deep(os.path.join(folder, f"TW140_main_v001.{FIRST + FRAMES:04d}.exr"))


def _strange_numbers(folder: str, made: _Set) -> None:
    """Numbers below 0 and between frames, mixed padding."""
    planes = made.layer(0, "beauty")
    for number in ("-001", "-002"):
        _write(os.path.join(folder, f"TW150_lead.{number}.exr"), planes)
    for number in ("1001.00", "1001.50", "1002.00", "1002.50"):
        _write(os.path.join(folder, f"TW150_steps.{number}.exr"), planes)
    for i, number in enumerate(("98", "99", "100", "101")):
        _write(os.path.join(folder, f"TW150_beauty.{number}.exr"), made.layer(i, "beauty"))


def _twins_and_names(folder: str, made: _Set) -> None:
    """Set a noisy pass beside its denoised twin, names that say nothing and one that lies, negative light."""
    rng = np.random.default_rng(160)
    for i in range(FRAMES):
        planes: Planes = {}
        for letter, plane in made.layer(i, "beauty").items():
            planes[f"beauty_denoised.{letter}"] = plane
            grain = rng.gamma(3.0, 1 / 3.0, plane.shape) if letter != "A" else 1.0
            planes[f"beauty_noisy.{letter}"] = (plane * grain).astype(np.float16)
        planes["zz7"] = made.layer(i, "depth")["Z"]
        planes |= {f"rust_streaks.{k}": v for k, v in made.layer(i, "specular_indirect").items()}
        planes |= {f"normal.{k}": v for k, v in made.layer(i, "diffuse_colour").items()}
        _write(os.path.join(folder, f"TW160_main_v003.{FIRST + i:04d}.exr"), planes)


def _tiles(folder: str, width: int, height: int) -> None:
    """Render a still in tiles: one exposed by itself, one of another region, one that never came."""
    render_mural(
        folder, code="TW170", width=2 * width, height=2 * height, cols=3, rows=3, overlap=0.12, samples=1,
        scene=scenes.fog_yard, camera=scenes.fog_yard_camera,
        faults=TileFaults(
            stops=(((0, 1), 0.35),), shifted=(((1, 2), 9),), missing=frozenset({(2, 0)})
        ),
    )  # fmt: skip


def _half_size(folder: str, made: _Set) -> None:
    """Bring a newer version of a shot that is known, at the wrong size and without a pass."""
    for i in range(FRAMES):
        planes = {name: plane for name, plane in made.planes(i).items() if not name.startswith("occlusion")}
        _write(os.path.join(folder, f"TW080_main_v002.{FIRST + i:04d}.exr"), planes, compression="rle")


def _cut(path: str) -> None:
    """Cut a file short, as a copy over a dying network does."""
    with open(path, "r+b") as file:
        file.truncate(os.path.getsize(path) * 2 // 3)


def _write_still(path: str, values: NDArray[np.float32]) -> None:
    height, width, channels = values.shape
    output: Any = oiio.ImageOutput.create(path)
    output.open(path, oiio.ImageSpec(width, height, channels, "uint8"))
    output.write_image(np.ascontiguousarray(values, np.float32))
    output.close()


def _deep(path: str) -> None:
    spec = oiio.ImageSpec(8, 8, 2, "float")
    spec.channelnames, spec.deep = ("Z", "A"), True
    samples = oiio.DeepData()
    samples.init(spec)
    output: Any = oiio.ImageOutput.create(path)
    output.open(path, spec)
    output.write_deep_image(samples)
    output.close()
