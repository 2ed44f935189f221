"""Sequences gathered into deliveries: windows joined, what does not fit left out, gaps told, names unique."""

from collections import Counter

import numpy as np
import OpenEXR
import pytest
from hypothesis import given
from hypothesis import strategies as st
from makers import write_plain

from drawstring.core.arrivals import scan
from drawstring.core.io import Window
from drawstring.core.passes import Pass, Role, with_names

PLANE = np.random.default_rng(8).random((12, 16)).astype(np.float32)
RGB = {letter: PLANE for letter in "RGB"}


def corners(x0: int, y0: int, x1: int, y1: int) -> tuple[np.ndarray, np.ndarray]:
    return np.array([x0, y0], np.int32), np.array([x1, y1], np.int32)


FULL = corners(0, 0, 15, 11)


@pytest.fixture
def folder(tmp_path):
    """An empty folder to write renders into."""
    made = tmp_path / "in"
    made.mkdir()
    return made


def looked_through(folder, **said):
    return scan(str(folder), roots=[str(folder.parent)], **said)


def test_frames_cropped_to_their_content_are_one_sequence_in_one_window(folder):
    """Renderers that trim write another data window in every frame; all of them must stay usable."""
    for number, (x0, y0, x1, y1) in enumerate([(2, 3, 9, 8), (4, 1, 12, 6), (-3, 0, 5, 13)], 1001):
        planes = {letter: np.full((y1 - y0 + 1, x1 - x0 + 1), number, np.float32) for letter in "RGB"}
        write_plain(
            folder / f"TW1.{number}.exr", planes, dataWindow=corners(x0, y0, x1, y1), displayWindow=FULL
        )
    (one,) = looked_through(folder).candidates
    assert one.window == Window(-3, 0, 12, 13) and [f.fault for f in one.members[0].frames] == ["", "", ""]
    notes = [f for f in one.findings if f.code == "frame-odd"]
    assert len(notes) == 2 and all(f.severity == "notes" and "data window" in f.what for f in notes)


def test_what_differs_in_size_or_is_a_still_is_left_out_and_said(folder):
    for number in (1, 2, 3):
        plate = {k: np.ascontiguousarray(v[::2, ::2]) for k, v in RGB.items()}
        write_plain(folder / f"TW1_plate.{number:04d}.exr", plate)
        write_plain(folder / f"TW1_beauty.{number:04d}.exr", RGB)
        write_plain(folder / f"TW1_normal.{number:04d}.exr", {k: v[::2, ::2].copy() for k, v in RGB.items()})
        write_plain(folder / f"TW1_z.{number:04d}.exr", {"Z": PLANE + 2})
    write_plain(folder / "TW1_shadow.exr", {"V": PLANE})
    (one,) = looked_through(folder).candidates
    # A plate may have a size of its own; it is fitted, and does not widen the window.
    assert {m.pattern for m in one.members} == {"TW1_beauty.####.exr", "TW1_z.####.exr", "TW1_plate.####.exr"}
    assert one.window == one.members[0].window
    assert {m.pattern for m in one.left_out} == {"TW1_normal.####.exr", "TW1_shadow.exr"}
    codes = Counter(f.code for f in one.findings)
    assert (
        codes["size-differs"] == codes["still-among-frames"] == codes["size-fitted"] == 1
        and "no-depth" not in codes
    )
    assert {p.name for p in one.passes} == {"beauty", "depth", "plate"}
    depth = next(p for p in one.passes if p.name == "depth")
    assert [(ref.part, ref.name) for ref in depth.channels] == [(0, "Z")]


def test_a_folder_of_stills_and_a_lone_still_are_deliveries_of_their_own(folder):
    for name in ("plate", "mural"):
        write_plain(folder / f"{name}_v002.exr", RGB)
    found = looked_through(folder)
    assert [(c.shot, c.version, c.frames) for c in found.candidates] == [
        ("mural", 2, {0: ""}),
        ("plate", 2, {0: ""}),
    ]
    assert {f.code for f in found.findings} == {"still", "no-depth"}


@pytest.mark.parametrize(
    ("rates", "fps", "said"), [((24, 24), 24, 0), ((24, 25), 24, 1), ((25, 25), 24, 1), ((25, 25), 0, 0)]
)
def test_rates_are_compared_with_the_show_and_each_other(folder, rates, fps, said):
    for name, rate in zip(("beauty", "z"), rates, strict=True):
        for number in (1, 2):
            write_plain(
                folder / f"TW1_{name}.{number:04d}.exr",
                RGB if name == "beauty" else {"Z": PLANE},
                rate=float(rate),
            )
    found = [f for f in looked_through(folder, fps=fps).findings if f.code == "rate-differs"]
    assert len(found) == said and all("frames a second" in f.what for f in found)


def test_eyes_in_parts_of_one_file_are_views_of_one_delivery(folder):
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    for number in (1001, 1002):
        parts = [
            OpenEXR.Part(
                {**header, "view": view}, {letter: PLANE.copy() for letter in "RGB"}, name=f"rgb.{view}"
            )
            for view in ("left", "right")
        ]
        OpenEXR.File(parts).write(str(folder / f"TW2.{number}.exr"))
    (one,) = looked_through(folder).candidates
    assert one.views == ["left", "right"] and [p.name for p in one.passes] == ["beauty", "right.beauty"]


roles = st.sampled_from([Role.BEAUTY, Role.DEPTH, Role.OTHER, Role.LIGHT_GROUP, Role.NORMAL, Role.MATTE])
layers = st.text("abc_ /é", max_size=4)
views = st.sampled_from(["", "left", "right"])


@given(st.lists(st.tuples(roles, layers, views, st.floats(0.1, 1)), max_size=12))
def test_names_are_unique_plain_and_keep_to_their_roles(several):
    passes = [
        Pass(role.value, layer, role, sure, "", view, (), (), ("float",))
        for role, layer, view, sure in several
    ]
    named = with_names(passes)
    names = [one.name for one in named]
    assert len(set(names)) == len(names) and [one.layer for one in named] == [one.layer for one in passes]
    assert all(name and set(name) <= set("abcdefghijklmnopqrstuvwxyz_.-0123456789") for name in names)
    first = passes[0].view if passes else ""
    for role in (Role.BEAUTY, Role.DEPTH, Role.NORMAL):
        of_role = [one for one in named if one.role is role and one.view == first]
        if of_role and role.value in names:
            chosen = next(one for one in named if one.name == role.value)
            assert chosen in of_role and chosen.confidence == max(one.confidence for one in of_role)
    assert with_names(named) == [type(one)(**{**vars(one)}) for one in with_names(named)], "the same again"
