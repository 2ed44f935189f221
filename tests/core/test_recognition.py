"""Passes taken for what they are, from names and from pixels; a name is never believed against the pixels."""

import numpy as np
import pytest
from makers import write_plain

from drawstring.core.arrivals.scan import sample_pixels
from drawstring.core.colour import bake, look, through_view
from drawstring.core.io import read_facts
from drawstring.core.passes import Role, recognise
from drawstring.core.passes.naming import role_from_name

NAMES = {
    Role.DEPTH: ["Z", "depth", "ZDepth", "fog_depth", "renderLayer.depthZ", "Depth"],
    Role.NORMAL: ["N", "normals", "worldNormal", "Nrm", "cam_normal"],
    Role.POSITION: ["P", "position", "worldPosition", "Pworld", "pos"],
    Role.DIFFUSE_DIRECT: ["diffuse_direct", "DiffDir", "directDiffuse", "diff.direct"],
    Role.DIFFUSE_INDIRECT: ["diffuse_indirect", "DiffInd", "diffuseGI"],
    Role.DIFFUSE_COLOUR: ["diffuse_color", "DiffCol", "albedo", "diffuseFilter"],
    Role.SPECULAR_DIRECT: ["specular_direct", "GlossDir", "directSpec"],
    Role.SPECULAR_INDIRECT: ["specular_indirect", "GlossInd", "indirect_reflection"],
    Role.EMISSION: ["emission", "Emit", "emissive"],
    Role.ENVIRONMENT: ["environment", "Env", "background", "sky"],
    Role.OCCLUSION: ["AO", "ambient_occlusion", "occlusion"],
    Role.SHADOW: ["shadow", "Shadows", "SHD"],
    Role.OBJECT_MATTE: ["CryptoObject00", "crypto_material01"],
    Role.MOTION: ["motion", "velocity", "motionVector"],
}


@pytest.mark.parametrize(("role", "name"), [(role, name) for role, names in NAMES.items() for name in names])
def test_usual_names_are_understood(role, name):
    found = role_from_name(name, ("R", "G", "B"))
    assert found and found[0] is role


def test_names_that_say_nothing_are_left_alone():
    assert role_from_name("lightgroup_kitchen", ("R", "G", "B")) is None
    assert role_from_name("diffuse", ("R", "G", "B")) is None


def test_every_pass_of_the_stand_in_renderer_is_recognised(sources):
    path = sorted((sources / "tidewrack").rglob("*.exr"))[0]
    passes = recognise(read_facts(str(path)), sample_pixels(str(path)))
    expected = {role.value for role in Role} - {"alpha", "mist", "motion", "texture", "other"}
    assert {one.name for one in passes} == expected
    assert all(one.confidence > 0.9 and one.reason for one in passes)
    by_name = {one.name: one for one in passes}
    assert [ref.name for ref in by_name["beauty"].channels] == ["R", "G", "B", "A"]
    assert len(by_name["object_matte"].channels) == 8 and by_name["normal"].suffixes == ("X", "Y", "Z")


def test_pixels_contradict_a_lying_name_and_speak_for_a_silent_one(tmp_path):
    rng = np.random.default_rng(1)
    shape = (60, 80)
    unit = rng.normal(size=(*shape, 3))
    unit /= np.linalg.norm(unit, axis=-1, keepdims=True)
    far = rng.uniform(2, 90, shape).astype(np.float32)
    channels = {f"normal.{a}": rng.random(shape).astype(np.float32) for a in "XYZ"}
    channels |= {f"mystery.{a}": unit[..., i].astype(np.float32) for i, a in enumerate("RGB")}
    channels |= {"depth.Z": -far, "layer7.V": far}
    path = str(write_plain(tmp_path / "a.exr", channels))
    by_layer = {one.layer: one for one in recognise(read_facts(path), sample_pixels(path))}
    assert by_layer["normal"].needs_look and "unit length" in by_layer["normal"].reason
    assert by_layer["depth"].needs_look and "negative" in by_layer["depth"].reason
    assert by_layer["mystery"].role is Role.NORMAL and by_layer["mystery"].needs_look
    assert by_layer["layer7"].role is Role.DEPTH and by_layer["layer7"].needs_look


@pytest.mark.parametrize("view", ["film-like", "plain"])
def test_the_baked_view_agrees_with_the_colour_library(view):
    light = np.exp(np.random.default_rng(2).normal(-1, 2, (4000, 3))).astype(np.float32).clip(0, 60)
    baked = bake(view)
    s = np.log2(1 + baked.shaper_k * light) / np.log2(1 + baked.shaper_k * baked.shaper_max)
    at = s * (baked.size - 1)
    low = np.minimum(at.astype(int), baked.size - 2)
    part = at - low
    cube = baked.cube.astype(np.float32)[..., :3]
    mixed = np.zeros_like(light)
    for corner in np.ndindex(2, 2, 2):
        weight = np.prod(np.where(corner, part, 1 - part), axis=-1, keepdims=True)
        index = low + np.array(corner)
        mixed += weight * cube[index[:, 2], index[:, 1], index[:, 0]]
    apart = np.abs(mixed - through_view(light, view))
    assert apart.mean() < 0.5 / 255 and np.percentile(apart, 99) < 4 / 255


def test_pictures_for_looking_show_what_is_there():
    z = np.float32([[1, 2, np.inf]])
    grey = look(Role.DEPTH, [z])[..., 0][0]
    assert grey[0] > grey[1] >= grey[2] == 0
    up = look(Role.NORMAL, [np.zeros((1, 1)), np.ones((1, 1)), np.zeros((1, 1))])
    assert up[0, 0].tolist() == [128, 255, 128]
    names = np.array([[7, 8]], np.uint32).view(np.float32)
    matte = look(Role.OBJECT_MATTE, [names, np.ones((1, 2), np.float32)])
    assert matte[0, 0].tolist() != matte[0, 1].tolist()
