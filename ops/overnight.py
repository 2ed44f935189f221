"""A night of a whole show, driven through the JSON interface: a hundred shots, three of them spoiled.

Run against a started house (`make start`): `.venv/bin/python ops/overnight.py`. It makes a show of its own
from the demo show's deliveries and recipes, spoils three shots in three ways, runs all at one press, waits,
sends what was proven to the made-up client, and writes what came of it beside the house's logs. It ends
with 0 when all shots but the spoiled ones went through, and those say why they did not.
"""

from __future__ import annotations

import argparse
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import httpx

from drawstring.installation import read_installation

Ask = Callable[..., dict[str, Any]]
"""Asks the interface: method, path, body; gives its answer, refusals too."""

UNDER_WAY = ("waiting", "running", "sending")
UNMET = '{"form": 1, "name": "more than there is", "required": ["motion_of_water"]}'


@dataclass
class Night:
    """What came of a night."""

    frames: int = 0
    seconds: float = 0.0
    bytes: int = 0
    memory_bytes: int = 0
    through: list[str] = field(default_factory=list)
    held_up: dict[str, str] = field(default_factory=dict)
    """Why a shot did not go through, by its code."""
    receipts: dict[str, str] = field(default_factory=dict)

    def as_text(self) -> str:
        """Write it down."""
        rate = self.frames / self.seconds * 60 if self.seconds else 0
        lines = [
            f"{len(self.through)} shots went through, {len(self.receipts)} of them receipted; "
            f"{len(self.held_up)} did not.",
            f"{self.frames:,} frames in {self.seconds / 60:.1f} minutes ({rate:.0f} a minute), "
            f"{self.bytes / 1e9:.2f} GB, a worker held {self.memory_bytes / 1e6:.0f} MB at most.",
            *(f"- {code}: {why}" for code, why in sorted(self.held_up.items())),
        ]
        return "\n".join(lines) + "\n"


def drive(
    ask: Ask, sources: Path, show: str, *, shots: int, frames: int, tell: Callable[[str], None] = print
) -> Night:
    """Fill a show from the demo show, spoil three shots, run all, send what was proven.

    Parameters
    ----------
    ask : callable
    sources : Path
        A source folder of the installation; spoiled copies go below it.
    show : str
        Code of the show to make.
    shots, frames : int
        How many shots, and how many frames of each.
    """
    models = {
        one["shot"]: one["recipe"]
        for one in ask("GET", "/shows/Tidewrack/shots")["shots"]
        if (sources / "tidewrack" / one["shot"]).is_dir() and one["frames"]
    }
    ask("POST", "/shows", {"code": show, "title": "A night’s work"})
    codes = [f"N{number:03d}" for number in range(1, shots + 1)]
    spoiled = {codes[shots // 4]: "torn", codes[shots // 2]: "changed", codes[-1]: "unmet"}
    for number, code in enumerate(codes):
        model = list(models)[number % len(models)]
        folder = sources / "tidewrack" / model
        if code in spoiled:
            folder = _copy(folder, sources / f"tidewrack-{show}" / code, torn=spoiled[code] == "torn")
        _accept(ask, f"/shows/{show}/shots/{code}", folder, models[model], frames)
        if spoiled.get(code) == "changed":
            with open(_files(folder)[1], "ab") as file:
                file.write(b"rendered anew")
        if spoiled.get(code) == "unmet":
            ask("PATCH", f"/shows/{show}/shots/{code}/recipe", {"values": {"pack.profile": UNMET}})
        tell(f"{code} from {model}{', ' + spoiled[code] if code in spoiled else ''}")
    night, began = Night(), time.monotonic()
    planned = ask("POST", f"/shows/{show}/runs", {"shots": codes})
    night.held_up = {code: f"refused: {fault['what']}" for code, fault in planned["refused"].items()}
    _wait_for_runs(ask, [run["run"] for run in planned["runs"]], night, tell)
    night.seconds = time.monotonic() - began
    _send(ask, show, night, tell)
    return night


def _accept(ask: Ask, path: str, folder: Path, recipe: Mapping[str, Any], frames: int) -> None:
    accepted = ask("POST", f"{path}/deliveries", {"folder": str(folder)})
    ask("PUT", f"{path}/recipe", dict(recipe))
    first = _number(_files(folder)[0])
    ask("PATCH", f"{path}/recipe", {"values": {"arrivals.first": first, "arrivals.last": first + frames - 1}})
    for knot in accepted["cord"]:
        if knot["knot"] != "eyes" or recipe["eyes"]["needed"]:
            ask("POST", f"{path}/settle", {"knot": knot["knot"]})


def _wait_for_runs(ask: Ask, numbers: Sequence[int], night: Night, tell: Callable[[str], None]) -> None:
    left, done = list(numbers), 0
    while left:
        for number in list(left):
            run = ask("GET", f"/runs/{number}")
            if run["state"] in UNDER_WAY:
                break  # the others come after it
            left.remove(number)
            done += 1
            night.frames += run["proven"]
            night.memory_bytes = max(night.memory_bytes, run["memory_bytes"])
            if run["package"] == "proven":
                night.through.append(run["shot"])
            else:
                faults = [f"frame {frame}: {fault['what']}" for frame, fault in run["failed"].items()]
                night.held_up[run["shot"]] = "; ".join([*faults, *run["notes"]]) or run["state"]
            tell(f"{run['shot']} {run['state']}, {done} of {len(numbers)}")
        time.sleep(0.5)


def _send(ask: Ask, show: str, night: Night, tell: Callable[[str], None]) -> None:
    inbox = next(iter(ask("GET", "/inboxes")["inboxes"]))
    sent = {}
    for package in ask("GET", f"/shows/{show}/packages")["packages"]:
        night.bytes += package["bytes"]
        if package["state"] == "proven":
            path = f"/packages/{package['package']}/send"
            sent[package["shot"]] = ask("POST", path, {"inbox": inbox})["sending"]
    for code, number in sent.items():
        while (sending := ask("GET", f"/sendings/{number}"))["state"] in UNDER_WAY:
            time.sleep(0.3)
        if sending["receipt"]:
            night.receipts[code] = sending["receipt"]["receipt"]
        tell(f"{code} {sending['state']}")


def _copy(folder: Path, target: Path, *, torn: bool) -> Path:
    shutil.copytree(folder, target)
    if torn:
        path = _files(target)[1]
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    return target


def _files(folder: Path) -> list[Path]:
    return sorted(folder.rglob("*.exr"), key=lambda path: (_number(path), path.name))


def _number(path: Path) -> int:
    return int(path.name.rsplit(".", 2)[1])


def asker(address: str, token: str) -> Ask:
    """Make a way to ask a house; what it refuses as a whole stops the night."""
    client = httpx.Client(
        base_url=f"{address}/api/v1", headers={"Authorization": f"Bearer {token}"}, timeout=120
    )

    def ask(method: str, path: str, body: Any = None) -> dict[str, Any]:
        answer = client.request(method, path, json=body)
        said: dict[str, Any] = answer.json()
        if answer.status_code >= 400:
            raise SystemExit(f"{method} {path}: {said['errors'][0]['what']} {said['errors'][0]['remedy']}")
        return said

    return ask


def main() -> int:
    """Do it on the house that runs here."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("--shots", type=int, default=100)
    parser.add_argument("--frames", type=int, default=4, help="of each shot")
    chosen = parser.parse_args()
    installation = read_installation()
    now = f"{datetime.now():%m%d-%H%M%S}"
    shell = [sys.executable, "-m", "drawstring.cli", "token"]
    token = subprocess.run(
        [*shell, "make", f"night {now}"], check=True, capture_output=True, text=True
    ).stdout.strip()
    try:
        ask = asker(f"http://{installation.host}:{installation.port}", token)
        sources = Path(installation.root_list[0])
        night = drive(ask, sources, f"Night-{now}", shots=chosen.shots, frames=chosen.frames)
    finally:
        subprocess.run([*shell, "drop", f"night {now}"], check=True, capture_output=True)
    path = Path(installation.var) / "log" / f"night-{now}.txt"
    path.write_text(night.as_text())
    print(f"\n{night.as_text()}\nWritten to {path}.")
    return 0 if len(night.held_up) == 3 and len(night.receipts) == chosen.shots - 3 else 1


if __name__ == "__main__":
    sys.exit(main())
