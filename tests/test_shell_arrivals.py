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
