"""What passes and channels are called in a file, and which names are refused.

A channel's full name is its layer, a dot and a last word ("Technical Introduction to OpenEXR", section on
layers); beauty has no layer. Views that are not the default one stand before the last word, `depth.right.Z`
("Multi-View OpenEXR", P. Hillman, 2006, part of the format's documentation).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from drawstring.core.chain import PICTURE
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.pack.form import Beauty, Files, Parts, Style
from drawstring.core.pack.settings import PackSettings
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import HASHED_ROLES, Role

SHORT, LONG = 31, 255
"""Bytes of a name that every reader takes, and that the format allows ("OpenEXR File Layout")."""


def in_view(name: str, view: str) -> str:
    """Name a channel of a view that is not the default one.

    Examples
    --------
    >>> in_view("R", "right"), in_view("depth.Z", "right")
    ('right.R', 'depth.right.Z')
    """
    layer, _, last = name.rpartition(".")
    return f"{layer}.{view}.{last}" if layer else f"{view}.{last}"


def bare_name(name: str) -> str:
    """Give a pass's or result's name without its view.

    Examples
    --------
    >>> bare_name("right.depth")
    'depth'
    """
    return name.rpartition(".")[2]


def view_of(name: str) -> str:
    """Give the view before a pass's or result's name; empty for the default one."""
    return name.rpartition(".")[0]


def layer_of(name: str, settings: PackSettings, one: Pass | None = None) -> str:
    """Give the layer of a pass or result, without its view; empty for beauty's plain channels."""
    row, bare = settings.row(name), bare_name(name)
    if row.layer:
        return row.layer
    if is_plain(bare, one, settings):
        return ""
    if one is not None and settings.style is Style.ARRIVED and one.layer:
        return one.layer
    if settings.style is Style.CAPITALS:
        return "".join(word[:1].upper() + word[1:] for word in bare.split("_"))
    return bare


def is_plain(bare: str, one: Pass | None, settings: PackSettings) -> bool:
    """Whether a pass or result has the plain channels: the beauty, or the finished picture."""
    if settings.beauty is Beauty.FINISHED:
        return one is None and bare == PICTURE
    return bare == Role.BEAUTY and (one is None or one.role is Role.BEAUTY)


def words_of(name: str, usual: Sequence[str], settings: PackSettings) -> list[str]:
    """Give the last words of a pass's channels; "-" for those that stay."""
    typed = settings.row(name).names.split()
    return [typed[i] if i < len(typed) else word for i, word in enumerate(usual)]


def channel_names(one: Pass, settings: PackSettings, *, is_of_one_view: bool = False) -> list[str]:
    """Give the full names of a pass's channels; "-" for those that stay.

    Parameters
    ----------
    is_of_one_view : bool
        Whether it lies in a part that came, and that holds one view only: the part says which.
    """
    view = "" if is_of_one_view else view_of(one.name)
    if one.role in HASHED_ROLES:
        # The specification ties the name to the header's; another view's carries the view before it.
        return [f"{view}.{one.layer}{word}" if view else f"{one.layer}{word}" for word in one.suffixes]
    words = words_of(one.name, one.suffixes, settings)
    return _full(one.name, layer_of(one.name, settings, one), words, settings, is_of_one_view=is_of_one_view)


def result_names(name: str, suffixes: Sequence[str], settings: PackSettings) -> list[str]:
    """Give the full names of a result's channels; "-" for those that stay."""
    # Beside parts that came, what is made has parts of its own.
    is_alone = settings.parts is Parts.CAME
    words = words_of(name, suffixes, settings)
    return _full(name, layer_of(name, settings), words, settings, is_of_one_view=is_alone)


def _full(
    name: str, layer: str, words: Sequence[str], settings: PackSettings, *, is_of_one_view: bool
) -> list[str]:
    alone = settings.parts in (Parts.VIEWS, Parts.PASSES) or settings.files is not Files.ONE
    view = "" if alone or is_of_one_view else view_of(name)
    if (
        settings.files is Files.PASSES
        and settings.style is not Style.ARRIVED
        and not settings.row(name).layer
    ):
        # Alone in its file, a pass is a picture: programs that look at one read plain R, G, B, A, Z and Y.
        layer, words = "", ["Y" if word == "V" else word for word in words]
    full = [word if word == "-" else f"{layer}.{word}" if layer else word for word in words]
    return [one if one == "-" or not view else in_view(one, view) for one in full]


def check_names(names: Sequence[tuple[str, str, str]]) -> list[Finding]:
    """Find names that are written twice in a part, or too long.

    Parameters
    ----------
    names : sequence of (place, channel, source)
        File and part in which a channel lies, its full name, and the pass or result it comes from.
    """
    found = []
    for (place, name), count in Counter((place, name) for place, name, _ in names).items():
        if count == 1:
            continue
        owners = list(dict.fromkeys(source for where, one, source in names if (where, one) == (place, name)))
        found.append(
            Finding(
                "pack-name-twice",
                Severity.STOPS,
                f"{' and '.join(owners)} would both be written as {name}."
                if len(owners) > 1
                else f"{owners[0]} would be written twice as {name}.",
                f"pack, {name}",
                "One of them would be lost.",
                "Give one of them another layer name.",
                pass_name=owners[-1],
                mends=(Mend(f"leave {owners[-1]} out", Does.SET, ((f"pack.{owners[-1]}.goes", "no"),)),),
            )
        )
    for _, name, source in names:
        size = len(name.encode())
        if size > SHORT:
            found.append(
                Finding(
                    "pack-long-name",
                    Severity.STOPS if size > LONG else Severity.NOTES,
                    f"{name[:40]}{'…' if len(name) > 40 else ''} has {size} bytes.",
                    f"pack, {source}",
                    f"The format allows {LONG}."
                    if size > LONG
                    else f"Readers older than OpenEXR 2 take {SHORT}; newer ones read it.",
                    "Give it a shorter layer name.",
                    pass_name=source,
                )
            )
    return found
