"""Numbers that no picture should hold are told wherever they go: frame, pass, number; arrival and package."""

import numpy as np
from makers import carry_out_here, validate_manifest, write_plain

from drawstring.core.arrivals import scan
from drawstring.core.arrivals.facts import findings_of
from drawstring.core.io.facts import Window
from drawstring.core.passes import pass_statistics
from drawstring.runs.handoff import make_report
from drawstring.runs.handoff.odd_values import odd_lines
from drawstring.runs.measurements import _begin
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import plan_run
from drawstring.store import deliveries, measuring, recipes, shows


def delivery(folder, *, gain: float = 1.0, odd: bool = True):
    folder.mkdir(parents=True)
    rng = np.random.default_rng(5)
    for number in (1001, 1002, 1003):
        light = rng.random((40, 60, 4), np.float32) * gain + 0.01
        depth = np.float32(4 + 20 * rng.random((40, 60)))
        depth[:, :5] = np.inf
        normal = rng.normal(size=(40, 60, 3)).astype(np.float32)
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        if odd and number == 1002:
            light[3, 4, 1] = np.nan
            light[3, 4, 2] = np.inf
        if odd and number == 1003:
            light[0, :2, 0] = -0.5
        write_plain(folder / f"TW600_v001.{number}.exr", {
            "RGBA": light, "Z": depth, **{f"normal.{c}": normal[..., i].copy() for i, c in enumerate("XYZ")},
        })  # fmt: skip
    return scan(str(folder), roots=[str(folder.parent)]).candidates[0]


def count(session, shot):
    work = _begin(session, shot.delivery.measured("facts"))
    counted = {n: measure_frame("facts", n, files, work.passes, work.window)[1] for n, files in work.todo}
    measuring.finish(shot.delivery.measured("facts"), counted, {})


def test_every_odd_pixel_is_told_on_arrival_and_on_the_package_that_carries_it(session, tmp_path):
    shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW600")
    deliveries.accept(session, shot, delivery(tmp_path / "a"))
    count(session, shot)
    told = {f["code"]: f for f in measuring.told_facts(session, shot.delivery.measured("facts"))["findings"]}
    assert "1 NaN and 1 infinite in frame 1002" in told["pass-nan"]["what"]
    assert told["pass-nan"]["pixel"] == [4, 3]
    assert "2 negative in frame 1003" in told["pass-negative"]["what"], "however few"
    recipes.set_values(session, shot, {"depth.needed": "no"})
    run = plan_run(session, shot, output=str(tmp_path / "packages"))
    carry_out_here(session, run)
    frames = validate_manifest(run.folder)["frames"]
    # Infinity is a distance's, and less than 0 a direction's own: neither is odd.
    assert [frame["proof"].get("odd_values") for frame in frames] == [
        None, {"beauty": {"nan": 1, "infinite": 1}}, {"beauty": {"negative": 2}},
    ]  # fmt: skip
    (line,) = odd_lines(frames)
    assert line == "beauty: 1 NaN and 1 infinite in frame 1002, 2 negative in frame 1003"
    with open(make_report(run.folder, findings=[]), encoding="utf-8") as file:
        assert line in file.read()


def test_a_newer_delivery_tells_whose_values_span_another_range(session, tmp_path):
    shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW600")
    deliveries.accept(session, shot, delivery(tmp_path / "a", odd=False))
    count(session, shot)
    deliveries.accept(session, shot, delivery(tmp_path / "b", odd=False, gain=8))
    count(session, shot)
    (told,) = [one for one in shot.delivery.differences if "spans" in one]
    assert told.startswith("beauty spans 0.01") and "spanned 0.01" in told


def test_of_very_many_frames_the_worst_are_told():
    light = np.ones((4, 4), np.float32)
    curve = {}
    for number in range(40):
        plane = light.copy()
        plane.ravel()[: number % 7] = np.nan
        curve[number] = {"beauty": pass_statistics([plane] * 3, has_alpha=False)}
    passes = scan_pass()
    (told,) = [
        f for f in findings_of(curve, passes, where="x", window=Window(0, 0, 3, 3)) if f.code == "pass-nan"
    ]
    assert "6 NaN in frame 6" in told.what and "more frames" in told.what


def scan_pass():
    from drawstring.core.io.facts import ChannelRef
    from drawstring.core.passes import Pass, Role

    refs = tuple(ChannelRef(0, c) for c in "RGB")
    return [Pass("beauty", "", Role.BEAUTY, 1, "", "", refs, tuple("RGB"), ("float",) * 3)]
