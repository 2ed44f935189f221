"""Commands typed in a shell: help and version, a setting while the house is up, and where it is not."""

from __future__ import annotations

import shutil
import subprocess
import sys
from itertools import count
from pathlib import Path

from floor import best, hd_frames, tell
from serving import filled

DRAWSTRING = str(Path(sys.executable).with_name("drawstring"))


def main() -> None:
    frames = hd_frames(2)
    depths = count(20)
    try:
        with filled(frames) as (_, _, _, environment):

            def typed(*words: str, **settings: str) -> float:
                def run() -> None:
                    subprocess.run(
                        [DRAWSTRING, *words, *([f"depth.far={next(depths)}"] if "set" in words else [])],
                        env=environment | settings, check=True, stdout=subprocess.DEVNULL,
                    )  # fmt: skip

                return best(run, 5)

            tell("shell, --version, s", typed("--version"), "0.3 s")
            tell("shell, --help, s", typed("--help"), "0.3 s")
            tell("shell, a setting, s", typed("set", "B001"), "1 s")
            alone = typed("set", "B001", DRAWSTRING_VAR=str(frames / "nobody"))
            tell("the same where nobody stands by, s", alone, "-")
    finally:
        shutil.rmtree(frames, ignore_errors=True)


if __name__ == "__main__":
    main()
