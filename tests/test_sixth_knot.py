"""A knot is a folder in each layer and one line: a made-up sixth one is built from its folders alone."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

from makers import environment_of

import drawstring

SOURCE = Path(drawstring.__file__).parent

FOLDERS = {
    "core/tide/__init__.py": '"""The tide."""\n',
    "core/tide/settings.py": """
from typing import ClassVar
from drawstring.core.settings import KnotSettings, setting

class TideSettings(KnotSettings):
    knot: ClassVar[str] = "tide"
    level: float = setting(0.0, "How high it stands.", unit="m", ge=0, le=9)
""",
    "core/tide/cord.py": """
TITLE = "Tide"

def says(recipe, facts):
    return f"{recipe.knot('tide').level:g} m high"
""",
    "core/tide/home.py": """
import numpy as np
from drawstring.core.chain import PICTURE, Stage, value
from drawstring.core.recipe.pulls import apart
from drawstring.core.recipe.result import RGBA, Result

class Wetted:
    stage, knot, only_reads = Stage.ASSEMBLED, "tide", False

    def is_on(self, chain):
        tide = chain.subject.recipe.knot("tide")
        return tide.needed and tide.level > 0

    def gives(self, chain, name):
        return name == PICTURE

    def after(self, chain, name):
        tide = chain.subject.recipe.knot("tide")
        wet = np.float32([1 - tide.level / 10, 1 - tide.level / 10, 1, 1])
        return value("wet", lambda at, picture: picture * wet, chain.before(self.stage, name), of=tide)

    def carry(self, chain, planes, how):
        return planes

STEPS = (Wetted(),)
RESULTS = (
    Result("beauty_wet", "tide", RGBA, Stage.ASSEMBLED, lambda passes, recipe: recipe.knot("tide").level > 0,
           lambda chain: apart(chain.after(Stage.ASSEMBLED, PICTURE)), is_light=True, is_extra=True),
)
""",
    "store/tide/__init__.py": "",
    "store/tide/home.py": """
from drawstring.core.findings import Finding, Severity

def findings(facts):
    level, where = facts.recipe.knot("tide").level, f"{facts.shot.code}, tide"
    words = "The yard stands under water.", where, "Buoys float away.", "Wait for the ebb."
    return [Finding("tide-high", Severity.WARNS, *words)] if level > 5 else []
""",
    "web/tide/__init__.py": "",
    "web/tide/home.py": """
from flask import Blueprint
from drawstring.web.bench.changing import set_settings, typed_at

bp = Blueprint("tide", __name__)
BLUEPRINTS = (bp,)

@bp.post("/shots/<int:shot_id>/tide")
def set_values(shot_id):
    return set_settings(shot_id, "tide", typed_at("tide"))

def words(session, shot, how, frames):
    return {"high_water": "06:12"}
""",
    "web/templates/tide/_panel.html": """
<h2>Tide</h2><p>High water {{ high_water }}</p>{% include "bench/_settle.html" %}
""",
    "web/templates/tide/_tools.html": "<div>Barometer</div>",
}

LOOK = r"""
import html
import json
import re
import numpy as np
from drawstring.installation import read_installation
from drawstring.store import tokens
from drawstring.store.database import connect, unit_of_work
from drawstring.web.app import create_app
from sqlalchemy.orm import sessionmaker

installation = read_installation()
with unit_of_work(sessionmaker(connect(installation.database))) as session:
    secret = tokens.make_token(session, "tide")
client = create_app(installation).test_client()
told = {"board": client.get("/shows/Tidewrack").text}
shot = "/shots/" + re.search(r"/shots/([0-9]+)", told["board"])[1]
told["bench"] = client.get(f"{shot}/tide").text
told["made"] = client.get(f"{shot}/made").text
token = html.unescape(re.search(r'"X-CSRFToken": "([^"]+)"', html.unescape(told["board"]))[1])
told["changed"] = client.post(f"{shot}/tide", data={"tide.level": "7"}, headers={"X-CSRFToken": token}).text
headers = {"Authorization": f"Bearer {secret}"}
told["api"] = client.get("/api/v1/shows/Tidewrack/shots/TW010", headers=headers).json
told["means"] = {}
for name in ("beauty", "beauty_wet", "picture"):
    answer = client.get(f"{shot}/frames/1012/pixels/{name}")
    assert answer.status_code == 200, answer.text
    planes = np.frombuffer(answer.data, np.float16).astype(float).reshape(-1, 4)
    told["means"][name] = planes.mean(axis=0).tolist()
print(json.dumps(told))
"""


def test_a_sixth_knot_is_found_on_cord_bench_shell_and_api(database_url, sources, tmp_path):
    code = tmp_path / "src" / "drawstring"
    shutil.copytree(SOURCE, code, ignore=shutil.ignore_patterns("__pycache__"))
    for name, text in FOLDERS.items():
        path = code / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    line = code / "core" / "knots.py"
    line.write_text(line.read_text().replace('    "alpha",\n', '    "alpha",\n    "tide",\n'))
    installation = an_installation(tmp_path, sources, database_url)
    environment = environment_of(installation) | {"PYTHONPATH": str(tmp_path / "src")}

    def run(*words: str) -> str:
        done = subprocess.run(
            [sys.executable, *words],
            env=environment,
            cwd=tmp_path,
            capture_output=True,
            text=True,
            timeout=180,
        )
        assert done.returncode == 0, done.stderr
        return done.stdout

    shell = "-m", "drawstring.cli"
    run(*shell, "show", "make", "Tidewrack")
    run(*shell, "shot", "accept", "Tidewrack/TW010", "tidewrack/TW010")
    said = run(*shell, "set", "Tidewrack/TW010", "tide.level=2")
    assert "tide: 2 m high (settled)" in said
    told = json.loads(run("-c", LOOK).splitlines()[-1])
    assert ">Tide</span>" in told["board"] and "2 m high" in told["board"]
    assert "High water 06:12" in told["bench"] and "Barometer" in told["bench"]
    assert 'data-pass="beauty_wet"' in told["bench"] and "<strong>Assembled</strong>" in told["made"]
    knots = {knot["knot"]: knot for knot in told["api"]["cord"]}
    assert list(knots) == [
        "plan",
        "arrivals",
        "assembly",
        "scene",
        "depth",
        "alpha",
        "tide",
        "eyes",
        "framing",
        "pack",
    ]
    assert knots["tide"]["says"] == "7 m high" and "under water" in json.dumps(told["api"])
    plain, wet, picture = (told["means"][name] for name in ("beauty", "beauty_wet", "picture"))
    assert abs(wet[0] / plain[0] - 0.3) < 0.01 and wet[2] == plain[2] and picture == wet
    # The line taken away, nothing of it is left, and what it settled is refused in words, not lost.
    line.write_text(line.read_text().replace('    "tide",\n', ""))
    refused = subprocess.run(
        [sys.executable, *shell, "set", "Tidewrack/TW010", "tide.level=3"], env=environment, cwd=tmp_path,
        capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert refused.returncode != 0 and "Traceback" not in refused.stderr, refused.stderr


def an_installation(place: Path, sources: Path, database_url: str):
    from drawstring.installation import Installation
    from drawstring.local_postgres import free_port

    return Installation(
        var=str(place / "var"),
        roots=str(sources),
        output=str(place / "packages"),
        handoff=str(place / "out"),
        port=free_port(),
        inbox_port=free_port(),
        feed_port=free_port(),
        database_url=database_url,
        workers=1,
    )
