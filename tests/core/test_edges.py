"""Mixed pixels at edges: found where they are, nowhere else, and given to one of their true sides."""

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from makers import by_name

from drawstring.core.camera import Moment
from drawstring.core.depth import DepthSettings, Edges, check_range, edge_map, nothing_there, repaired, tally
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import Recipe, available_results, compute, plan_outputs

FINE = 8


def filtered(fine: np.ndarray) -> np.ndarray:
    """Average blocks of a fine picture: what a renderer does that filters depth like colour."""
    height, width = fine.shape[0] // FINE, fine.shape[1] // FINE
    return fine.reshape(height, FINE, width, FINE).mean(axis=(1, 3)).astype(np.float32)


def post(near: float, far: float, *, size: int = 40) -> tuple[np.ndarray, np.ndarray]:
    """A round post before a wall: the filtered depth, and how much of each pixel the post covers."""
    x = (np.arange(size * FINE) + 0.5) / FINE
    rows, cols = np.meshgrid(x, x, indexing="ij")
    is_post = np.hypot(rows - 20.3, cols - 19.6) < 9.4
    return filtered(np.where(is_post, near, far)), filtered(is_post.astype(float))


@settings(deadline=None, max_examples=25)
@given(st.floats(0.5, 50), st.floats(1.5, 40))
def test_every_well_mixed_pixel_is_found_and_every_repair_is_a_true_distance(near, times):
    far = near * times
    z, cover = post(near, far)
    nothing = np.zeros(z.shape, bool)
    found = edge_map(z, nothing)
    pure = (cover == 0) | (cover == 1)
    assert not (found.kind[pure] == 2).any(), "a pixel of one thing alone is never mixed"
    well = ~pure & (z > near * 1.05) & (z < far * 0.95)
    assert (found.kind[well] == 2).mean() > 0.75
    for edges, side in ((Edges.NEARER, near), (Edges.FURTHER, far)):
        mended = repaired(z, nothing, edges)
        changed = mended != z
        assert changed[well].mean() > 0.75 and not changed[found.kind != 2].any()
        # A pixel that mixes at a corner stands between two that are mixed themselves: few do.
        true = np.isclose(mended[changed], np.float32(side), rtol=0.02)
        assert true.mean() > 0.9
        assert (mended[pure] == z[pure]).all()
    assert repaired(z, nothing, Edges.AS_THEY_CAME) is z


@cache
def made_scene(seed: int, height: int = 96, width: int = 128) -> tuple[np.ndarray, np.ndarray]:
    """A ground, balls, boards and wires at random: distance and thing of every sample, inf for sky."""
    rng = np.random.default_rng(seed)
    y, x = (np.mgrid[: height * FINE, : width * FINE] + 0.5) / FINE
    z, thing = np.full(y.shape, np.inf), np.zeros(y.shape, int)
    ground = y > height * 0.45 + 1
    z[ground], thing[ground] = 90 / (y[ground] - height * 0.45), 1
    for number in range(2, 40):
        at_x, at_y, size = rng.uniform(0, width), rng.uniform(0, height), rng.uniform(3, 16)
        far, turn = np.exp(rng.uniform(np.log(2), np.log(80))), rng.uniform(0, np.pi)
        u = (x - at_x) * np.cos(turn) + (y - at_y) * np.sin(turn)
        v = (y - at_y) * np.cos(turn) - (x - at_x) * np.sin(turn)
        if number % 3 == 0:
            inside, away = (
                np.hypot(u, v) < size,
                far * (1 - np.sqrt(np.maximum(0, size**2 - u**2 - v**2)) / 60),
            )
        elif number % 3 == 1:
            inside, away = (abs(u) < size) & (abs(v) < size / 2), far / (1 + u * 0.01)
        else:
            inside, away = (abs(u) < rng.uniform(0.4, 1.2)) & (abs(v) < 30), np.full(y.shape, far)
        seen = inside & (away < z)
        z[seen], thing[seen] = away[seen], number
    blocks = (height, FINE, width, FINE)
    apart = [plane.reshape(blocks).transpose(0, 2, 1, 3).reshape(height, width, -1) for plane in (z, thing)]
    return apart[0], apart[1]


@pytest.mark.parametrize("empty", [0.0, np.inf])
def test_a_pixel_of_one_thing_keeps_its_distance_and_no_distance_is_invented(empty):
    """Held against what every sample of a pixel truly is."""
    changed_whole = wholes = found = mixed = 0
    for seed in range(8):
        z, thing = made_scene(seed)
        with np.errstate(invalid="ignore"):
            smooth = np.where(np.isinf(z), empty, z).mean(axis=-1).astype(np.float32)
        sharp = np.where(np.isinf(z[..., 36]), empty, z[..., 36]).astype(np.float32)
        cover = (thing > 0).mean(axis=-1).astype(np.float32)
        is_whole = (thing == thing[..., :1]).all(axis=-1)
        for alpha in (None, cover):
            for edges in (Edges.NEARER, Edges.FURTHER):
                raw = repaired(sharp, nothing_there(sharp, alpha), edges, alpha=alpha)
                assert np.array_equal(raw, sharp), "depth that was never filtered has nothing to mend"
                nothing = nothing_there(smooth, alpha)
                mended = repaired(smooth, nothing, edges, alpha=alpha)
                changed = (mended != smooth) & ~nothing
                changed_whole += int((changed & is_whole).sum())
                wholes += int((is_whole & ~nothing).sum())
                for row, col in np.argwhere(changed):
                    around = smooth[max(0, row - 2) : row + 3, max(0, col - 2) : col + 3]
                    assert around.min() <= mended[row, col] <= around.max()
                known = np.where(np.isinf(z), 1e30, z)
                apart = np.abs(known - smooth[..., None]).min(axis=-1)
                well = ~is_whole & ~nothing & (apart > 0.05 * smooth)
                found, mixed = found + int((changed & well).sum()), mixed + int(well.sum())
    assert changed_whole < 5e-5 * wholes and found > 0.25 * mixed


def test_slopes_steps_and_grain_are_no_mixed_pixels():
    rows = np.arange(60, dtype=np.float64)[:, None] + 1.5
    ground = np.broadcast_to(90 / rows, (60, 80)).astype(np.float32)  # a plane seen at a grazing angle
    assert not (edge_map(ground, ground < 0).kind == 2).any()
    step = np.where(np.arange(80) < 40, 3, 30) * np.ones((60, 1))
    clean = edge_map(step.astype(np.float32), step < 0)
    assert clean.counts == (120, 0), "two columns beside the step, none of them mixed"
    grain = (ground * np.random.default_rng(1).normal(1, 0.004, ground.shape)).astype(np.float32)
    edges, mixed = edge_map(grain, grain < 0).counts
    assert mixed < 0.002 * grain.size


@pytest.mark.parametrize("empty", [0.0, 1e10, np.inf])
def test_pixels_that_mix_a_thing_with_nothing_are_given_to_the_thing(empty):
    x = (np.arange(40 * FINE) + 0.5) / FINE
    inside = np.hypot(*np.meshgrid(x - 20, x - 20)) < 9
    z = filtered(np.where(inside, 4.0, 1e7 if empty else 0.0))
    z = np.where(z > 1e6, empty, z).astype(np.float32) if empty else z
    nothing = nothing_there(z)
    mended = repaired(z, nothing, Edges.NEARER)
    seen = mended[~nothing]
    before = np.abs(z[~nothing] - 4) > 0.2
    assert np.allclose(seen[~before], 4, atol=0.2)
    if empty == 0:
        assert before.sum() > 20 and (np.abs(seen - 4) > 0.2).sum() < before.sum() / 2


def test_mixed_edges_are_counted_told_and_mended_by_the_recipe():
    z, cover = post(2.0, 20.0)
    counted = tally(z)
    assert counted.mixed == edge_map(z, z < 0).counts[1] > 20 and counted.edges > counted.mixed
    near_far = DepthSettings(near=2, far=20)
    (finding,) = [f for f in check_range(counted, near_far, unit="m", where="x") if f.code == "depth-edges"]
    assert [mend.label for mend in finding.mends] == ["show", "take the nearer", "take the further"]
    mended = near_far.changed({"edges": "nearer"})
    assert "depth-edges" not in {f.code for f in check_range(counted, mended, unit="m", where="x")}
    ref = ChannelRef(0, "Z")
    passes = [Pass("depth", "Z", Role.DEPTH, 1, "", "", (ref,), ("Z",), ("float",))]
    recipe = Recipe(depth=mended.model_copy(update={"settled_on": "now"}))
    assert set(available_results(passes, recipe)) == {"depth_normalised", "depth_edges"}
    plan = plan_outputs(passes, recipe, settled_only=True)
    assert [c.name for c in plan.channels] == ["depth.Z", "depth_normalised.V"], "the map is for looking only"
    made = by_name(compute(plan, {ref: z}, Moment()))
    values = made["depth_normalised.V"].values
    whole = (cover == 0) | (cover == 1)
    assert set(np.unique(values[whole])) == {0.0, 1.0}
    plain = Recipe(depth=near_far)
    before = by_name(compute(plan_outputs(passes, plain), {ref: z}, Moment()))
    rim = (before["depth_normalised.V"].values > 0.02) & (before["depth_normalised.V"].values < 0.98)
    still = (values > 0.02) & (values < 0.98)
    assert still.sum() < 0.35 * rim.sum()
    np.testing.assert_array_equal(made["depth.Z"].values, z, "the raw depth goes out as it came")
