"""The shell: the same services as the pages, the JSON that is promised, exit codes that mean something."""

import json
import os
import subprocess
import sys

import OpenEXR
import pytest
from click.testing import CliRunner
from makers import FRAMES, environment_of

from drawstring.cli import EXIT_CODES, main


@pytest.fixture
def shell(installation):
    """Run a command as a user would; give exit code, JSON or text, and what went to the error channel."""

    def run(*words: str):
        done = subprocess.run(
            [sys.executable, "-m", "drawstring.cli", *words],
            env=environment_of(installation), capture_output=True, text=True, timeout=120,
        )  # fmt: skip
        data = json.loads(done.stdout) if "--json" in words and done.stdout else done.stdout
        return done.returncode, data, done.stderr

    return run


@pytest.fixture
def quick_shell(installation, monkeypatch):
    """Run a command in this process: the same way in, without starting Python for each."""

    def run(*words: str):
        monkeypatch.setattr(sys, "argv", ["drawstring", *words])
        done = CliRunner(env=environment_of(installation)).invoke(main, words)
        assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
        data = json.loads(done.stdout) if "--json" in words and done.stdout else done.stdout
        return done.exit_code, data, done.stderr

    return run


def test_from_scan_to_proof_in_a_shell(shell, quick_shell, installation, sources):
    started, shell = shell, quick_shell
    code, found, _ = started("scan", "tidewrack", "--json")
    assert code == 0 and [s["pattern"] for s in found["sequences"]] == [
        "TW010_main_v001.####.exr", "TW020_main_v001.####.exr", "TW030_ground_v001.####.exr",
        "TW030_main_v001.####.exr", "TW030_plate_v001.####.exr", "TW040_left_v001.####.exr",
        "TW040_right_v001.####.exr", "TW050_left_v001.####.exr", "TW050_right_v001.####.exr",
        "TW060_main_v001.####.exr", "TW060_plate_v001.####.exr",
        *(f"TW070_cam{number}_v001.####.exr" for number in range(1, 5)), "TW080_main_v001.####.exr",
        "TW100_main_v001.####.exr",
    ]  # fmt: skip
    one = found["sequences"][0]
    promised = {"pattern", "first", "last", "missing", "unreadable", "width", "height", "data_window",
                "display_window", "passes"}  # fmt: skip
    assert promised <= set(one) and (one["first"], one["last"], one["width"]) == (1010, 1015, 192)
    assert one["data_window"] == one["display_window"] == [0, 0, 191, 107]
    asked = {"name", "role", "confidence", "reason", "view", "channels"}
    assert all(asked <= set(each) for each in one["passes"])

    assert shell("show", "make", "Tidewrack")[0] == 0
    code, shot, _ = shell("shot", "accept", "Tidewrack/TW010", "tidewrack/TW010", "--json")
    assert code == 0 and shot["frames"] == FRAMES
    code, measured, _ = started("measure", "TW010", "--take", "--json")
    assert code == 0 and measured["nearest"] < measured["percentiles"]["50"] < measured["furthest"]
    code, shot, _ = shell("set", "TW010", "depth.near=480 cm", "depth.mapping=reciprocal", "--json")
    assert code == 0 and shot["recipe"]["depth"]["near"] == 4.8
    assert {k["knot"]: k["state"] for k in shot["cord"]}["depth"] == "settled"
    code, _, _ = shell("undo", "TW010")
    assert shell("shot", "info", "TW010", "--json")[1]["recipe"]["depth"]["settled_on"] == "" and code == 0
    shell("settle", "TW010", "depth")
    pull = [
        "depth.focus.on=yes",
        "depth.focus.stop=0.1",
        "depth.focus.distance@1011=5",
        "depth.mist.add=haze",
    ]
    assert shell("set", "TW010", *pull, "depth.mist.add=haze", "depth.mist.1.start=6")[0] == 0
    code, shot, _ = shell("set", "TW010", "--frame", "1014", "depth.focus.distance=30 ft", "--json")
    keys = shot["recipe"]["depth"]["focus"]["keys"]["distance"]["keys"]
    assert [(key["frame"], key["value"]) for key in keys] == [(1011, [5]), (1014, [9.144])]
    code, ran, _ = started("run", "TW010", "--json")
    (run,) = ran["runs"]
    assert code == 0 and (run["state"], run["package"], run["proven"]) == ("done", "proven", FRAMES)
    assert run["folder"].startswith(installation.output)
    code, proof, _ = shell("prove", run["folder"], "--json")
    assert code == 0 and proof["proven"] and proof["checked"] == FRAMES
    assert shell("prove", str(run["package_id"]), "--json")[1]["proven"]
    with OpenEXR.File(os.path.join(run["folder"], "TW010_v001.1014.exr"), separate_channels=True) as file:
        said = dict(file.header())
        assert {"beauty_focus.R", "beauty_mist.A", "mist_amount.V", "blur_radius.V"} <= set(file.channels())
    assert said["drawstring.focus.distance"] == pytest.approx(9.144)
    assert said["drawstring.mist"].startswith("haze: linear from 6, over")
    os.unlink(os.path.join(run["folder"], "TW010_v001.1012.exr"))
    code, proof, _ = started("prove", run["folder"], "--json")
    assert code == 1 and proof["faults"] == {"TW010_v001.1012.exr": "is not there"}
    assert "TW010" in shell("shot", "list", "Tidewrack")[1]


@pytest.mark.parametrize(
    ("words", "kind", "said"),
    [
        (["set", "TW010", "depth.near=two"], "SettingError", "is not a length"),
        (["scan", "/etc"], "SourceError", "does not lie below an allowed folder"),
        (["shot", "info", "TW999"], "MissingError", "There is no shot TW999"),
        (["show", "make", "Tidewrack"], "ConflictError", "There is a show Tidewrack already"),
        (["run", "TW010"], "MissingError", "Nothing was accepted for TW010"),
        (["prove", "/nowhere"], "MissingError", "holds no manifest"),
    ],
)
def test_refusals_have_words_on_both_channels_and_their_own_exit_code(
    shell, quick_shell, database, words, kind, said
):
    from sqlalchemy.orm import sessionmaker

    from drawstring.store import shows

    with sessionmaker(database).begin() as session:
        shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW010")
    # A started one and one in this process answer alike; starting takes seconds.
    code, data, errors = (shell if words[0] == "set" else quick_shell)(*words, "--json")
    assert code == EXIT_CODES[kind]
    assert said in data["errors"][0]["what"] and said in errors


def test_a_database_that_is_away_and_a_wrong_call_are_told_apart(shell, installation):
    assert shell("set", "TW010", "depth.near")[0] == 2
    broken = environment_of(installation) | {
        "DRAWSTRING_DATABASE_URL": "postgresql+psycopg://nobody:x@127.0.0.1:1/none"
    }
    done = subprocess.run(
        [sys.executable, "-m", "drawstring.cli", "show", "list"], env=broken, capture_output=True, text=True
    )
    assert done.returncode == 8 and "can't be reached" in done.stderr
    done = subprocess.run(
        [sys.executable, "-m", "drawstring.cli", "show", "list"],
        env=broken | {"DRAWSTRING_HOST": "0.0.0.0"}, capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 3 and "which others can reach" in done.stderr


def test_a_show_is_driven_by_files_and_handed_on_in_a_shell(quick_shell, tmp_path):
    shell = quick_shell
    shell("show", "make", "Tidewrack")
    for code in ("TW010", "TW020"):
        assert shell("shot", "accept", f"Tidewrack/{code}", f"tidewrack/{code}")[0] == 0
    settings = tmp_path / "settings.json"
    settings.write_text(
        json.dumps({"depth.near": "4.8", "depth.far": "90", "pack.files": "a file for each pass"})
    )
    assert shell("recipe", "apply", str(settings), "TW010")[0] == 0
    code, told, _ = shell("recipe", "copy", "TW010", "TW020", "--knot", "pack", "--preview", "--json")
    assert code == 0 and not told["written"]
    assert told["outcomes"][0]["differences"] == [{"name": "pack.files", "before": "one", "after": "passes"}]
    profile = tmp_path / "profile.json"
    profile.write_text(json.dumps({"name": "to order", "padding": 6, "required": ["beauty"]}))
    assert "v1" in shell("profile", "keep", "Tidewrack", str(profile))[1]
    assert json.loads(shell("profile", "export", "Tidewrack", "to order")[1])["padding"] == 6
    assert shell("set", "TW010", "pack.profile=to order")[0] == 0
    code, said, errors = shell("run", "TW010", "--json")
    assert code == 6 and "asks for pack.padding = 6" in said["errors"][0]["what"]
    assert shell("recipe", "set", "pack.padding=6", "--shot", "TW010", "--shot", "TW020")[0] == 0
    code, found, _ = shell("estimate", "TW010", "--frames", "1", "--json")
    assert code == 0 and found["frames"] == FRAMES and found["equal"] == found["channels"]
    whole = json.loads(shell("recipe", "export", "TW010")[1])
    assert whole["pack"]["profile"]["name"] == "to order" and whole["depth"]["near"] == 4.8
    code, ran, _ = shell("run", "TW010", "--json")
    package = str(ran["runs"][0]["package_id"])
    assert code == 0 and shell("runs", "list", "Tidewrack", "--json")[1]["runs"][0]["state"] == "done"
    assert shell("runs", "change", "pause", str(ran["runs"][0]["run"]))[0] == 6
    code, copied, _ = shell("hand-off", "copy", package, str(tmp_path / "client"), "--json")
    assert code == 0 and shell("prove", copied["folder"])[0] == 0
    assert os.path.exists(os.path.join(copied["folder"], "beauty", "TW010_beauty_v001.001010.exr"))
    file = str(tmp_path / "package.zip")
    assert shell("hand-off", "zip", package, file)[0] == 0 and shell("hand-off", "zip", package, file)[0] == 3
    assert os.path.exists(shell("hand-off", "report", package)[1].strip())
    secret = shell("token", "make", "night shift")[1].strip()
    assert len(secret) > 30 and shell("token", "make", "night shift")[0] == 6
    assert secret not in json.dumps(shell("token", "list", "--json")[1])
    assert shell("token", "drop", "night shift")[0] == 0 and shell("token", "drop", "night shift")[0] == 5
    (tmp_path / "odd.json").write_text("not json")
    code, _, errors = shell("recipe", "apply", str(tmp_path / "odd.json"), "TW010")
    assert code == 3 and "is no JSON" in errors
