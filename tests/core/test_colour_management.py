"""Curves, tables and configurations, held against OpenColorIO itself, primaries and closed forms."""

import os

import numpy as np
import PyOpenColorIO as ocio
import pytest
from makers import pulled
from scipy.interpolate import PchipInterpolator
from test_chain import ONE, a_scene, at, picture_in, settings

from drawstring.core.arrivals.colour_checks import check_colour
from drawstring.core.chain import PICTURE
from drawstring.core.colour.curve import curved, read_curve
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.colour.kept_files import keep_file
from drawstring.core.colour.management import Management, check_config
from drawstring.core.colour.reading import to_working
from drawstring.core.colour.view import bake, through_cube, through_view
from drawstring.core.errors import SettingError
from drawstring.core.recipe import change
from drawstring.core.recipe.recipe import upgraded

LIGHT = np.float32([[0.02, 0.18, 0.5], [1.2, 0.7, 0.05], [4.0, 2.0, 9.0], [0.0, 0.0, 0.0]])
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def own_config(tmp_path, name: str = "yard.ocio", spoil=None) -> str:
    """A small configuration as another program would write it; `spoil` changes it first."""
    config = ocio.Config()
    config.setVersion(2, 1)
    for space, matrix in (("ACES2065-1", None), ("yard linear", 2.0), ("yard log", 0.5)):
        made = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, space, encoding="scene-linear")
        if matrix:
            scale = ocio.MatrixTransform(np.diag([matrix] * 3 + [1]).ravel().tolist())
            made.setTransform(scale, ocio.COLORSPACE_DIR_TO_REFERENCE)
        config.addColorSpace(made)
    shown = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "screen", encoding="sdr-video")
    shown.setTransform(ocio.ExponentTransform([1 / 2.2] * 3 + [1.0]), ocio.COLORSPACE_DIR_FROM_REFERENCE)
    config.addColorSpace(shown)
    config.setRole("aces_interchange", "ACES2065-1")
    config.setRole("scene_linear", "yard linear")
    config.setRole("default", "ACES2065-1")
    config.addDisplayView("hut monitor", "straight", "screen")
    config.addDisplayView("hut monitor", "through log", "yard log")
    rules = ocio.FileRules()
    rules.insertRule(0, "plates", "yard log", "*plate*", "*")
    config.setFileRules(rules)
    if spoil:
        spoil(config)
    path = tmp_path / name
    if name.endswith(".ocioz"):
        config.archive(str(path))
    else:
        path.write_text(config.serialize())
    return keep_file(str(tmp_path / "kept"), name, path.read_bytes())


def cube(tmp_path, gain: float, name: str = "gain.cube") -> str:
    """A table that multiplies by a gain, as text by hand."""
    side = 5
    lines = [f"LUT_3D_SIZE {side}"]
    for blue in range(side):
        for green in range(side):
            for red in range(side):
                lines.append(" ".join(f"{gain * v / (side - 1):.7f}" for v in (red, green, blue)))
    return keep_file(str(tmp_path / "kept"), name, "\n".join(lines).encode())


def test_a_curve_goes_through_its_points_in_stops_and_beyond_them_by_their_gain():
    curve = read_curve("0.02,0.01 0.18,0.18 1,2", "grade.curve")
    x = np.geomspace(0.001, 64, 200).astype(np.float32)
    inside = (x >= 0.02) & (x <= 1)
    own = 2 ** PchipInterpolator(np.log2([0.02, 0.18, 1]), np.log2([0.01, 0.18, 2]))(np.log2(x[inside]))
    np.testing.assert_allclose(curved(x, curve)[inside], own, rtol=2e-5)
    np.testing.assert_allclose(curved(x, curve)[x < 0.02], x[x < 0.02] * 0.5, rtol=1e-5)
    np.testing.assert_allclose(curved(x, curve)[x > 1], x[x > 1] * 2, rtol=1e-5)
    assert curved(np.float32([-0.2, 0]), curve).tolist() == [pytest.approx(-0.1), 0]
    one = GradeSettings(curve=(0.18, 0.36), curve_blue=(0.1, 0.05))
    half = np.concatenate([LIGHT, np.full((4, 1), 0.5, np.float32)], axis=-1)[None]
    np.testing.assert_allclose(graded(half, one)[0, :, :3], LIGHT * [2, 2, 1], rtol=1e-5)
    for text in ("0.2", "0.5,1 0.2,2", "0.1,2 0.2,1", "0,1", "a,b", "1,nan"):
        with pytest.raises(SettingError, match="no curve"):
            read_curve(text, "grade.curve")


def test_a_table_is_laid_in_its_own_coding_and_only_while_it_is_what_was_kept(tmp_path):
    path = cube(tmp_path, 0.5)
    light = np.concatenate([np.clip(LIGHT, 0, 1), np.ones((4, 1), np.float32)], axis=-1)[None]
    made = graded(light, GradeSettings(table=path, table_in="linear"))
    np.testing.assert_allclose(made[0, :, :3], light[0, :, :3] * 0.5, atol=1e-6)
    # In display coding: IEC 61966-2-1 there, halved, and back.
    made = graded(light, GradeSettings(table=path, table_in="sRGB display"))[0, :, :3]
    shown = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)[0, :, :3] / 2
    np.testing.assert_allclose(
        made, np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4), atol=2e-4
    )
    typed = GradeSettings().replaced({"table": path}, where="grade", scene_unit="m")
    assert typed.table == path and typed.changes
    with open(path, "a") as file:
        file.write("\n# changed later")
    os.utime(path, (1, 1))
    for act in (
        lambda: graded(light, typed),
        lambda: GradeSettings().replaced({"table": path}, where="grade", scene_unit="m"),
        lambda: GradeSettings().replaced({"table": "/etc/hostname"}, where="grade", scene_unit="m"),
    ):
        with pytest.raises(SettingError, match="not kept here as it was brought in"):
            act()
    broken = keep_file(str(tmp_path / "kept"), "broken.cube", b"LUT_3D_SIZE 5\n0 0 0\n")
    with pytest.raises(SettingError, match=r"broken\.cube can't be read as a table"):
        graded(light, GradeSettings(table=broken))
    for name in ("table.exe", ".cube", "../../up.txt"):
        with pytest.raises(SettingError, match="no file that can be kept"):
            keep_file(str(tmp_path), name, b"")


def matrix_by_hand(primaries: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """From one set of primaries to another by SMPTE RP 177 and the Bradford adaptation."""

    def to_xyz(xy: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        xyz = np.column_stack([xy / xy[:, 1:], (1 - xy.sum(axis=1)) / xy[:, 1]])
        corners, white = np.column_stack([xy[:3], 1 - xy[:3].sum(axis=1)]).T, np.insert(xyz[3, [0, 2]], 1, 1)
        return corners * np.linalg.solve(corners, white), white

    (one, white), (other, other_white) = to_xyz(primaries), to_xyz(wanted)
    cone = np.diag((BRADFORD @ other_white) / (BRADFORD @ white))
    return np.linalg.inv(other) @ np.linalg.inv(BRADFORD) @ cone @ BRADFORD @ one


@pytest.mark.parametrize("working", ["ACEScg", "linear P3", "linear Rec.2020"])
def test_the_working_space_is_what_was_chosen_and_pictures_look_the_same_in_it(working):
    here, plain = Management(working=working), Management()
    turned = to_working(LIGHT, "linear", here)
    own = np.reshape(here.primaries, (4, 2))
    np.testing.assert_allclose(
        turned, LIGHT @ matrix_by_hand(np.reshape(plain.primaries, (4, 2)), own).T, atol=3e-3
    )
    assert to_working(LIGHT, working, here) is LIGHT
    for view in ("film-like", "plain"):
        seen = through_view(LIGHT, view)
        np.testing.assert_allclose(through_view(turned, view, here), seen, atol=2e-4)
        assert np.abs(through_cube(turned[None], view, here)[0] - seen).max() < 0.03
    recipe = settings(arrivals__colour__working=working)
    planes = a_scene()
    picture = np.stack(pulled(PICTURE, planes, ONE, recipe, at(1)), axis=-1)
    np.testing.assert_allclose(
        picture[..., :3], to_working(picture_in(planes)[..., :3], "linear", here), atol=1e-5
    )
    assert upgraded(recipe.as_dict()) == recipe


def test_an_own_configuration_reads_shows_and_names_what_is_its_own(tmp_path):
    path = own_config(tmp_path)
    check_config(path)
    recipe = settings(arrivals__colour__config=path)
    here = recipe.arrivals.management
    assert (here.says, here.views, here.displays) == (
        "yard.ocio",
        ["straight", "through log"],
        ["hut monitor"],
    )
    assert {"yard linear", "yard log"} <= set(here.spaces) and "yard linear" in here.workings
    # Twice as bright as ACES2065-1, then to Rec. 709 by OpenColorIO's own configuration.
    builtin = ocio.Config.CreateFromBuiltinConfig("cg-config-v1.0.0_aces-v1.3_ocio-v2.1")
    by_hand = (LIGHT * 2).copy()
    builtin.getProcessor("ACES2065-1", "Linear Rec.709 (sRGB)").getDefaultCPUProcessor().applyRGB(by_hand)
    np.testing.assert_allclose(to_working(LIGHT, "yard linear", here), by_hand, atol=1e-5)
    aces = LIGHT.copy()
    builtin.getProcessor("Linear Rec.709 (sRGB)", "ACES2065-1").getDefaultCPUProcessor().applyRGB(aces)
    wanted = np.clip(np.maximum(aces, 0) ** (1 / 2.2), 0, 1)
    np.testing.assert_allclose(through_view(LIGHT, "straight", here), wanted, atol=2e-4)
    assert bake("straight", here).cube.shape[3] == 4
    # Its own space as the working one: as bright again, with ACES2065-1's primaries, found by computation.
    inside = Management(path, "yard linear")
    np.testing.assert_allclose(inside.primaries, Management(working="ACES2065-1").primaries, atol=1e-4)
    np.testing.assert_allclose(through_view(aces / 2, "straight", inside), wanted, atol=2e-4)
    assert here.space_by_rules("TW010_plate.####.exr") == "yard log"
    assert here.space_by_rules("TW010.####.exr") == ""
    proposed = check_colour(recipe.arrivals, ONE, {0: "TW010_plate.####.exr"}, {})
    assert [finding.code for finding in proposed] == ["space-by-rule"]
    taken = change(recipe, dict(proposed[0].mends[0].values), scene_unit="m")
    assert not check_colour(taken.arrivals, ONE, {0: "TW010_plate.####.exr"}, {})
    views = {"pack.picture_view": "through fog", "eyes.anaglyph_view": "plain"}
    assert [one.code for one in check_colour(recipe.arrivals, ONE, {}, views)] == ["view-gone"]
    os.unlink(path)
    os.utime(os.path.dirname(path))
    from drawstring.core.colour import management

    management.config_of.cache_clear()
    gone = check_colour(recipe.arrivals, ONE, {}, {})
    assert [finding.code for finding in gone] == ["colour-config"]
    assert not check_colour(
        change(recipe, dict(gone[0].mends[0].values), scene_unit="m").arrivals, ONE, {}, {}
    )


def outside(config) -> None:
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "film stock", encoding="log")
    space.setTransform(ocio.FileTransform("stock.spi1d"), ocio.COLORSPACE_DIR_TO_REFERENCE)
    config.addColorSpace(space)


def missing(config) -> None:
    config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "lost", encoding="log"))
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "by look", encoding="log")
    look = ocio.LookTransform("ACES2065-1", "ACES2065-1", "a look that is not there")
    space.setTransform(look, ocio.COLORSPACE_DIR_TO_REFERENCE)
    config.addColorSpace(space)


def alone(config) -> None:
    config.setRole("aces_interchange", None)


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (outside, "names 1 tables beside it: stock.spi1d"),
        (missing, "by look"),
        (alone, "can't do all it names"),
    ],
)
def test_a_configuration_that_lacks_something_is_refused_by_name(tmp_path, spoil, says):
    with pytest.raises(SettingError, match=says) as refusal:
        check_config(own_config(tmp_path, spoil=spoil))
    assert refusal.value.remedy and "yard.ocio" in refusal.value.what
    with pytest.raises(SettingError, match="can't be read as a configuration"):
        check_config(keep_file(str(tmp_path), "noise.ocio", b"\x00\x01 no configuration"))
    with pytest.raises(SettingError, match="no built-in configuration"):
        settings(arrivals__colour__config="cg-config-v9")
    for name in ("working", "display", "look"):
        with pytest.raises(SettingError, match=f"has no {name} “fog”"):
            settings(**{f"arrivals__colour__{name}": "fog"})


def test_an_archived_configuration_brings_its_tables_along(tmp_path):
    table = tmp_path / "stock.spi1d"
    table.write_text("Version 1\nFrom 0.0 1.0\nLength 2\nComponents 1\n{\n0.0\n0.5\n}\n")

    def with_table(config) -> None:
        config.setWorkingDir(str(tmp_path))
        config.setSearchPath(".")
        outside(config)

    path = own_config(tmp_path, "yard.ocioz", with_table)
    table.unlink()
    check_config(path)
    here = Management(path)
    half = to_working(np.float32([[0.4, 0.4, 0.4]]), "film stock", here)
    np.testing.assert_allclose(half, to_working(np.float32([[0.2, 0.2, 0.2]]), "ACES2065-1", here), atol=1e-5)
