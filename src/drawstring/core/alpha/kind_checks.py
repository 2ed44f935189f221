"""Whether pictures' alpha is read as what it is, and whether it can be trusted."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from drawstring.core.alpha.kinds import AlphaKind, OverFrames
from drawstring.core.alpha.settings import READABLE, AlphaSettings, CutBy
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame, show_pass

Told = Mapping[int, Mapping[str, Mapping[str, Any]]]
"""What was told of each frame's passes: by frame number and pass name."""


def check_kinds(
    settings: AlphaSettings, told: Told, where: str, *, straight: Collection[str] = ()
) -> list[Finding]:
    """Compare how pictures are read with what their pixels say.

    Parameters
    ----------
    settings : AlphaSettings
    told : Told
    where : str
    straight : collection of str
        Passes whose format says that their colours are straight.
    """
    found = []
    names = list(dict.fromkeys(name for frame in told.values() for name in frame if "alpha" in frame[name]))
    for name in names:
        over, outside, nan = OverFrames(), [], []
        for number, frame in sorted(told.items()):
            said = frame.get(name, {}).get("alpha")
            if said:
                over.add(said)
                outside += [number] if said.get("outside") else []
                nan += [number] if said.get("nan") else []
        if not settings.clamp:
            found += _unsound(name, outside, nan, told, where)
        read, evidence = (
            settings.kind_of(name.rpartition(".")[2], is_straight=name in straight),
            over.overall(),
        )
        if evidence.kind not in READABLE or evidence.kind is read:
            continue
        if evidence.kind is AlphaKind.OPAQUE or read is AlphaKind.OPAQUE:
            continue
        bare = name.rpartition(".")[2]
        values = [(f"alpha.kinds.{bare}", evidence.kind.value)]
        if evidence.ground:
            values.append(("alpha.ground", " ".join(f"{v:.4g}" for v in evidence.ground)))
        how = evidence.kind.says + (
            f" ({' '.join(f'{v:.3g}' for v in evidence.ground)})" if evidence.ground else ""
        )
        found.append(
            Finding(
                "alpha-kind",
                Severity.WARNS,
                f"{name} looks {how}, and is read as {read.says}: {evidence.sure:.0%} of "
                f"{evidence.samples:,} rim pixels in {len(told)} frames say so.",
                f"{where}, {name}",
                "Laid over anything it would have bright or dark rims.",
                f"Read it as {evidence.kind.says}; nothing is converted before you say so.",
                pass_name=name,
                mends=(Mend(f"read it as {evidence.kind.says}", Does.SET, tuple(values)), show_pass(name)),
            )
        )
    return found


def _unsound(name: str, outside: list[int], nan: list[int], told: Told, where: str) -> list[Finding]:
    clamp = Mend("hold it to 0 to 1", Does.SET, (("alpha.clamp", "yes"),))
    found = []
    if outside:
        count = max(told[number][name]["alpha"]["outside"] for number in outside)
        found.append(
            Finding(
                "alpha-outside",
                Severity.WARNS,
                f"Alpha of {name} lies outside 0 to 1 in {len(outside)} frames, in up to {count:,} pixels.",
                f"{where}, {name}",
                "What lies below would be subtracted or added there.",
                "Hold it to 0 to 1, or have it rendered with a filter that does not overshoot.",
                frame=outside[0],
                pass_name=name,
                mends=(clamp, show_frame(outside[0])),
            )
        )
    if nan:
        found.append(
            Finding(
                "alpha-nan",
                Severity.WARNS,
                f"Alpha of {name} is no number (NaN) in {len(nan)} frames, frame {nan[0]} first.",
                f"{where}, {name}",
                "Everything computed with it becomes no number too.",
                "Make such pixels empty, and have those frames rendered again.",
                frame=nan[0],
                pass_name=name,
                mends=(clamp, show_frame(nan[0])),
            )
        )
    return found


def check_environment(
    settings: AlphaSettings, told: Told, *, nothing: float, has_matte: bool, where: str
) -> list[Finding]:
    """Say so when alpha is solid although the picture shows an environment.

    Parameters
    ----------
    nothing : float
        Share of the pictures in which there is no distance.
    has_matte : bool
        Whether objects are told by name.
    """
    kinds = [
        frame["beauty"]["alpha"]["kind"] for frame in told.values() if "alpha" in frame.get("beauty", {})
    ]
    if settings.cut is not CutBy.NOT or nothing < 0.005 or not kinds:
        return []
    if any(kind != AlphaKind.OPAQUE.value for kind in kinds):
        return []
    mends = [Mend("cut it by distance", Does.SET, (("alpha.cut", CutBy.DEPTH.value),))]
    if has_matte:
        values = (
            ("alpha.mattes.add", "element"),
            (f"alpha.mattes.{len(settings.mattes) + 1}.names", "*"),
            ("alpha.cut", CutBy.MATTE.value),
            ("alpha.cut_matte", "element"),
        )
        mends.insert(0, Mend("cut it by a matte", Does.SET, values))
    return [
        Finding(
            "alpha-environment",
            Severity.NOTES,
            f"Alpha is solid everywhere, but {nothing:.0%} of the picture has no distance: "
            "an environment is seen.",
            f"{where}, beauty",
            "The element can't be laid over another background: its sky comes with it.",
            "Hide the environment from the camera in the renderer (its light stays) and render again; "
            "or take it out here by distance, or by a matte of what is to stay.",
            pass_name="beauty",
            mends=(*mends, show_pass("beauty")),
        )
    ]
