"""Arrivals in a shell: named, accepted, corrected, remembered, gone back from; JSON and exit codes."""

import json

import pytest
from click.testing import CliRunner
from makers import environment_of

from drawstring.cli import main
from drawstring.standins.tidewrack import make_faults


@pytest.fixture(scope="session")
def sources(tmp_path_factory):
    """The folder of faults in place of the demo show. Not to be changed."""
    root = tmp_path_factory.mktemp("faulty")
    make_faults(str(root / "faults"), width=96, height=54)
    return root


@pytest.fixture
def shell(installation, monkeypatch):
    """Run a command in this process; give exit code and JSON, or text."""
    for name, value in environment_of(installation).items():
        monkeypatch.setenv(name, value)

    def run(*words: str, stdin: str = ""):
        monkeypatch.setattr("sys.argv", ["drawstring", *words])
        done = CliRunner().invoke(main, list(words), input=stdin)
        assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
        return done.exit_code, json.loads(done.stdout) if "--json" in words else done.stdout

    return run


def test_a_delivery_is_named_accepted_corrected_and_gone_back_from(shell, tmp_path):
    assert shell("show", "make", "Tidewrack")[0] == 0
    code, found = shell("scan", "faults", "--show", "Tidewrack", "--json")
    shots = {one["shot"]: one for one in found["shots"]}
    assert code == 0 and list(shots) == [f"TW{n:03d}" for n in (40, 50, 80, 110, 120, 130, 140, 150, 160)]
    assert shots["TW120"]["views"] == ["left", "right"] and len(shots["TW110"]["left_out"]) == 2
    assert all(set(one) >= {"code", "severity", "where", "why", "remedy"} for one in found["findings"])
    words = shell("scan", "faults/TW160")[1]
    assert "shot TW160 v003: 5 passes from TW160_main_v003.####.exr" in words and "rust_streaks" in words

    pattern = "{shot}/{version}/{shot}_{view}_{version}.{frame}"
    assert shell("patterns", "Tidewrack", pattern, "--json") == (0, {"patterns": [pattern], "words": {}})
    code, refused = shell("patterns", "Tidewrack", "{shot}_{fur}", "--json")
    assert code == 3 and "Fields are shot" in refused["errors"][0]["remedy"]

    code, shot = shell("shot", "accept", "Tidewrack/TW160", "faults/TW160", "--json")
    assert code == 0 and (shot["frames"], len(shot["passes"])) == (10, 5)
    code, refused = shell("shot", "accept", "Tidewrack/TW160", "faults", "--version", "9", "--json")
    assert code == 6 and "TW160 v003" in refused["errors"][0]["remedy"]
    shell("shot", "accept", "TW160", "faults/TW140", "--json")
    code, listed = shell("shot", "deliveries", "TW160", "--json")
    first, second = listed["deliveries"]
    assert (first["in_use"], second["in_use"]) == (False, True) and second["differences"]
    assert "*" in shell("shot", "deliveries", "TW160")[1]
    assert shell("shot", "use", "TW160", str(first["delivery"]))[0] == 0
    assert shell("shot", "deliveries", "TW160", "--json")[1]["deliveries"][0]["in_use"]
    assert shell("shot", "use", "TW160", "999", "--json")[0] == 5

    code, shot = shell(
        "pass",
        "role",
        "TW160",
        "rust_streaks",
        "specular",
        "--remember",
        "word",
        "--text",
        "streaks",
        "--json",
    )
    assert code == 0 and "specular" in shot["passes"]
    assert shell("pass", "role", "TW160", "specular", "fur", "--json")[0] == 3
    exported = json.loads(shell("dictionary", "export", "Tidewrack")[1])
    assert exported == {"entries": [{"kind": "word", "text": "streaks", "role": "specular"}]}
    exported["entries"].append({"kind": "whole name", "text": "zz7", "role": "mist"})
    file = tmp_path / "d.json"
    file.write_text(json.dumps(exported))
    code, told = shell("dictionary", "import", "Tidewrack", str(file), "--preview", "--json")
    assert code == 0 and [one["layer"] for one in told["changes"]] == ["zz7"]
    assert "depth" in shell("shot", "info", "TW160", "--json")[1]["passes"], "a preview changes nothing"
    assert shell("dictionary", "import", "Tidewrack", str(file))[0] == 0
    assert "mist" in shell("shot", "info", "TW160", "--json")[1]["passes"]
    file.write_text("{")
    assert shell("dictionary", "import", "Tidewrack", str(file), "--json")[0] == 3


def test_findings_are_listed_and_put_away_with_a_reason(shell):
    shell("show", "make", "Tidewrack")
    shell("shot", "accept", "Tidewrack/TW110", "faults/TW110")
    code, told = shell("findings", "TW110", "--json")
    assert code == 0 and {"frame-missing", "frame-unreadable"} <= {one["code"] for one in told["findings"]}
    fact = next(one["fact"] for one in told["findings"] if one["code"] == "frame-missing")
    assert fact in shell("findings", "TW110")[1]
    code, refused = shell("findings", "TW110", "--dismiss", fact, "--json")
    assert code == 3 and "with a reason" in refused["errors"][0]["what"]
    code, told = shell("findings", "TW110", "--dismiss", fact, "--reason", "cut", "--json")
    assert code == 0 and told["dismissed"][0]["reason"] == "cut"
    assert fact not in {one["fact"] for one in told["findings"]}
    code, shot = shell("set", "TW110", "arrivals.first=990", "arrivals.spaces.beauty=ACEScg", "--json")
    assert code == 0 and shot["recipe"]["arrivals"]["spaces"] == {"beauty": "ACEScg"}
    short = [
        one for one in shell("findings", "TW110", "--json")[1]["findings"] if one["code"] == "range-short"
    ]
    assert len(short) == 1 and "frames 990 to 1000" in short[0]["what"]


def test_a_show_is_owed_ordered_rendered_repaired_and_looked_through_from_a_shell(shell, tmp_path):
    """What a night needs, without a page: list, plan, order, renderer, what is missing, repair."""
    assert shell("show", "make", "Tidewrack")[0] == 0
    listed = tmp_path / "list.csv"
    listed.write_text("shot,view,frames,size,passes\nTW040,,1001-1003,96x54,depth\nTW080,,1001-1002,96x54,\n")
    code, said = shell("owed", "take", "Tidewrack", str(listed))
    assert code == 0 and "2 pieces are on the list; 2 shots are new" in said
    code, owed = shell("owed", "list", "Tidewrack", "--json")
    assert [(one["piece"], one["standing"]) for one in owed["pieces"]] == [
        ("TW040", "missing"),
        ("TW080", "missing"),
    ]
    listed.write_text("TW040\nTW040\n")
    assert shell("owed", "take", "Tidewrack", str(listed))[0] == 3
    assert shell("owed", "take", "Tidewrack", str(tmp_path / "gone.csv"))[0] == 2

    code, _ = shell(
        "set", "Tidewrack/TW040", "plan.needed=yes", "plan.overscan=10 %", "plan.samples.picture=1"
    )
    assert code == 0
    code, made = shell("order", "make", "Tidewrack", "TW040", "--says", "first look", "--json")
    assert code == 0 and (made["number"], made["files"], made["shots"]) == (1, 3, ["TW040"])
    assert shell("order", "make", "Tidewrack", "TW999", "--json")[0] == 5
    assert shell("order", "make", "Tidewrack", "--json")[0] == 3
    code, document = shell("order", "show", "Tidewrack", "1")
    asked = json.loads(document)["shots"][0]["renders"][0]
    assert (
        code == 0
        and asked["window"] == [-5, -3, 100, 56]
        and asked["film_factor"][0] == pytest.approx(106 / 96)
    )
    assert "focal_mm" not in asked, "what nobody has told is left to the scene's camera"
    assert shell("order", "show", "Tidewrack", "1", "--csv")[1].startswith("shot,render,view")
    into = tmp_path / "renders"
    assert shell("renderer", "obey", "-", "--into", str(into), stdin=document)[0] == 0
    files = sorted(path.name for path in into.rglob("*.exr"))
    assert files == [f"TW040_main_v001.{number}.exr" for number in (1001, 1002, 1003)]
    assert shell("renderer", "obey", "-", "--into", str(into), stdin="{}")[0] == 3

    code, said = shell("order", "again", "Tidewrack/TW040", "main", "1002-1003")
    assert code == 0 and "2 frames" in said
    assert shell("order", "again", "Tidewrack/TW040", "nobody", "1002")[0] == 3
    assert "waits: TW040 main, 2 frames" in shell("order", "list", "Tidewrack")[1]
    code, said = shell("order", "repair", "Tidewrack")
    assert code == 0 and "Repair order 2: TW040 main 1002-1003" in said
    assert shell("order", "repair", "Tidewrack", "--json")[0] == 3
    shell("set", "Tidewrack/TW040", "plan.last=1005")
    shell("order", "make", "Tidewrack", "TW040")
    assert "1001-1003 → 1001-1005" in shell("order", "show", "Tidewrack", "3", "--changes")[1]
    assert shell("order", "show", "Tidewrack", "9")[0] == 5
