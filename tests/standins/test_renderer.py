"""The stand-in renderer: parts that add up, planes that agree with the camera, parameters that hold."""

import json

import numpy as np
import OpenEXR
import pytest

from drawstring.core.io import Window
from drawstring.standins.renderer import Camera, Lamp, Material, Scene, Sky, View, render, write_frame
from drawstring.standins.renderer.camera import LATLONG
from drawstring.standins.renderer.frame import ranked
from drawstring.standins.renderer.names import name_bits
from drawstring.standins.renderer.scene import SUN
from drawstring.standins.tidewrack import SHOTS


@pytest.fixture(scope="module", params=SHOTS, ids=lambda shot: shot.code)
def frame(request, tmp_path_factory):
    """One frame of each demo shot, written and read back by the library alone."""
    shot = request.param
    scene, camera, view = shot.scene(), shot.camera(0.3), View(128, 72)
    rendered = render(scene.packed(), camera, view, seed=5, nothing=shot.nothing)
    path = str(tmp_path_factory.mktemp("frame") / "a.exr")
    write_frame(path, rendered, objects=scene.objects, camera=camera, view=view, fps=24)
    file = OpenEXR.File(path, separate_channels=True)
    return shot, camera, scene, file.header(), {n: c.pixels for n, c in file.channels().items()}


def test_the_parts_add_up_to_a_beauty_that_was_added_up_apart_from_them(frame):
    *_, planes = frame
    for letter in "RGB":
        part = {n: planes[f"{n}.{letter}"].astype(np.float32) for n in (
            "diffuse_direct", "diffuse_indirect", "diffuse_colour", "specular_direct", "specular_indirect",
            "specular_colour", "emission", "environment")}  # fmt: skip
        total = (part["diffuse_direct"] + part["diffuse_indirect"]) * part["diffuse_colour"]
        total = total + (part["specular_direct"] + part["specular_indirect"]) * part["specular_colour"]
        total = total + part["emission"] + part["environment"]
        # Three half-float roundings of what is multiplied or added, and no more.
        np.testing.assert_allclose(total, planes[letter], rtol=3 * 2.0**-11, atol=2e-4)


def test_depth_position_and_camera_agree(frame):
    shot, camera, _, header, planes = frame
    z = planes["depth.Z"]
    seen = np.isfinite(z) & (z < 1e9)
    assert seen.mean() > 0.1 and (z[~seen] == np.float32(shot.nothing)).all()
    points = np.stack([planes[f"position.{a}"][seen] for a in "XYZ"], axis=-1).astype(np.float64)
    homogeneous = np.concatenate([points, np.ones((len(points), 1))], axis=-1)
    in_camera = homogeneous @ np.asarray(header["worldToCamera"], np.float64)
    np.testing.assert_allclose(-in_camera[:, 2], z[seen], rtol=2e-5, atol=2e-4)
    # The pin-hole sends each point back into the pixel it was seen in.
    half = camera.filmback_mm / 2 / camera.focal_mm
    columns = (in_camera[:, 0] / -in_camera[:, 2] / half + 1) * 64
    assert np.abs(columns - (np.nonzero(seen)[1] + 0.5)).max() <= 0.51
    normals = np.stack([planes[f"normal.{a}"][seen] for a in "XYZ"], axis=-1).astype(np.float64)
    np.testing.assert_allclose(np.linalg.norm(normals, axis=-1), 1, atol=2e-3)


def test_object_names_cover_what_alpha_covers(frame):
    shot, _, scene, header, planes = frame
    names = {bits: name for name, bits in ((n, name_bits(n)) for n in scene.objects)}
    ids = [planes[f"CryptoObject{r:02d}.{c}"].view(np.uint32) for r in (0, 1) for c in "RB"]
    coverage = [planes[f"CryptoObject{r:02d}.{c}"] for r in (0, 1) for c in "GA"]
    assert {int(i) for plane in ids for i in np.unique(plane)} <= {0, *names}
    total = np.sum(coverage, axis=0)
    if shot.code == "TW080":
        np.testing.assert_allclose(total, planes["A"], atol=1e-6)
        assert ((planes["A"] > 0) & (planes["A"] < 1)).any(), "edges are part-covered"
    manifest = json.loads(next(v for k, v in header.items() if k.endswith("/manifest")))
    assert manifest == {name: f"{name_bits(name):08x}" for name in scene.objects}


def test_ranks_count_samples():
    samples = np.array([[[3, 3, 1, -1], [2, 2, 2, 2]]], np.int16)
    ids, coverage = ranked(samples)
    assert ids[0].tolist() == [[3, 1, -1, -1], [2, -1, -1, -1]]
    assert coverage[0].tolist() == [[0.5, 0.25, 0, 0], [1, 0, 0, 0]]


@pytest.fixture(scope="module")
def ball():
    """A white ball of 1 m at the origin under a sun from the camera's side."""
    scene = Scene(Sky((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), is_visible=False))
    scene.lamps.append(Lamp("sun", SUN, (1.0, 1.0, 1.0), 1.0, direction=(0.0, 0.0, -1.0)))
    scene.sphere(scene.object("ball"), scene.paint(Material((0.5, 0.5, 0.5), specular=0.0)), (0, 0, 0), 1.0)
    return scene.packed()


FRONT = Camera(position=(0, 0, 5), target=(0, 0, 0), focal_mm=36)


def test_a_ball_is_where_and_as_bright_as_geometry_says(ball):
    made = render(ball, FRONT, View(101, 101), seed=1)
    assert made.planes["depth.Z"][50, 50] == pytest.approx(4, abs=1e-3)
    np.testing.assert_allclose(made.beauty[50, 50, :3], 0.5, atol=2e-3)  # Lambert, face on
    silhouette = made.beauty[..., 3].sum() / 101**2
    # A ball of radius r at distance d fills a circle of tan(asin(r / d)) on the film.
    assert silhouette == pytest.approx(np.pi * (1 / np.sqrt(24)) ** 2, rel=0.02)


def test_tiles_overscan_seeds_and_lamps_are_parameters(ball):
    whole = render(ball, FRONT, View(64, 64), seed=9)
    tile = render(ball, FRONT, View(64, 64, window=Window(16, 24, 47, 39)), seed=9)
    np.testing.assert_array_equal(tile.beauty, whole.beauty[24:40, 16:48])
    over = render(ball, FRONT, View(64, 64, window=Window(-8, -8, 71, 71)), seed=9)
    np.testing.assert_array_equal(over.beauty[8:-8, 8:-8], whole.beauty)
    np.testing.assert_array_equal(render(ball, FRONT, View(64, 64), seed=9).beauty, whole.beauty)
    assert (render(ball, FRONT, View(64, 64, lamps=()), seed=9).beauty[..., :3] == 0).all()
    assert (render(ball, FRONT, View(64, 64), seed=10).beauty != whole.beauty).any()


def test_eyes_all_round_views_and_open_lenses_are_parameters(ball):
    stereo = Camera((0, 0, 5), (0, 0, 0), focal_mm=36, interaxial_m=0.4, convergence_m=5)
    left, right = (render(ball, stereo, View(100, 100, eye=e)).beauty[..., 3].sum(axis=0) for e in (-1, 1))
    middle = [np.average(np.arange(100) + 0.5, weights=eye) for eye in (left, right)]
    # Converged on the ball's middle: d = b f_px (1/c - 1/z) = 0 there.
    assert middle[0] == pytest.approx(50, abs=0.3) and middle[1] == pytest.approx(50, abs=0.3)
    around = render(ball, FRONT, View(180, 90, projection=LATLONG))
    assert around.planes["depth.Z"][45, 90] == pytest.approx(4, abs=0.01)
    assert around.beauty[..., 3].sum() / (180 / 360) ** 2 == pytest.approx(
        np.pi * np.degrees(np.arcsin(1 / 5)) ** 2, rel=0.03
    )
    lens = Camera((0, 0, 5), (0, 0, 0), focal_mm=36, stop=0.1, focus_m=50)
    sharp, soft = render(ball, FRONT, View(64, 64)), render(ball, lens, View(64, 64, samples=8))
    part = [((one.beauty[..., 3] > 0.02) & (one.beauty[..., 3] < 0.98)).sum() for one in (sharp, soft)]
    assert part[1] > 3 * part[0], "an open lens focused elsewhere spreads the edge"
