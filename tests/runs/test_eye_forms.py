"""Pairs of real files from delivery to proven forms, read back by libraries that are not ours."""

import os

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import FRAMES, HEIGHT, WIDTH, carry_out_here, write_plain

from drawstring.core.arrivals import scan
from drawstring.core.colour import through_view
from drawstring.core.depth import DepthSettings
from drawstring.core.eyes.anaglyph import MATRICES, Method
from drawstring.core.eyes.forms import form_size
from drawstring.core.eyes.settings import Form
from drawstring.core.recipe import Recipe
from drawstring.runs.checking import check_package
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import notes_for, plan_run, source_files
from drawstring.store import deliveries, recipes, shows
from drawstring.store.standing import standing

FORMS = (
    "eyes apart; two views; side by side; side by side, half; above/below; above/below, half; "
    "rows interlaced; columns interlaced; anaglyph"
)


def planes_of(path: str) -> dict[str, np.ndarray]:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: np.array(channel.pixels) for name, channel in file.channels().items()}


def off_by(path: str) -> float:
    """Project a file's points through the camera that its header tells; how many pixels off, by median."""
    planes = planes_of(path)
    with OpenEXR.File(str(path), header_only=True) as file:
        said = dict(file.header())
    points = np.stack([planes[f"position.{axis}"].astype(np.float64) for axis in "XYZ"], axis=-1)
    height, width = points.shape[:2]
    solid = np.isfinite(points).all(axis=-1) & (np.abs(points).max(axis=-1) < 1e4) & points.any(axis=-1)
    x, y, z = (np.c_[points[solid], np.ones(solid.sum())] @ np.reshape(said["worldToCamera"], (4, 4)))[
        :, :3
    ].T
    rows, cols = np.nonzero(solid)
    if "envmap" in said:
        right = (np.arctan2(x, -z) / (2 * np.pi) + 0.5) * width - 0.5 - cols
        down = (0.5 - np.arctan2(y, np.hypot(x, z)) / np.pi) * height - 0.5 - rows
        right = (right + width / 2) % width - width / 2
    else:
        focal = width * said["pinholeFocalLength"] / said["sensorOverallDimensions"][0]
        middle = said.get("screenWindowCenter", (0, 0))[0]
        right = (x / -z - middle) * focal + width / 2 - 0.5 - cols
        down = y / z * focal + height / 2 - 0.5 - rows
    return float(np.median(np.hypot(right, down)))


@pytest.fixture
def accepted(session):
    """Accept a folder for a shot of the demo show."""

    def accept(folder, code: str, root, **settings: str):
        found = scan(str(folder), roots=[str(root)]).candidates[0]
        shot = shows.make_shot(session, shows.make_show(session, f"Tidewrack{code}"), code)
        deliveries.accept(session, shot, found)
        if settings:
            typed = {name.replace("__", "."): value for name, value in settings.items()}
            recipes.set_values(session, shot, typed)
        return shot

    return accept


def test_every_form_of_two_sequences_holds_their_pixels(session, sources, accepted, tmp_path):
    shot = accepted(sources / "tidewrack" / "TW040", "TW040", sources, eyes__deliver=FORMS)
    how = standing(session, shot)
    assert how.recipe.eyes.needed  # the files say left and right
    assert any("Eyes is open" in note for note in notes_for(session, how))
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    frame = run.frames[2]
    number = frame.number
    eyes = [
        planes_of(sources / "tidewrack" / "TW040" / "v001" / f"TW040_{eye}_v001.{number}.exr")
        for eye in ("left", "right")
    ]
    stem = os.path.join(run.folder, f"TW040_v001_{{}}.{number}.exr")
    names = [name for name in eyes[0] if not name.startswith("CryptoObject.")]

    def same(packed: dict[str, np.ndarray], name: str, meant: np.ndarray) -> None:
        plane = packed[name.replace("_colour.", "_albedo.")]
        assert plane.dtype == meant.dtype and plane.tobytes() == meant.tobytes(), name

    apart = [planes_of(stem.format(f"eye_{eye}")) for eye in ("left", "right")]
    beside, above, rows, columns = (
        planes_of(stem.format(slug))
        for slug in ("side_by_side", "above_below", "rows_interlaced", "columns_interlaced")
    )
    for eye in ("left", "right"):
        assert off_by(stem.format(f"eye_{eye}")) < 0.7, eye
    beauty = {"R", "G", "B", "A"}
    for name in names:
        left, right = (eye[name] for eye in eyes)
        same(apart[0], name, left)
        same(apart[1], name, right)
        same(beside, name, np.concatenate([left, right], axis=1))
        same(above, name, np.concatenate([left, right], axis=0))
        lines = left.copy()
        lines[1::2] = right[1::2]
        same(rows, name, lines)
        lines = left.copy()
        lines[:, 1::2] = right[:, 1::2]
        same(columns, name, lines)
    half = planes_of(stem.format("side_by_side_half"))
    mean = (eyes[0]["R"][:, ::2] + eyes[0]["R"][:, 1::2]) / 2
    assert np.allclose(half["R"][:, : WIDTH // 2], mean, rtol=1e-6)
    same(
        {"Z": np.ascontiguousarray(half["depth.Z"][:, WIDTH // 2 :])},
        "Z",
        np.ascontiguousarray(eyes[1]["depth.Z"][:, ::2]),
    )
    assert half["depth.Z"].shape == (HEIGHT, WIDTH)
    # One file of two views, as the format's rules have it, read by another library.
    both = oiio.ImageInput.open(stem.format("two_views"))
    spec = both.spec()
    assert list(spec.getattribute("multiView")) == ["left", "right"]
    assert beauty <= set(spec.channelnames) and {"right.R", "depth.Z", "depth.right.Z"} <= set(
        spec.channelnames
    )
    pixels = both.read_image(0, 0, 0, spec.nchannels, "float")
    both.close()
    assert np.array_equal(pixels[..., spec.channelnames.index("depth.right.Z")], eyes[1]["depth.Z"])
    # The anaglyph by plain arithmetic on what OpenColorIO shows of either eye.
    shown = [through_view(np.stack([eye[c] for c in "RGB"], -1).astype(np.float32), "plain") for eye in eyes]
    one, other = MATRICES[Method.RED_CYAN_FITTED]
    meant = np.clip(np.einsum("rc,hwc->hwr", one, shown[0]) + np.einsum("rc,hwc->hwr", other, shown[1]), 0, 1)
    written = cv2.imread(stem.format("anaglyph").replace(".exr", ".png"), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert written.dtype == np.uint16 and np.abs(written / 65535 - meant).max() < 1.1 / 65535
    # The package knows them all, and notices when one is changed.
    assert len(frame.proof["beside"]) == 10 and check_package(run.folder).is_proven
    with open(stem.format("side_by_side"), "r+b") as file:
        file.seek(4000)
        file.write(b"spoilt")
    assert list(check_package(run.folder).faults) == [f"TW040_v001_side_by_side.{number}.exr"]


def test_a_packed_delivery_is_taken_apart_and_mended(session, sources, accepted, tmp_path):
    folder = tmp_path / "in" / "TW041" / "v001"
    folder.mkdir(parents=True)
    for number in range(1001, 1001 + FRAMES):
        # Bad on purpose: the wrong way round, one eye low and dark.
        left, right = (
            planes_of(sources / "tidewrack" / "TW040" / "v001" / f"TW040_{eye}_v001.{number}.exr")
            for eye in ("left", "right")
        )
        packed = {
            name: np.concatenate([np.roll(right[name], 2, axis=0) * np.float32(0.8), left[name]], axis=1)
            for name in "RGB"
        }
        packed["depth.Z"] = np.concatenate([np.roll(right["depth.Z"], 2, axis=0), left["depth.Z"]], axis=1)
        write_plain(folder / f"TW041_v001.{number}.exr", packed)
    shot = accepted(
        tmp_path / "in", "TW041", tmp_path / "in", eyes__needed="yes", eyes__came="packed", eyes__swap="yes",
        eyes__mend_down="2", eyes__mend_gain="0.8 0.8 0.8", eyes__deliver="eyes apart",
    )  # fmt: skip
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    got = planes_of(os.path.join(run.folder, "TW041_v001_eye_right.1003.exr"))
    meant = planes_of(sources / "tidewrack" / "TW040" / "v001" / "TW040_right_v001.1003.exr")
    inside = slice(4, -4)
    assert np.allclose(got["G"][inside], meant["G"][inside], rtol=1e-3, atol=1e-4)
    assert np.array_equal(got["depth.Z"][inside], meant["depth.Z"][inside])


def test_the_other_eye_is_made_with_all_its_passes(session, sources, accepted, tmp_path):
    shot = accepted(
        sources / "tidewrack" / "TW010", "TW010", sources, eyes__needed="yes", eyes__came="one eye",
        eyes__interaxial="0.2 m", eyes__convergence="8 m", eyes__deliver="eyes apart",
    )  # fmt: skip
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    number = run.frames[1].number
    left, right = (
        planes_of(os.path.join(run.folder, f"TW010_v001_eye_{eye}.{number}.exr")) for eye in ("left", "right")
    )
    source = planes_of(sources / "tidewrack" / "TW010" / "v001" / f"TW010_main_v001.{number}.exr")
    for eye in ("left", "right"):
        assert off_by(os.path.join(run.folder, f"TW010_v001_eye_{eye}.{number}.exr")) < 1, eye
    assert left["R"].tobytes() == source["R"].tobytes() and "filled.V" not in left
    assert 0 < right["filled.V"].astype(float).mean() < 0.3
    # Names are true names, distances true distances; coverage of names still adds up to what it was.
    for name in ("CryptoObject00.R", "depth.Z"):
        assert set(np.unique(right[name].view(np.uint32))) <= set(np.unique(source[name].view(np.uint32)))
    near = source["depth.Z"] < 7
    assert near.any() and (right["depth.Z"] < 7).mean() == pytest.approx(near.mean(), rel=0.1)


def test_a_turned_all_round_pair_keeps_depth_true(session, sources, accepted, tmp_path):
    shot = accepted(
        sources / "tidewrack" / "TW050",
        "TW050",
        sources,
        eyes__yaw="90",
        eyes__deliver="above/below; flat view; eyes apart",
        arrivals__first="1002",
        arrivals__last="1002",
    )
    eyes = standing(session, shot).recipe.eyes
    assert eyes.is_round and eyes.came.value == "two_views"
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    for eye in ("left", "right"):
        # Pixels are half as wide as in the other shots.
        assert off_by(os.path.join(run.folder, f"TW050_v001_eye_{eye}.1002.exr")) < 2
    with OpenEXR.File(os.path.join(run.folder, "TW050_v001_flat_right.1002.exr")) as file:
        said = dict(file.header())
    assert "envmap" not in said
    assert 2 * np.degrees(
        np.arctan(said["sensorOverallDimensions"][0] / 2 / said["pinholeFocalLength"])
    ) == pytest.approx(80, abs=1e-3)
    with OpenEXR.File(os.path.join(run.folder, "TW050_v001_above_below.1002.exr")) as file:
        assert "envmap" not in file.header(), "both eyes in one picture are no map of all directions"
    got = planes_of(os.path.join(run.folder, "TW050_v001_above_below.1002.exr"))
    left, right = (
        planes_of(sources / "tidewrack" / "TW050" / "v001" / f"TW050_{eye}_v001.1002.exr")
        for eye in ("left", "right")
    )
    high, wide = left["R"].shape
    assert wide == 2 * WIDTH and got["R"].shape == (2 * high, wide)
    # A quarter round is a move by whole columns.
    assert np.array_equal(got["depth.Z"][:high], np.roll(left["depth.Z"], -wide // 4, axis=1))
    assert np.allclose(got["G"][high:], np.roll(right["G"], -wide // 4, axis=1), atol=1e-4)
    flat = planes_of(os.path.join(run.folder, "TW050_v001_flat_left.1002.exr"))
    # As many pixels to a degree in its middle as the picture has: 80 degrees of it.
    assert flat["R"].shape[1] == pytest.approx(wide / np.pi * np.tan(np.radians(40)), abs=2)
    # The shot's own file has the geometry that everything goes out with, and its cameras say so.
    own = os.path.join(run.folder, f"TW050_v001.{1002}.exr")
    with (
        OpenEXR.File(own) as file,
        OpenEXR.File(str(sources / "tidewrack" / "TW050" / "v001" / "TW050_left_v001.1002.exr")) as came,
    ):
        assert "LATLONG" in str(file.header()["envmap"])
        looked, looks = (
            np.linalg.inv(np.reshape(one.header()["worldToCamera"], (4, 4))[:3, :3]) for one in (came, file)
        )
    np.testing.assert_array_equal(planes_of(own)["depth.Z"], np.roll(left["depth.Z"], -wide // 4, axis=1))
    np.testing.assert_allclose(-looks[2], looked[0], atol=1e-5, err_msg="ahead is what was at the right")


def test_parallax_of_two_sequences_follows_their_cameras(session, sources, accepted):
    shot = accepted(sources / "tidewrack" / "TW040", "TW040", sources)
    passes = deliveries.passes_of(shot.delivery)
    number = 1003
    files = deliveries.frames_of(session, shot.delivery)[number]
    window = deliveries.window_of(shot.delivery)
    frame = number, source_files(files), tuple(passes), window
    _, told = measure_frame("facts", *frame, is_looked_at=True)
    said = next(one.told["eyes"] for one in told.values() if "eyes" in one.told)
    assert said["rig"][0] == pytest.approx(0.065, abs=1e-5) and said["meets"] == pytest.approx(4.2, rel=1e-4)
    z = planes_of(sources / "tidewrack" / "TW040" / "v001" / f"TW040_left_v001.{number}.exr")["depth.Z"]
    closed = 0.065 * WIDTH * 32 / 36 * (1 / 4.2 - 1 / z)
    low, _, high = np.percentile(closed, [0.5, 50, 99.5])
    # What follows from distances follows from them as they are settled: in centimetres they are nearer.
    for settings, scale in ((DepthSettings(), 1.0), (DepthSettings().changed({"arrived.unit": "cm"}), 0.01)):
        recipe = Recipe().with_knot(settings)
        ends = measure_frame("eyes", *frame, recipe)[1]
        moved = [0.065 * WIDTH * 32 / 36 * (1 / 4.2 - 1 / (each * scale)) for each in (z.min(), 1e9)]
        assert moved[0] - 0.1 < ends["range"][0] < ends["range"][2] < moved[1] + 0.1
        if scale == 1:
            assert ends["range"][::2] == pytest.approx([low, high], abs=0.05)


def test_half_sizes_keep_their_own_pixels_and_parallax_goes_out(session, sources, accepted, tmp_path):
    """A pair squeezed by another library, out again in the form it came in and as its own pixels."""
    folder = tmp_path / "in" / "TW071" / "v001"
    folder.mkdir(parents=True)
    halves = {}
    for number in (1001, 1002):
        eyes = [
            planes_of(sources / "tidewrack" / "TW040" / "v001" / f"TW040_{eye}_v001.{number}.exr")
            for eye in ("left", "right")
        ]
        packed = {
            name: np.concatenate([eye[name][:, ::2] for eye in eyes], axis=1)
            for name in ("R", "G", "B", "A", "depth.Z")
        }
        halves[number] = packed
        with OpenEXR.File({}, dict(packed)) as file:
            file.write(str(folder / f"TW071_main_v001.{number}.exr"))
    shot = accepted(
        folder.parent, "TW071", tmp_path / "in", eyes__needed="yes", eyes__came="packed", depth__needed="no",
        eyes__packing="side by side, half", eyes__own_pixels="yes", eyes__first_out="right",
        eyes__deliver="eyes apart; side by side; side by side, half; parallax",
    )  # fmt: skip
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    for number, packed in halves.items():
        stem = os.path.join(run.folder, f"TW071_v001_{{}}.{number}.exr")
        wide = packed["R"].shape[1] // 2
        recipe = standing(session, shot).recipe
        for form, slug in ((Form.APART, "eye_left"), (Form.SIDE_BY_SIDE, "side_by_side")):
            told = form_size(form, recipe, 2 * wide, packed["R"].shape[0])
            assert planes_of(stem.format(slug))["R"].shape[::-1] == told
        out = {
            slug: planes_of(stem.format(slug))
            for slug in ("side_by_side", "side_by_side_half", "eye_left", "eye_right", "parallax")
        }
        for name, plane in packed.items():
            left, right = plane[:, :wide], plane[:, wide:]
            swapped = np.concatenate([right, left], axis=1)
            for slug, meant in (
                ("eye_left", left), ("eye_right", right),
                ("side_by_side", swapped), ("side_by_side_half", swapped),
            ):  # fmt: skip
                assert out[slug][name].tobytes() == meant.tobytes(), (slug, name)
        assert oiio.ImageInput.open(stem.format("eye_left")).spec()["PixelAspectRatio"] == 2
        assert oiio.ImageInput.open(stem.format("side_by_side_half")).spec()["PixelAspectRatio"] == 1
        # Depth without a camera leads the parallax: an enlarged eye's pixels, as the lens and cameras part
        # them.
        z = np.repeat(packed["depth.Z"][:, :wide], 2, axis=1)
        closed = 0.065 * WIDTH * 32 / 36 * (1 / 4.2 - 1 / z)
        apart = np.abs(out["parallax"]["parallax.V"] - closed)
        assert out["parallax"]["parallax_known.V"].mean() > 0.97 and (apart <= 1).mean() > 0.9


def test_each_part_says_its_own_camera_and_view(session, sources, accepted, tmp_path):
    shot = accepted(
        sources / "tidewrack" / "TW040", "TW040", sources, pack__parts="a part for each view", eyes__shift="8"
    )
    recipes.settle(session, shot, "eyes")
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    assert run.state == "done", [frame.fault for frame in run.frames]
    folder = sources / "tidewrack" / "TW040" / "v001"
    with OpenEXR.File(os.path.join(run.folder, "TW040_v001.1002.exr")) as file:
        parts = {str(part.header["view"]): dict(part.header) for part in file.parts}
    assert len(parts) == 2
    for sign, (view, said) in zip((1, -1), sorted(parts.items()), strict=True):
        with OpenEXR.File(str(folder / f"TW040_{view}_v001.1002.exr")) as came:
            own = dict(came.header())
        np.testing.assert_allclose(said["worldToCamera"], own["worldToCamera"], atol=1e-6)
        # Moving the picture by four pixels moves where the middle of the film looks, of each eye its own way.
        film = own["sensorOverallDimensions"][0] / own["pinholeFocalLength"]
        moved = own["screenWindowCenter"][0] + sign * 4 / WIDTH * film
        assert said["screenWindowCenter"][0] == pytest.approx(moved, abs=1e-6), view
