"""Every form that a package can take, carried out on rendered frames and looked at with other readers."""

import io
import json
import os
import shutil
import subprocess
import zipfile
from concurrent.futures import ThreadPoolExecutor
from xml.etree import ElementTree

import av
import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import PyOpenColorIO as ocio
import pytest
from makers import FRAMES, HEIGHT, WIDTH, carry_out_here
from PIL import Image, ImageCms

from drawstring.core.arrivals import scan
from drawstring.core.camera import moment_of
from drawstring.core.chain import Work
from drawstring.core.errors import ConflictError, MissingError, OutputError
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.pack.profile import SHIPPED, Profile, read_profile, written
from drawstring.core.pack.profile_checks import is_turned
from drawstring.core.recipe import compute, plan_outputs
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import copy_package, make_report, make_review, zip_of
from drawstring.runs.handoff.report import render_report
from drawstring.runs.planning import plan_of, plan_run
from drawstring.runs.proof import checksum
from drawstring.runs.recomposing import recompose
from drawstring.store import deliveries, ledger, profiles, recipes, shows
from drawstring.store.models import Run
from drawstring.store.standing import standing


@pytest.fixture
def source_planes(report):
    """Read the source's channels of a frame."""

    def planes(number: int) -> dict[str, np.ndarray]:
        return parts_of(next(one.path for one in report.frames if one.number == number))[""]

    return planes


def parts_of(path: str) -> dict[str, dict[str, np.ndarray]]:
    """Read all parts with the library's own binding, none of our code between."""
    with OpenEXR.File(path, separate_channels=True) as file:
        return {
            part.name() if len(file.parts) > 1 else "": {n: c.pixels for n, c in part.channels.items()}
            for part in file.parts
        }


def header_of(path: str, part: int = 0) -> dict:
    with OpenEXR.File(path, header_only=True) as file:
        return dict(file.parts[part].header)


def first_file(run: Run) -> str:
    return os.path.join(run.folder, run.frames[0].file_name)


def test_a_part_for_each_pass_with_its_own_compression_and_window(packed, source_planes):
    run = packed(
        pack__parts="a part for each pass", pack__compression="dwaa", pack__reach="what is covered",
        pack__object_matte__compression="zip", pack__position__compression="zips",
        pack__depth__compression="piz", pack__tiling="tiles of 64", pack__line_order="bottom line first",
    )  # fmt: skip
    assert run.package.state == "proven", [frame.fault for frame in run.frames]
    parts = parts_of(first_file(run))
    assert list(parts)[:3] == ["beauty", "object_matte", "depth"]
    with OpenEXR.File(first_file(run), header_only=True) as file:
        kinds = {part.name(): part.header["compression"].name for part in file.parts}
        assert all("tiles" in part.header for part in file.parts)
        assert {part.header["lineOrder"] for part in file.parts} == {OpenEXR.DECREASING_Y}
    assert (kinds["beauty"], kinds["object_matte"], kinds["depth"]) == (
        "DWAA_COMPRESSION", "ZIP_COMPRESSION", "PIZ_COMPRESSION",
    )  # fmt: skip
    whole = source_planes(run.frames[0].number)
    for place, part in enumerate(parts):
        window = header_of(first_file(run), place)["dataWindow"]
        (x0, y0), (x1, y1) = window
        for name, plane in parts[part].items():
            if name not in whole:
                continue
            meant = whole[name]
            outside = np.array(meant, np.float32)
            outside[y0 : y1 + 1, x0 : x1 + 1] = 0
            assert not np.nan_to_num(outside).any(), f"{name}: what was cut away was empty"
            if kinds[part] != "DWAA_COMPRESSION":
                np.testing.assert_array_equal(plane, meant[y0 : y1 + 1, x0 : x1 + 1])
    assert check_package(run.folder).is_proven


def test_a_file_for_each_pass_lies_in_its_folder_under_its_name(packed, source_planes):
    run = packed(pack__files="a file for each pass", pack__start_frame="1", pack__padding="5")
    number = run.frames[0].number
    assert run.frames[0].file_name == "beauty/TW010_beauty_v001.00001.exr"
    beside = {one["file"] for one in run.frames[0].proof["beside"]}
    assert "depth/TW010_depth_v001.00001.exr" in beside and len(beside) >= 14
    depth = parts_of(os.path.join(run.folder, "depth/TW010_depth_v001.00001.exr"))[""]
    np.testing.assert_array_equal(depth["Z"], source_planes(number)["depth.Z"])

    def file_of(name: str) -> str:
        return os.path.join(run.folder, f"{name}/TW010_{name}_v001.00001.exr")

    # Plain names in each; what hashed names say of themselves lies with them, and data says that it is data.
    assert set(parts_of(file_of("beauty"))[""]) == {"R", "G", "B", "A"}
    assert set(parts_of(file_of("diffuse_direct"))[""]) == {"R", "G", "B"}
    assert set(parts_of(file_of("occlusion"))[""]) == {"Y"}
    told = {name: header_of(file_of(name)) for name in ("beauty", "depth", "object_matte")}
    hashed = {name: [key for key in said if key.startswith("cryptomatte/")] for name, said in told.items()}
    assert not hashed["beauty"] and not hashed["depth"] and len(hashed["object_matte"]) >= 4
    assert told["beauty"]["colorInteropID"] == "lin_rec709_scene" and "chromaticities" in told["beauty"]
    assert told["depth"]["colorInteropID"] == "data" and "chromaticities" not in told["depth"]
    assert header_of(first_file(run))["drawstring.frame"] == number
    assert check_package(run.folder).is_proven
    os.truncate(os.path.join(run.folder, "depth/TW010_depth_v001.00003.exr"), 700)
    assert list(check_package(run.folder).faults) == ["depth/TW010_depth_v001.00003.exr"]


@pytest.mark.parametrize("first", ["depth", "cryptomatte", "beauty"])
def test_parts_of_data_may_come_before_those_of_colour(packed, tmp_path, first):
    """As some renderers order them. What a later part says of its colours has to be in the first one, too."""
    rng = np.random.default_rng(4)
    layers = {
        "beauty": {c: np.float16(rng.random((HEIGHT, WIDTH))) for c in "RGBA"},
        "depth": {"Z": np.float32(5 + 60 * rng.random((HEIGHT, WIDTH)))},
        "cryptomatte": {f"uCryptoObject00.{c}": np.float32(rng.random((HEIGHT, WIDTH))) for c in "rgba"},
    }
    (tmp_path / "TW010").mkdir()
    for number in (1010, 1011):
        ordered = sorted(layers, key=lambda name: name != first)
        with OpenEXR.File([OpenEXR.Part({}, dict(layers[name]), name) for name in ordered]) as file:
            file.write(str(tmp_path / "TW010" / f"TW010_main_v001.{number}.exr"))
    (came,) = scan(str(tmp_path / "TW010"), roots=[str(tmp_path)]).candidates
    for parts in ("a part for each pass", "as it came"):
        run = packed(of=came, pack__parts=parts)
        assert run.state == "done", [row.fault for row in run.frames]
        path = os.path.join(run.folder, run.frames[0].file_name)
        with OpenEXR.File(path, header_only=True) as file:
            headers = [dict(part.header) for part in file.parts]
        ids = [header["colorInteropID"] for header in headers]
        assert (ids[0] == "data") is (first != "beauty"), ids
        assert "data" in ids and len(set(ids)) == 2
        # The first has to; others of data keep it to themselves.
        told = ["chromaticities" in header for header in headers]
        assert told[0] and told[1:] == [it != "data" for it in ids[1:]]
        source = oiio.ImageInput.open(path)
        assert source.spec(0, 0).getattribute("name") == headers[0]["name"]
        source.close()


def test_names_words_order_and_constants_are_as_typed(packed, source_planes):
    run = packed(
        pack__style="capital words", pack__depth__layer="light.far", pack__depth__names="metres",
        pack__normal__names="- - up", pack__order="depth normal",
        pack__constants="cover.V = 1; z.V = 0.25 float",
    )  # fmt: skip
    channels = parts_of(first_file(run))[""]
    source = source_planes(run.frames[0].number)
    np.testing.assert_array_equal(channels["light.far.metres"], source["depth.Z"])
    np.testing.assert_array_equal(channels["Normal.up"], source["normal.Z"])
    assert not {"Normal.X", "Normal.Y", "depth.Z"} & set(channels) and "DiffuseDirect.R" in channels
    assert channels["cover.V"].dtype == np.float16 and (channels["cover.V"] == 1).all()
    assert channels["z.V"].dtype == np.float32 and (channels["z.V"] == 0.25).all()
    with open(os.path.join(run.folder, "manifest.json")) as file:
        names = [channel["name"] for channel in json.load(file)["channels"]]
    assert names[:2] == ["light.far.metres", "Normal.up"]


def test_straight_alpha_is_said_and_multiplies_back(packed, source_planes):
    run = packed(pack__alpha="straight")
    channels, source = parts_of(first_file(run))[""], source_planes(run.frames[0].number)
    alpha = source["A"].astype(np.float32)
    for name in "RGB":
        np.testing.assert_allclose(channels[name] * alpha, source[name], rtol=1e-3, atol=1e-6)
    header = header_of(first_file(run))
    assert header["drawstring.alpha"] == "straight" and header["colorInteropID"] == "lin_rec709_scene"
    assert len(header["chromaticities"]) == 8 and header["imageCounter"] == run.frames[0].number == 1010
    read = oiio.ImageInput.open(first_file(run))
    assert (
        read.spec().getattribute("smpte:TimeCode")[0] == 0x00004202 and header["drawstring.frameRate"] == 24
    )
    read.close()
    assert read_facts(first_file(run)).parts[0].metadata["timeCode"] == [0, 0, 42, 2]
    assert header["drawstring.sourceVersion"] == 1


def test_the_formats_own_tools_read_what_was_packed(packed, tmp_path):
    run = packed(pack__parts="a part for each pass", pack__compression="piz")
    said = subprocess.run(["exrheader", first_file(run)], capture_output=True, text=True, check=True).stdout
    assert said.count("piz") == 16 and said.count("drawstring.recipe") == 16, "said in every part"
    newer = packed(pack__compression="htj2k256")
    source = oiio.ImageInput.open(first_file(newer))
    assert source.spec().getattribute("compression") == "htj2k256"
    source.close()
    older = subprocess.run(["exrheader", first_file(newer)], capture_output=True, text=True)
    assert "htj2k" not in older.stdout, "Debian's OpenEXR is older than 3.4 and does not know it"


def test_a_profile_is_checked_before_obeyed_and_checked_after(plan, sessions, tmp_path):
    asked = Profile(
        name="to order", required=("beauty", "depth_normalised", "mist_amount"), refused=("shadow",),
        names={"depth": "Z_far"}, types={"depth": "half"}, compressions=("piz",),
        parts="a part for each pass",
        size=(WIDTH, HEIGHT), frame_rate=25, file_name="{shot}_to_order_v{version}.{frame}.exr",
    )  # fmt: skip
    with pytest.raises(ConflictError, match="asks for"):
        plan(pack__profile=written(asked))
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Other"), "X010")
        assert profiles.keep_profile(session, shot.show, asked).version == 1
        assert profiles.keep_profile(session, shot.show, asked).version == 1
        again = profiles.keep_profile(session, shot.show, asked.model_copy(update={"frame_rate": 24.0}))
        assert again.version == 2 and profiles.find_profile(shot.show, "to order").frame_rate == 24
        with pytest.raises(MissingError, match="There is no profile “nobody's”"):
            profiles.find_profile(shot.show, "nobody's")
        with pytest.raises(ConflictError, match="comes with the house"):
            profiles.drop_profile(session, shot.show, "compositing")


def test_what_a_profile_asks_is_set_at_a_press_and_proven_on_the_file(plan, sessions, tmp_path):
    asked = {
        "name": "to order", "names": {"depth": "Z_far"}, "types": {"shadow": "float"},
        "compressions": ["piz"],
        "parts": "a part for each pass", "refused": ["emission"], "required": ["beauty", "depth_normalised"],
    }  # fmt: skip
    number = plan()
    with sessions.begin() as session:
        shot = session.get_one(Run, number).shot
        ledger.cancel(session, session.get_one(Run, number))
        recipes.set_values(session, shot, {"pack.profile": json.dumps(asked)})
        how = standing(session, shot)
        told = [one for one in how.findings["pack"] if one.code == "profile-differs"]
        values = dict(pair for one in told for mend in one.mends for pair in mend.values)
        assert values == {
            "pack.parts": "passes", "pack.compression": "piz", "pack.depth.layer": "Z_far",
            "pack.shadow.stored": "float", "pack.emission.goes": "no",
        }  # fmt: skip
        recipes.set_values(session, shot, values)
        recipes.settle(session, shot, "depth")
        assert not [one for one in standing(session, shot).stops if one.code.startswith("profile")]
        run = plan_run(
            session,
            shot,
            output=os.path.dirname(os.path.dirname(os.path.dirname(session.get_one(Run, number).folder))),
        )
        carry_out_here(session, run)
        assert run.package.state == "proven", [frame.fault for frame in run.frames]
        parts = parts_of(first_file(run))
        assert parts["shadow"]["shadow.V"].dtype == np.float32 and "Z_far.Z" in parts["Z_far"]
        assert "emission" not in parts and header_of(first_file(run))["drawstring.profile"] == "to order v1"
        # A size that only the written file can tell of is refused on it, and nothing of the frame remains.
        recipes.set_values(session, shot, {"pack.profile": json.dumps({**asked, "largest_frame_mb": 0.01})})
        recipes.settle(session, shot, "depth")
        small = plan_run(session, shot, output=str(tmp_path))
        carry_out_here(session, small)
        assert "more than 0.01" in small.frames[0].fault["what"]
        assert not [name for name in os.listdir(small.folder) if name.endswith(".exr")]


def test_ranges_and_which_end_is_white_are_held_against_the_written_file(packed):
    def asked(**said: object) -> str:
        return written(Profile(name="to order", **said))

    run = packed(pack__profile=asked(ranges={"depth_normalised": (0, 1), "emission": (0, 1e5)}))
    values = parts_of(first_file(run))[""]["depth_normalised.V"]
    low, high, lost = run.frames[0].proof["ranges"]["depth_normalised.V"]
    assert (low, high, lost) == (values.min(), values.max(), 0) and 0 <= low < high <= 1
    # With pictures beside it: what fails leaves nothing of its frame, whole files included.
    run = packed(
        code="TW020", pack__profile=asked(ranges={"depth_normalised": (0, 0.5)}),
        pack__also="pictures of each pass",
    )  # fmt: skip
    fault = run.frames[0].fault["what"]
    assert f"depth_normalised.V reaches from {low:.6g} to {high:.6g}, beyond 0 to 0.5" in fault
    assert not [name for _, _, names in os.walk(run.folder) for name in names if "1010" in name]
    said = [step["says"] for step in run.frames[0].log]
    assert any("beside" in one for one in said) and said[-1] == fault


@pytest.mark.parametrize("white", ["near", "far"])
@pytest.mark.parametrize("falls", [True, False])
def test_white_is_found_at_whichever_end_it_is(white, falls):
    z = np.linspace(2, 80, 1200, dtype=np.float32).reshape(30, 40)
    ramp = (1 / z - 1 / 80) / (1 / 2 - 1 / 80)  # white is near
    z[0, :5] = np.inf
    one = Profile(name="x", depth_white=white)
    assert is_turned(one, ramp if falls else 1 - ramp, z) is ((white == "near") is not falls)
    assert not is_turned(Profile(name="x"), ramp, z) and not is_turned(one, np.ones_like(z), z)


@pytest.mark.parametrize("profile", SHIPPED, ids=lambda one: one.name)
def test_profiles_survive_being_written_and_read(profile):
    assert read_profile(written(profile)) == profile


@pytest.mark.parametrize(("ending", "top"), [("png", 65535), ("tiff", 65535), ("jpeg", 255)])
def test_pictures_of_each_pass_are_what_the_view_makes_of_it(packed, source_planes, ending, top):
    run = packed(
        pack__also="pictures of each pass; layers", pack__picture_file=ending, pack__picture_view="plain"
    )
    assert run.package.state == "proven", [frame.fault for frame in run.frames]
    frame = run.frames[0]
    source = source_planes(frame.number)
    end = "jpg" if ending == "jpeg" else ending

    def seen(name: str) -> np.ndarray:
        path = f"{run.folder}/{name}/TW010_v001_{name}.{frame.number}.{end}"
        levels = cv2.imread(path, cv2.IMREAD_UNCHANGED)
        seen = levels[..., [2, 1, 0, 3][: levels.shape[2]]] if levels.ndim == 3 else levels
        return seen.astype(np.float64) / top

    if ending != "png":
        with Image.open(f"{run.folder}/beauty/TW010_v001_beauty.{frame.number}.{end}") as picture:
            profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
        assert "sRGB" in ImageCms.getProfileDescription(profile)
    processor = ocio_view()
    for name in ("diffuse_direct", "beauty"):
        light = np.stack([source[f"{name}.{c}" if name != "beauty" else c] for c in "RGB"], -1)
        shown = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
        alpha = source["A"].reshape(-1, 1) if name == "beauty" else np.ones((len(shown), 1), np.float32)
        shown = shown / np.where(alpha > 0, alpha, 1)
        processor.applyRGB(shown)
        wanted = np.clip(shown, 0, 1).reshape(light.shape)
        got = seen(name)
        if ending == "png" and name == "beauty":
            np.testing.assert_allclose(got[..., 3], source["A"], atol=1 / top)
        elif name == "beauty":
            wanted = wanted * alpha.reshape(HEIGHT, WIDTH, 1)
        covered = alpha.reshape(HEIGHT, WIDTH) > 0
        apart = np.abs(got[..., :3] - wanted)[covered]
        most = apart.mean() * 255 / 2 if ending == "jpeg" else apart.max() * top / 2
        assert most < 1, name
    if ending != "jpeg":
        np.testing.assert_allclose(seen("occlusion"), np.clip(source["occlusion.V"], 0, 1), atol=0.51 / top)
        lifted = 0.5 + 0.5 * np.stack([source[f"normal.{c}"] for c in "XYZ"], -1).astype(np.float64)
        np.testing.assert_allclose(seen("normal"), np.clip(lifted, 0, 1), atol=0.51 / top)
    assert not os.path.exists(f"{run.folder}/position"), "places have no look of their own"
    with zipfile.ZipFile(f"{run.folder}/TW010_v001_layers.{frame.number}.ora") as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert archive.read("mimetype") == b"image/openraster"
        stack = ElementTree.fromstring(archive.read("stack.xml")).find("stack")
        layers = {one.get("name"): one for one in stack}
        assert layers["beauty"].get("visibility") == "visible" and len(layers) > 10
        png = cv2.imdecode(np.frombuffer(archive.read(layers["beauty"].get("src")), np.uint8), -1)
        assert png.shape == (HEIGHT, WIDTH, 4) and png.dtype == np.uint8
    assert check_package(run.folder).is_proven


def ocio_view():
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v2.2.0_aces-v1.3_ocio-v2.4")
    view = ocio.DisplayViewTransform(
        src="Linear Rec.709 (sRGB)", display="sRGB - Display", view="Un-tone-mapped"
    )
    return config.getProcessor(view).getDefaultCPUProcessor()


def test_the_movie_and_the_sheet_show_every_frame_and_say_what_is_missing(packed):
    run = packed(pack__also="review movie; contact sheet", pack__picture_view="plain")
    path = os.path.join(run.folder, "manifest.json")
    with open(path) as file:
        manifest = json.load(file)
    lost = manifest["frames"].pop(2)["number"]
    with open(path, "w") as file:
        json.dump(manifest, file)
    with ThreadPoolExecutor() as both:  # as engine and pages do
        (movie, sheet), also = both.map(make_review, [run.folder] * 2)
    assert make_review(run.folder) == also == [movie, sheet], "what is there is left as it is"
    with av.open(movie) as container:
        stream = container.streams.video[0]
        assert stream.codec_context.name in ("vp9", "libvpx-vp9") and stream.average_rate == 24
        context = stream.codec_context
        assert (context.colorspace, context.color_primaries, context.color_trc, context.color_range) == (
            1,
            1,
            1,
            1,
        )
        decoded = list(container.decode(stream))
        luma = decoded[0].to_ndarray(format="yuv420p")[:HEIGHT, :WIDTH].astype(float)
        frames = [one.to_ndarray(format="rgb24") for one in decoded]
    assert len(frames) == FRAMES and frames[0].shape == (HEIGHT, WIDTH, 3)
    # Luma is what BT.709 weighs display levels to, at 16 to 235; the strip with words is left out.
    with OpenEXR.File(
        os.path.join(run.folder, manifest["frames"][0]["file"]), separate_channels=True
    ) as file:
        light = np.stack([file.channels()[c].pixels.astype(np.float32) for c in "RGB"], axis=-1)
    shown = light.copy()
    ocio_view().applyRGB(shown)
    meant = 16 + 219 * np.clip(shown, 0, 1) @ np.array([0.2126, 0.7152, 0.0722])
    assert (
        np.abs(luma - meant)[: HEIGHT * 2 // 3].mean() < 2
        and abs((luma - meant)[: HEIGHT * 2 // 3].mean()) < 0.6
    )
    grey = [np.abs(one[: HEIGHT // 3].astype(int) - 96).mean() < 4 for one in frames]
    assert [place for place, is_grey in enumerate(grey) if is_grey] == [lost - run.frames[0].number]
    seen = cv2.imread(os.path.join(run.folder, "contact_sheet.png"))
    assert seen.shape[1] > 5 * WIDTH and {os.path.basename(sheet)} < set(os.listdir(run.folder))


def test_a_package_is_handed_on_whole_or_not_at_all(packed, tmp_path):
    run = packed(pack__files="a file for each pass")
    os.unlink(make_report(run.folder))
    with ThreadPoolExecutor() as both:
        report, also = both.map(make_report, [run.folder] * 2)
    assert report == also
    text = open(report, encoding="utf-8").read()
    assert "http" not in text.replace("http-equiv", "") and "<script" not in text
    assert text.count("data:image/png;base64,") >= 3 and "came back equal" in text
    for frame in run.frames:
        assert frame.checksum in text
    archive = zip_of(run.folder, "TW010_v001")
    whole = b"".join(archive.blocks)
    assert len(whole) == archive.size_bytes and archive.file_name == "TW010_v001.zip"
    (tmp_path / "a.zip").write_bytes(whole)
    with zipfile.ZipFile(tmp_path / "a.zip") as archive:
        assert archive.testzip() is None
        assert {"TW010_v001/manifest.json", "TW010_v001/report.html"} <= set(archive.namelist())
        archive.extractall(tmp_path / "out")
    assert check_package(str(tmp_path / "out" / "TW010_v001")).is_proven
    # A public tool checks the same files by the list that lies beside them.
    check = ["xxhsum", "--quiet", "-c", "checksums.xxh128"]
    assert not subprocess.run(check, cwd=run.folder, check=True, capture_output=True).stdout
    listed = open(os.path.join(run.folder, "checksums.xxh128"), encoding="utf-8").read()
    here = {
        os.path.relpath(os.path.join(place, one), run.folder)
        for place, _, names in os.walk(run.folder)
        for one in names
    }
    assert {line.split("  ", 1)[1] for line in listed.splitlines()} == here - {"checksums.xxh128"}
    target = str(tmp_path / "copy")
    assert copy_package(run.folder, target) > 0 and check_package(target).is_proven
    assert copy_package(run.folder, target) == 0, "what is there is left as it is"
    first = os.path.join(target, run.frames[0].file_name)
    os.chmod(first, 0o644)
    with open(first, "ab") as file:
        file.write(b"x")
    before = checksum(first)
    with pytest.raises(ConflictError, match="holds something else"):
        copy_package(run.folder, target)
    assert checksum(first) == before
    os.unlink(os.path.join(run.folder, run.frames[1].file_name))
    for way in (lambda: zip_of(run.folder, "x"), lambda: copy_package(run.folder, str(tmp_path / "other"))):
        with pytest.raises(MissingError, match=r"is gone from"):
            way()
    assert not (tmp_path / "other").exists()


def test_the_report_of_an_incomplete_package_names_what_is_missing(plan, sessions, tmp_path):
    with sessions.begin() as session:
        run = session.get_one(Run, plan())
        run.frames[1].file_name = run.frames[0].file_name  # taken: this frame can't get its name
        carry_out_here(session, run)
        with open(os.path.join(run.folder, "manifest.incomplete.json")) as file:
            manifest = json.load(file)
        text = render_report(run.folder, manifest, [])
    assert f"1 frames are missing: {run.frames[1].number}" in text and FRAMES > 2
    assert shutil.which("exrheader")


@pytest.fixture
def composed(plan, sources):
    """Plan the painted buoy with its shadow, its stack in single layers and its mattes as names."""
    found = scan(str(sources / "tidewrack" / "TW030"), roots=[str(sources)]).candidates[0]

    def make(**more: str) -> int:
        return plan(
            code="TW030", of=found,
            alpha__shadow__on="yes", alpha__shadow__source="two renders",
            alpha__mattes__add="buoy", alpha__as_names="yes", alpha__sends="both", **more,
        )  # fmt: skip

    return make


def shot_passes(session, run):
    return deliveries.passes_of(run.delivery)


def test_what_was_written_is_put_together_again_and_compared(composed, sessions):
    with sessions.begin() as session:
        run = session.get_one(Run, composed())
        ledger.cancel(session, run)
        shot = run.shot
        for typed in (
            {"alpha.mattes.1.names": "buoy*", "arrivals.last": "1002"},
            {"alpha.stack.add": "plate"},
            {"alpha.stack.add": "shadow_multiply"},
            {"alpha.stack.2.mode": "multiply", "alpha.stack.2.amount": "0.7"},
            {"alpha.stack.add": "beauty"},
            {"alpha.stack.3.matte": "buoy"},
        ):
            recipes.set_values(session, shot, typed)
        recipes.settle(session, shot, "alpha")
        recipes.settle(session, shot, "depth")
        again = plan_run(session, shot, output=os.path.dirname(os.path.dirname(os.path.dirname(run.folder))))
        carry_out_here(session, again)
        assert again.package.state == "proven", [frame.fault for frame in again.frames]
        told = again.frames[0].proof["recomposed"]
        # Every result that goes out follows from what was written with it.
        assert {"shadow", "stack", "mattes", "depth_normalised", "matte_buoy"} <= set(told)
        made = plan_outputs(shot_passes(session, again), plan_of(again).recipe, settled_only=True).results
        assert {name for name in made if not name.startswith(("Crypto", "stack", "layer", "shadow"))} <= set(
            told
        )
        assert all(0 <= one["mean"] <= one["largest"] < 0.02 for one in told.values()), told
        recipes.set_values(session, shot, {"pack.files": "a file for each pass"})
        apart = plan_run(session, shot, output=os.path.dirname(os.path.dirname(os.path.dirname(run.folder))))
        carry_out_here(session, apart)
        assert apart.frames[0].proof["recomposed"] == told, "from however many files"
        # Another frame's file in this one's place is found out, channel names and all being right.
        whole, number = plan_of(again), again.frames[0].number
        files = deliveries.files_of(session, again.delivery, number)
        outputs = plan_outputs(whole.passes, whole.recipe, settled_only=True)
        pixels = read_frame(files, outputs.inputs, window=whole.window)
        at = moment_of(files, frame=number, window=whole.window, scene_unit="m")
        stowed = compute(outputs, pixels, at)
        read = parts_of(os.path.join(again.folder, again.frames[-1].file_name))[""]
        other = {("", "", name): plane for name, plane in read.items()}
        with pytest.raises(OutputError, match="put together, are .* off the"):
            recompose(stowed, other, Work(pixels, at), outputs.chains)
        said = make_report(again.folder)
    text = open(said, encoding="utf-8").read()
    assert "Stack: put together again from the written files, within" in text
