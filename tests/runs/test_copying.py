"""What is untouched is copied as it is packed: such a package is the unpacked one, bit for bit."""

import os

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import carry_out_here, count_facts_here, same_bits, validate_manifest

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError
from drawstring.core.io import read_facts
from drawstring.core.pack.profile import Profile, written
from drawstring.runs.checking import check_package
from drawstring.runs.frame import carry_out
from drawstring.runs.handoff import make_report
from drawstring.runs.planning import plan_of, plan_run, tasks_of
from drawstring.store import deliveries, recipes, shows
from drawstring.store.models import Run
from drawstring.store.standing import standing
from drawstring.web.pack.words import copying_of

CAME = {"pack__parts": "as it came", "pack__compression": "rle"}


@pytest.fixture
def arrived(sessions, candidate):
    """Have a shot's frames arrive."""
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW010")
        deliveries.accept(session, shot, candidate)


@pytest.fixture
def counted(sessions, arrived):
    """Have its frames counted, as they are then."""

    def count():
        with sessions.begin() as session:
            count_facts_here(session, shows.find_shot(session, "TW010"))

    return count


def proofs(run) -> list:
    assert run.package.state == "proven", [frame.fault for frame in run.frames]
    return [frame.proof for frame in run.frames]


def test_a_package_with_copied_parts_is_the_unpacked_one_bit_for_bit(packed, counted):
    before = packed(**CAME)
    assert not any("copied" in each for each in proofs(before)), "nothing was counted yet"
    counted()
    run = packed(**CAME)
    for proof in proofs(run):
        assert list(proof["copied"]) == ["came"] and proof["equal"] == proof["channels"]
        assert len(proof["copied"]["came"]) == proof["channels"] - 1, "all but the normalised depth"
        assert proof["recomposed"]["depth_normalised"]["largest"] == 0
    assert same_bits(before.folder, run.folder)
    assert [row.proof.get("odd_values") for row in run.frames] == [
        row.proof.get("odd_values") for row in before.frames
    ]
    validate_manifest(run.folder)
    assert check_package(run.folder).is_proven
    path = os.path.join(run.folder, run.frames[0].file_name)
    with OpenEXR.File(path, header_only=True) as file:
        header = dict(file.parts[0].header)
        assert header["drawstring.shot"] == "TW010" and header["name"] == "came"
    source = oiio.ImageInput.open(path)
    assert [source.spec(i, 0).getattribute("name") for i in (0, 1)] == ["came", "depth_normalised"]
    source.close()
    report = open(make_report(run.folder)).read()
    assert "copied as they are packed" in report and "its packed bytes" in report
    # Everything is unpacked where that is asked for.
    plain = packed(**CAME, pack__copying="no")
    assert not any("copied" in each for each in proofs(plain)) and same_bits(plain.folder, run.folder)
    # A profile may ask for that: then nothing goes out as long as Pack says otherwise.
    profile = written(Profile(name="unpacked", copying=False))
    with pytest.raises(ConflictError, match="asks for pack.copying = no"):
        packed(**CAME, pack__copying="yes", pack__profile=profile)


@pytest.mark.parametrize(
    ("settings", "why"),
    [
        ({"pack__parts": "one part"}, "depth normalised made here"),
        ({"pack__compression": "piz"}, "it came packed with rle"),
        ({"pack__reach": "what is covered"}, "its window is trimmed to what is covered"),
        ({"pack__tiling": "tiles of 64"}, "it came in lines"),
        ({"pack__normal__goes": "no"}, "normal.X, normal.Y, normal.Z of it stay behind"),
        ({"pack__depth__stored": "half"}, "it goes out in other number types"),
        ({"pack__emission__layer": "aaa"}, "its channels get names of another order"),
        ({"pack__alpha": "straight"}, "beauty is changed on the way"),
        ({"pack__copying": "no"}, "Pack asks that everything is unpacked"),
        ({"framing__needed": "yes", "framing__whole__right": "3"}, "changed on the way"),
        ({"framing__needed": "yes", "framing__size": "160x90"}, "changed on the way"),
        (
            {"pack__profile": written(Profile(name="ranged", ranges={"occlusion": (-1, 2)}))},
            "the profile asks for ranges",
        ),
    ],
)
def test_what_is_touched_is_packed_anew_and_says_why(sessions, counted, settings, why, tmp_path):
    counted()
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW010")
        typed = {name.replace("__", "."): value for name, value in (CAME | settings).items()}
        recipes.set_values(session, shot, {"depth.near": "4", "depth.far": "90", **typed})
        for knot in ("depth", "framing"):
            recipes.settle(session, shot, knot)
        said = copying_of(shot, standing(session, shot))
        part = next(each for each in said if each.part in ("came", ""))
        assert not part.is_copied and why in part.why, part
        assert part.keeps == ("rle" if "piz" in str(settings) else "")
        run = plan_run(session, shot, output=str(tmp_path))
        answer = carry_out(plan_of(run), tasks_of(session, run)[0])
        assert answer.checksum and part.part not in answer.proof.get("copied", {}), answer.fault


def test_renamed_layers_of_the_same_order_are_copied_under_their_new_names(packed, counted):
    counted()
    run = packed(
        **CAME, pack__object_matte__goes="yes", pack__depth__names="A", depth__near="4", depth__far="90"
    )
    names = proofs(run)[0]["copied"]["came"]
    assert "depth.A" in names and "depth.Z" not in names
    facts = read_facts(os.path.join(run.folder, run.frames[0].file_name))
    assert [channel.name for channel in facts.parts[0].channels] == sorted(names)


def test_bytes_that_are_not_those_that_were_counted_are_unpacked_and_told(plan, counted, sessions):
    counted()
    number = plan(**CAME)
    with sessions.begin() as session:
        run = session.get_one(Run, number)
        task = tasks_of(session, run)[0]
        path = task.files[0].path
        kept, times = open(path, "rb").read(), os.stat(path)
        try:
            # One bit of a matte's pixels turned on the disk, its size and time as they were.
            data = bytearray(kept)
            data[len(data) // 2] ^= 4
            with open(path, "wb") as file:
                file.write(data)
            os.utime(path, ns=(times.st_atime_ns, times.st_mtime_ns))
            answer = carry_out(plan_of(run), task)
        finally:
            with open(path, "wb") as file:
                file.write(kept)
            os.utime(path, ns=(times.st_atime_ns, times.st_mtime_ns))
        said = " ".join(step["says"] for step in answer.log)
        assert "other bytes than when its frames were counted" in said
        assert "copied" not in answer.proof
        # Unpacking tells whether that is a torn frame or just other pixels; either is said, none is silent.
        assert answer.fault or answer.checksum


HIGH, WIDE = 70, 90


def several_parts(folder, *, tile=0, second=False) -> None:
    """Write frames as another renderer does: a part for each pass, packed differently, with overscan."""
    rng = np.random.default_rng(4)
    folder.mkdir()
    light = {name: np.float16(rng.random((HIGH, WIDE))) for name in "RGBA"}
    depth = {"Z": np.float32(2 + 40 * rng.random((HIGH, WIDE)))}
    matte = {"Y": np.float16(rng.random((HIGH, WIDE)) > 0.4)}
    for number in (1001, 1002):
        window = np.array([-5, -3], np.int32), np.array([WIDE - 6, HIGH - 4], np.int32)
        said = {
            "dataWindow": window,
            "displayWindow": (np.array([0, 0], np.int32), np.array([WIDE - 11, HIGH - 7], np.int32)),
            "type": OpenEXR.tiledimage if tile else OpenEXR.scanlineimage,
        }
        if tile:
            tiles = OpenEXR.TileDescription()
            tiles.xSize = tiles.ySize = tile
            said["tiles"] = tiles
        parts = [
            OpenEXR.Part({**said, "compression": OpenEXR.ZIP_COMPRESSION}, dict(light), "rgba"),
            OpenEXR.Part({**said, "compression": OpenEXR.ZIPS_COMPRESSION}, dict(depth), "depth"),
            OpenEXR.Part({**said, "compression": OpenEXR.PIZ_COMPRESSION}, dict(matte), "shadow"),
        ]
        if second:
            with OpenEXR.File([parts.pop()]) as file:
                file.write(str(folder / f"TW900_shadow_v001.{number}.exr"))
        with OpenEXR.File(parts) as file:
            file.write(str(folder / f"TW900_main_v001.{number}.exr"))


@pytest.mark.parametrize("how", ["lines", "tiles", "two files"])
def test_parts_of_another_renderer_go_over_one_by_one_whatever_packs_each(sessions, tmp_path, how):
    several_parts(tmp_path / "in", tile=64 if how == "tiles" else 0, second=how == "two files")
    folders = []
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW900")
        found = scan(str(tmp_path / "in"), roots=[str(tmp_path)]).candidates
        deliveries.accept(session, shot, found[0])
        count_facts_here(session, shot)
        names = [one.name for one in deliveries.passes_of(shot.delivery)]
        third = next(name for name in names if name not in ("beauty", "depth"))
        settings = {
            "pack.parts": "as it came", "pack.depth.compression": "zips", f"pack.{third}.compression": "piz",
            "pack.tiling": "tiles of 64" if how == "tiles" else "scan lines", "depth.near": "2",
            "depth.far": "50", "pack.constants": "cover.V = 1",
        }  # fmt: skip
        recipes.set_values(session, shot, settings)
        recipes.settle(session, shot, "depth")
        said = {each.part: each for each in copying_of(shot, standing(session, shot))}
        assert sum(each.is_copied for each in said.values()) == 3, said
        assert "made here" in said["depth_normalised"].why and "one value" in said["constants"].why
        for copying in ("yes", "no"):
            recipes.set_values(session, shot, {"pack.copying": copying})
            run = plan_run(session, shot, output=str(tmp_path / "out"))
            carry_out_here(session, run)
            folders.append(run.folder)
            for proof in proofs(run):
                assert len(proof.get("copied", {})) == (3 if copying == "yes" else 0)
                assert proof["equal"] == proof["channels"]
        recipes.set_values(session, shot, {"pack.copying": "yes", "pack.reach": "the frame"})
        windows = {each.why for each in copying_of(shot, standing(session, shot))}
        assert "it goes out with another data window" in windows
    for name in sorted(name for name in os.listdir(folders[0]) if name.endswith(".exr")):
        both = []
        for folder, version in zip(folders, ("v001", "v002"), strict=True):
            path = os.path.join(folder, name.replace("v001", version))
            with OpenEXR.File(path, separate_channels=True) as file:
                both.append(
                    {
                        (part.name(), channel): np.ascontiguousarray(one.pixels).tobytes()
                        for part in file.parts
                        for channel, one in part.channels.items()
                    }
                )
        assert both[0] == both[1] and len(both[0]) == 8


def test_either_view_goes_over_whole_under_its_own_names_and_says_which_it_is(sessions, sources, tmp_path):
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW040")
        found = scan(str(sources / "tidewrack" / "TW040"), roots=[str(sources)]).candidates[0]
        deliveries.accept(session, shot, found)
        count_facts_here(session, shot)
        recipes.set_values(
            session, shot, {"pack.parts": "as it came", "pack.compression": "rle", "arrivals.last": "1001"}
        )
        assert all(each.is_copied for each in copying_of(shot, standing(session, shot)))
        run = plan_run(session, shot, output=str(tmp_path))
        carry_out_here(session, run)
        (proof,) = proofs(run)
        assert len(proof["copied"]) == 2
    with OpenEXR.File(os.path.join(run.folder, run.frames[0].file_name), separate_channels=True) as file:
        views = [part.header.get("view") for part in file.parts]
        names = [sorted(part.channels) for part in file.parts]
        assert len(set(views)) == 2 and names[0] == names[1] and "R" in names[0], views
        assert file.parts[0].channels["R"].pixels.tobytes() != file.parts[1].channels["R"].pixels.tobytes()
