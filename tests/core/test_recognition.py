"""Passes taken for what they are, from names and from pixels; a name is never believed against the pixels."""

from pathlib import Path

import numpy as np
import OpenEXR
import pytest
from hypothesis import given
from hypothesis import strategies as st
from makers import write_plain

from drawstring.core.arrivals.scan import sample_pixels
from drawstring.core.colour import bake, look, through_cube, through_view
from drawstring.core.errors import SettingError
from drawstring.core.io import read_facts
from drawstring.core.passes import Role, entry, read_entries, recognise
from drawstring.core.passes.layers import layers_of
from drawstring.core.passes.naming import role_from_name
from drawstring.core.passes.values import depth_traits, normal_traits
from drawstring.core.passes.words import words_of

ONE_CHANNEL = {"depth", "alpha", "id", "matte", "occlusion", "shadow", "mist"}
GRAVE = {"depth", "alpha", "id", "id_colour", "normal", "object_matte", "material_matte", "asset_matte"}


def corpus():
    """Yield (habit, role, name) of the corpus beside this file."""
    habit = ""
    for line in (Path(__file__).parent / "naming_corpus.txt").read_text().splitlines():
        if line.startswith("=="):
            habit = line[3:]
        elif line and not line.startswith("#"):
            role, _, names = line.partition(":")
            yield from ((habit, role, name.strip()) for name in names.split("|"))


def test_names_of_many_habits_are_read_right_or_left_to_a_person():
    names = list(corpus())
    assert len(names) >= 400 and len({habit for habit, _, _ in names}) >= 8
    wrong, silent = [], []
    for _, role, name in names:
        suffixes = ("V",) if role in ONE_CHANNEL else ("U", "V") if role == "texture" else ("R", "G", "B")
        claim = role_from_name(name, suffixes)
        read, sure = (claim.role.value, claim.confidence) if claim else ("other", 0.3)
        if read != role and not 0.4 <= sure < 0.7:
            wrong.append((name, role, read))
        if read != role and sure >= 0.7 and {read, role} & GRAVE:
            silent.append((name, role, read))
    assert not silent
    assert len(wrong) <= 0.05 * len(names), wrong


@pytest.mark.parametrize(
    "name", ["noisy_image", "Noisy Image", "denoised", "beauty_undenoised", "image.denoised"]
)
def test_a_picture_said_to_be_noisy_or_not_is_a_twin_of_the_beauty(name):
    assert role_from_name(name, ("R", "G", "B")).role is Role.BEAUTY
    assert role_from_name("denoising_albedo", ("R", "G", "B")).role is Role.DENOISE_HELPER


@given(st.text("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.- ", max_size=30))
def test_any_name_can_be_cut_into_words_and_nothing_is_lost(name):
    letters = "".join(letter for letter in name.lower() if letter.isalnum())
    assert "".join(words_of(name)) == letters
    claim = role_from_name(name, ("R", "G", "B"))
    assert claim is None or 0 < claim.confidence < 1 and claim.reason


def test_every_pass_of_the_stand_in_renderer_is_recognised(sources):
    path = sorted((sources / "tidewrack").rglob("*.exr"))[0]
    passes = recognise(read_facts(str(path)), sample_pixels(str(path)))
    assert {one.name for one in passes} == {
        "beauty", "depth", "position", "normal", "diffuse_direct", "diffuse_indirect", "diffuse_albedo",
        "specular_direct", "specular_indirect", "specular_albedo", "emission", "environment", "occlusion",
        "shadow", "object_matte",
    }  # fmt: skip
    assert all(one.confidence > 0.9 and one.reason for one in passes)
    by_name = {one.name: one for one in passes}
    assert [ref.name for ref in by_name["beauty"].channels] == ["R", "G", "B", "A"]
    assert len(by_name["object_matte"].channels) == 8 and by_name["normal"].suffixes == ("X", "Y", "Z")
    assert "metric" in by_name["depth"].traits


def test_pixels_contradict_a_lying_name_and_speak_for_a_silent_one(tmp_path):
    rng = np.random.default_rng(1)
    shape = (60, 80)
    unit = rng.normal(size=(*shape, 3))
    unit /= np.linalg.norm(unit, axis=-1, keepdims=True)
    far = rng.uniform(2, 90, shape).astype(np.float32)
    hashes = np.array([0x3F2A11C4, 0x7A01EE21, 0x11D4AA02, 0xE1224490], np.uint32).view(np.float32)
    names = hashes[rng.integers(0, 4, shape)]
    channels = {f"normal.{a}": rng.random(shape).astype(np.float32) for a in "XYZ"}
    channels |= {f"mystery.{a}": unit[..., i].astype(np.float32) for i, a in enumerate("RGB")}
    channels |= {f"diffuse_direct.{a}": unit[..., i].astype(np.float32) for i, a in enumerate("RGB")}
    channels |= {"strange.R": names, "strange.G": np.ones(shape, np.float32)}
    channels |= {
        "riddle": far,
        "depth.Z": -far,
        "shadow.V": far,
        "AO.V": rng.random(shape).astype(np.float32),
    }
    channels |= {"count": rng.integers(0, 9, shape).astype(np.float32)}
    channels |= {"cut": (rng.random(shape) > 0.5).astype(np.float32), "albedo.R": far, "albedo.G": far}
    path = str(write_plain(tmp_path / "lies.exr", channels))
    by_layer = {one.layer: one for one in recognise(read_facts(path), sample_pixels(path))}
    for layer, words in {
        "normal": "unit length", "depth": "negative", "shadow": "outside 0 to 1",
        "albedo": "can't be a surface colour", "diffuse_direct": "as normals have",
    }.items():  # fmt: skip
        assert by_layer[layer].needs_look and words in by_layer[layer].reason, layer
    for layer, role in {
        "mystery": Role.NORMAL, "riddle": Role.DEPTH, "strange": Role.OBJECT_MATTE, "count": Role.ID,
        "cut": Role.MATTE,
    }.items():  # fmt: skip
        assert (by_layer[layer].role, by_layer[layer].confidence) == (role, 0.6), layer
    assert by_layer["AO"].role is Role.OCCLUSION and by_layer["AO"].confidence > 0.9


def test_a_depth_tells_its_kind_and_a_normal_its_space():
    alpha = np.ones((20, 20), np.float32)
    alpha[:5] = 0
    z = np.where(alpha == 0, 0, np.linspace(0.2, 1, 400).reshape(20, 20)).astype(np.float32)
    assert depth_traits(z, alpha) == ("normalised", "near is white")
    assert depth_traits(np.where(alpha == 0, 1, z).astype(np.float32), alpha) == (
        "normalised",
        "far is white",
    )
    assert depth_traits(z, None) == ("normalised",) and depth_traits(z * 50, alpha) == ("metric",)
    rng = np.random.default_rng(0)
    towards = rng.normal(size=(40, 40, 3))
    towards[..., 2] = np.abs(towards[..., 2]) + 0.4
    towards /= np.linalg.norm(towards, axis=-1, keepdims=True)
    planes = [towards[..., i].astype(np.float32) for i in range(3)]
    assert normal_traits(planes) == ()
    assert "lifted to 0..1" in normal_traits([plane / 2 + 0.5 for plane in planes])


@pytest.mark.parametrize(
    ("names", "layers"),
    [
        (["N.X", "N.Y", "N.Z", "Z"], {"N": "XYZ", "Z": "Z"}),
        (["spec.red", "spec.green", "spec.blue"], {"spec": ["red", "green", "blue"]}),
        (["albedo_r", "albedo_g", "albedo_b", "mask_a"], {"albedo": "rgb", "mask_a": "V"}),
        (["diffR", "diffG", "diffB", "R", "G", "B"], {"diff": "RGB", "": "RGB"}),
        (["uv.u", "uv.v", "Y"], {"uv": "uv", "": "Y"}),
    ],
)
def test_channels_of_any_habit_are_gathered_into_layers(tmp_path, names, layers):
    path = str(write_plain(tmp_path / "a.exr", {name: np.zeros((4, 4), np.float16) for name in names}))
    found = {layer.name: list(layer.suffixes) for layer in layers_of(read_facts(path))}
    assert found == {name: list(suffixes) for name, suffixes in layers.items()}


def test_one_name_in_two_parts_is_two_layers_unless_each_has_other_channels(tmp_path):
    rng = np.random.default_rng(9)

    def found(*parts):
        with OpenEXR.File(
            [OpenEXR.Part(dict(header), planes, name) for name, header, planes in parts]
        ) as file:
            file.write(str(tmp_path / "a.exr"))
        facts = read_facts(str(tmp_path / "a.exr"))
        assert recognise(facts, sample_pixels(facts.path))
        return {layer.name: [ref.name for ref in layer.channels] for layer in layers_of(facts)}

    def planes(*names, size=(40, 60)):
        return {name: np.float16(rng.random(size)) for name in names}

    lower = {"dataWindow": ((0, 10), (59, 39)), "displayWindow": ((0, 0), (59, 39))}
    whole = {"dataWindow": ((0, 0), (59, 39)), "displayWindow": ((0, 0), (59, 39))}
    fog = ("fog.R", "fog.G", "fog.B")
    assert found(("a", whole, planes(*fog)), ("b", whole, planes(*fog))) == {"fog": [*fog], "b.fog": [*fog]}
    assert found(("a", whole, planes(*fog[:2])), ("b", whole, planes(fog[2]))) == {"fog": [*fog]}
    other = planes(fog[2], size=(30, 60))
    assert found(("a", whole, planes(*fog[:2])), ("b", lower, other)) == {
        "fog": [*fog[:2]],
        "b.fog": [fog[2]],
    }


def test_views_of_one_part_follow_the_formats_rules(tmp_path):
    channels = ["R", "G", "B", "A", "right.R", "right.G", "right.B", "right.A", "depth.Z", "depth.right.Z"]
    planes = {name: np.full((8, 8), 0.5, np.float16) for name in channels}
    path = str(write_plain(tmp_path / "eyes.exr", planes, multiView=["left", "right"]))
    facts = read_facts(path)
    assert facts.view_names == ("left", "right")
    by_name = {one.name: one for one in recognise(facts)}
    assert set(by_name) == {"beauty", "right.beauty", "depth", "right.depth"}
    assert [ref.name for ref in by_name["right.beauty"].channels] == [
        "right.R",
        "right.G",
        "right.B",
        "right.A",
    ]


def test_the_first_of_several_parts_is_the_beauty_whatever_it_is_called(tmp_path):
    rng = np.random.default_rng(8)

    def roles(first, *, channels="RGBA", second="mask", dictionary=()):
        parts = [
            OpenEXR.Part({}, {c: np.float16(rng.random((40, 60))) for c in channels}, first),
            OpenEXR.Part({}, {c: np.float16(rng.random((40, 60))) for c in "RGBA"}, second),
        ]
        with OpenEXR.File(parts) as file:
            file.write(str(tmp_path / "parts.exr"))
        facts = read_facts(str(tmp_path / "parts.exr"))
        for pixels in (None, sample_pixels(facts.path)):
            yield [one.role for one in recognise(facts, pixels, dictionary=dictionary)]

    for name in ("main", "default", "part0", "ViewLayer", "C"):
        assert [here[0] for here in roles(name)] == [Role.BEAUTY] * 2
    # Not where something else is called so, where it has no alpha, or where people say what it is.
    assert [here for here in roles("main", second="rgba")] == [[Role.OTHER, Role.BEAUTY]] * 2
    assert Role.BEAUTY not in next(roles("main", channels="RGB"))
    said = [entry("whole name", "main", "other")]
    assert next(roles("main", dictionary=said))[0] is Role.OTHER


def test_of_twins_the_denoised_one_is_chosen_and_the_dictionary_goes_before_everything(tmp_path):
    rng = np.random.default_rng(2)
    names = ["beauty_noisy", "beauty_denoised", "fog_zz", "wet_zz"]
    channels = {f"{n}.{a}": rng.random((16, 16)).astype(np.float16) for n in names for a in "RGB"}
    facts = read_facts(str(write_plain(tmp_path / "t.exr", channels)))
    told = [entry("word", "zz", "specular"), entry("whole name", "FOG_ZZ", "mist")]
    by_layer = {one.layer: one for one in recognise(facts, dictionary=told)}
    assert (by_layer["beauty_denoised"].name, by_layer["beauty_noisy"].name) == ("beauty", "beauty_noisy")
    assert by_layer["beauty_noisy"].twin_of == "beauty"
    assert (by_layer["fog_zz"].role, by_layer["wet_zz"].role) == (Role.MIST, Role.SPECULAR)
    assert "dictionary" in by_layer["wet_zz"].reason
    assert read_entries({"entries": [one.as_dict() for one in told]}) == told
    spaced = {"entries": [{"kind": "word", "text": "a b", "role": "id"}]}
    for odd, words in (({"x": 1}, "no dictionary"), (spaced, "in a name")):
        with pytest.raises(SettingError, match=words):
            read_entries(odd)


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
    looked_up = through_cube(light.reshape(40, 100, 3), view, threads=2).reshape(-1, 3)
    np.testing.assert_allclose(looked_up, mixed, atol=2e-5)
    odd = np.float32([[[np.nan, np.inf, -np.inf]]])
    np.testing.assert_allclose(
        through_cube(odd, view)[0, 0], baked.cube[0, -1, 0, :3].astype(np.float32), atol=1e-6
    )


def test_pictures_for_looking_show_what_is_there():
    z = np.float32([[1, 2, np.inf]])
    grey = look(Role.DEPTH, [z])[..., 0][0]
    assert grey[0] > grey[1] >= grey[2] == 0
    up = look(Role.NORMAL, [np.zeros((1, 1)), np.ones((1, 1)), np.zeros((1, 1))])
    assert up[0, 0].tolist() == [128, 255, 128]
    names = np.array([[7, 8]], np.uint32).view(np.float32)
    matte = look(Role.OBJECT_MATTE, [names, np.ones((1, 2), np.float32)])
    assert matte[0, 0].tolist() != matte[0, 1].tolist()


def test_every_role_has_a_picture():
    rng = np.random.default_rng(3)
    planes = [rng.random((12, 16)).astype(np.float32) for _ in range(4)]
    for role in Role:
        shown = look(role, planes[:1] if role in (Role.DEPTH, Role.ID) else planes)
        assert shown.shape == (12, 16, 3) and shown.dtype == np.uint8
