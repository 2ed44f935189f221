"""Whether named mattes, and what they are taken from, can be trusted."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from drawstring.core.alpha.kind_checks import Told
from drawstring.core.alpha.matte_settings import MatteFrom
from drawstring.core.alpha.settings import AlphaSettings
from drawstring.core.findings import Finding, Severity, show_frame, show_pass
from drawstring.core.passes.hashed import NameSet, chosen

_CUT = 0.001


def check_names(
    settings: AlphaSettings,
    told: Told,
    *,
    sets: Mapping[str, NameSet | None],
    half: Collection[str],
    lossy: Collection[str],
    where: str,
) -> list[Finding]:
    """Check passes of hashed names, and the mattes that are taken from them.

    Parameters
    ----------
    sets : mapping of pass to NameSet
        What the header says of each pass of hashed names.
    half : collection of str
        Passes of names that came as half floats.
    lossy : collection of str
        Colour-coded passes that came lossily compressed.
    """
    found = []
    for name, named in sets.items():
        at = f"{where}, {name}"
        if name in half and any(one.source is MatteFrom.NAMES for one in settings.mattes):
            found.append(
                Finding(
                    "names-half",
                    Severity.STOPS,
                    f"{name} came as half floats.",
                    at,
                    "A name is 32 bits; half of them are lost, and no object can be found any more.",
                    "Have this pass written as 32-bit float.",
                    pass_name=name,
                )
            )
            continue
        if named is None or named.fault:
            found.append(
                Finding(
                    "names-unlisted",
                    Severity.NOTES,
                    f"{name} has names, but {named.fault if named else 'no manifest'}.",
                    at,
                    "Objects can be picked by click, but not by name or wildcard.",
                    "Put the manifest beside the files, or have it written into the header.",
                    pass_name=name,
                )
            )
        elif lying := named.lying:
            found.append(
                Finding(
                    "names-lie",
                    Severity.WARNS,
                    f"{len(lying)} of {len(named.names)} names in the manifest of {name} have another number "
                    f"than their own, {lying[0]} first.",
                    at,
                    "Whoever reads the file by the specification finds other objects or none.",
                    "Names are looked for by the number they should have; have the manifest written again.",
                    pass_name=name,
                )
            )
        cut = {n: frame[name]["cut"] for n, frame in told.items() if frame.get(name, {}).get("cut", 0) > _CUT}
        if cut:
            worst = max(cut, key=lambda number: cut[number])
            found.append(
                Finding(
                    "names-few-ranks",
                    Severity.WARNS,
                    f"{name} has too few ranks: in {cut[worst]:.1%} of frame {worst} things were left out.",
                    at,
                    "Mattes of what was left out have holes where much overlaps: hair, motion, focus.",
                    "Have it rendered with more ranks.",
                    frame=worst,
                    pass_name=name,
                    mends=(show_frame(worst),),
                )
            )
    found += [
        Finding(
            "id-lossy",
            Severity.WARNS,
            f"{name} is colour-coded and came with lossy compression.",
            f"{where}, {name}",
            "Every colour is smeared into its neighbours: mattes get ragged rims and specks.",
            "Have it written without loss; raise the tolerance and drop specks meanwhile.",
            pass_name=name,
        )
        for name in lossy
    ]
    return found


def check_mattes(
    settings: AlphaSettings, *, ready: Collection[str], names: Mapping[str, Sequence[str]], where: str
) -> list[Finding]:
    """Check named mattes.

    Parameters
    ----------
    ready : collection of str
        Mattes that can be made.
    names : mapping of matte to names
        What the manifest of its pass lists.
    """
    found = []
    for matte in settings.mattes:
        at = f"{where}, {matte.name}"
        if matte.name not in ready:
            if matte.source is MatteFrom.DRAWN:
                continue
            lacks = f"{matte.of or 'a pass of ' + matte.source.says} did not come"
            remedy = "Choose another source for it, or have that pass rendered."
            if matte.source is MatteFrom.MESH:
                lacks = "no mesh is chosen, or it is not known where things lie"
                remedy = (
                    "Bring the scene in at Scene and choose a mesh, and have depth or positions rendered."
                )
            found.append(
                Finding(
                    "matte-not-there",
                    Severity.WARNS,
                    f"The matte {matte.name} can't be made: {lacks}.",
                    at,
                    "Whatever uses it would cover or show the wrong things, or not be made.",
                    remedy,
                )
            )
            continue
        if matte.source is MatteFrom.NAMES:
            listed = names.get(matte.name, ())
            taken = chosen(listed, matte.names)
            strangers = [name for name in taken if listed and name not in listed and not name.startswith("<")]
            if matte.names and (not taken or strangers):
                found.append(
                    Finding(
                        "matte-empty",
                        Severity.WARNS,
                        f"{', '.join(strangers or matte.names)} names nothing in this delivery, so "
                        f"{matte.name} {'lacks it' if len(strangers) < len(taken) else 'is empty'}.",
                        at,
                        "Whatever uses it would cover or show the wrong things.",
                        "Correct the name, or take the object by a click on the picture.",
                        mends=(show_pass(f"matte_{matte.name}"),),
                    )
                )
        is_bare = {
            MatteFrom.NAMES: not matte.names,
            MatteFrom.NUMBERS: not matte.numbers,
            MatteFrom.COLOURS: not matte.colours,
        }.get(matte.source, False)
        if is_bare and not (matte.shape or matte.strokes or matte.other):
            found.append(
                Finding(
                    "matte-empty",
                    Severity.NOTES,
                    f"The matte {matte.name} holds nothing yet.",
                    at,
                    "Whatever uses it shows nothing, or everything.",
                    "Click things in the picture, type names, draw or paint.",
                )
            )
    return found
