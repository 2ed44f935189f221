"""Colour management of a shot: whose configuration, the working space, the display and its views.

Configurations are OpenColorIO's: one that is built in, or the show's own file. Between two configurations
colours go through the interchange space that both have to name (OpenColorIO 2, role `aces_interchange`).
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.bands import in_bands
from drawstring.core.colour.kept_files import find_kept
from drawstring.core.errors import SettingError

LINEAR = "linear"

HOUSE_CONFIG = "cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
"""The built-in configuration that is used where none is chosen."""

HOUSE_DISPLAY = "sRGB - Display"

HOUSE_VIEWS = {"film-like": "ACES 1.0 - SDR Video", "plain": "Un-tone-mapped", "values": "Raw"}
"""Our plain names for its views."""

SPACES: dict[str, str] = {
    LINEAR: "Linear Rec.709 (sRGB)",
    "sRGB display": "sRGB Encoded Rec.709 (sRGB)",
    "Rec.1886 video": "Gamma 2.4 Encoded Rec.709",
    "gamma 2.2": "Gamma 2.2 Encoded Rec.709",
    "gamma 1.8": "Gamma 1.8 Encoded Rec.709",
    "ACEScg": "ACEScg",
    "ACES2065-1": "ACES2065-1",
    "linear P3": "Linear P3-D65",
    "linear Rec.2020": "Linear Rec.2020",
    "log (ACEScct)": "ACEScct",
}
"""Our names for its spaces."""

WORKING: dict[str, tuple[str, tuple[float, ...]]] = {
    LINEAR: ("lin_rec709_scene", (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)),
    "ACEScg": ("lin_ap1_scene", (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767)),
    "ACES2065-1": ("lin_ap0_scene", (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)),
    "linear P3": ("lin_p3d65_scene", (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.3290)),
    "linear Rec.2020": ("lin_rec2020_scene", (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290)),
}
"""Spaces to work in: their name by the Color Interop Forum, and chromaticities of red, green, blue and white.

Sources: ITU-R BT.709-6, S-2014-004, SMPTE ST 2065-1, SMPTE EG 432-1, ITU-R BT.2020-2.
"""


def linear_of(space: str) -> str:
    """Give the scene-linear space that has a space's primaries; empty where that is not known.

    Examples
    --------
    >>> linear_of("sRGB display"), linear_of("log (ACEScct)"), linear_of("linear P3"), linear_of("ours")
    ('linear', 'ACEScg', 'linear P3', '')
    """
    if space in WORKING:
        return space
    return {"log (ACEScct)": "ACEScg"}.get(space, LINEAR) if space in SPACES else ""


@dataclass(frozen=True)
class Management:
    """How a shot's colours are managed.

    Attributes
    ----------
    config : str
        The name of a built-in configuration, or the path of a kept file; empty for the house's own choice.
    working : str
        In what all is computed: a key of `WORKING`, or a scene-linear space of the configuration.
    display : str
        What it is looked at on; empty for the configuration's first.
    look : str
        A look of the configuration that is on while looking; empty for none.
    """

    config: str = ""
    working: str = LINEAR
    display: str = ""
    look: str = ""

    @property
    def is_own(self) -> bool:
        """Whether the configuration is a file of the show's."""
        return is_file(self.config)

    @property
    def says(self) -> str:
        """The configuration's name."""
        return os.path.basename(self.config) or HOUSE_CONFIG

    @property
    def known_by(self) -> str:
        """What tells it from others: whoever keeps what was made with it asks anew where this is another."""
        return f"{self.says} {self.working} {self.shown_on} {self.look}"

    @property
    def shown_on(self) -> str:
        """The display."""
        if self.display:
            return self.display
        return HOUSE_DISPLAY if not self.config else str(config_of(self.config).getDefaultDisplay())

    @property
    def views(self) -> list[str]:
        """The display's views; the first is used where none is chosen."""
        if not self.config and not self.display:
            return list(HOUSE_VIEWS)
        return [str(view) for view in config_of(self.config).getViews(self.shown_on)]

    def view_like(self, view: str) -> str:
        """Give a view of this display for one that may have been chosen for another: else the first."""
        return view if view in self.views or view not in HOUSE_VIEWS else self.views[0]

    @property
    def displays(self) -> list[str]:
        """What can be looked at on."""
        return [str(display) for display in config_of(self.config).getDisplays()]

    @property
    def looks(self) -> list[str]:
        """The configuration's looks."""
        return [str(look) for look in config_of(self.config).getLookNames()]

    @property
    def spaces(self) -> list[str]:
        """What a source's colours may have been written in: our names, then an own configuration's."""
        own = config_of(self.config).getColorSpaceNames() if self.is_own else []
        return [*SPACES, *(str(name) for name in own if str(name) not in SPACES)]

    @property
    def workings(self) -> list[str]:
        """What can be worked in."""
        if not self.is_own:
            return list(WORKING)
        config = config_of(self.config)
        linear = [
            str(space.getName()) for space in config.getColorSpaces()
            if str(space.getEncoding()) == "scene-linear"
        ]  # fmt: skip
        role = config.getColorSpace(ocio.ROLE_SCENE_LINEAR)
        linear += [str(role.getName())] if role is not None else []
        return list(dict.fromkeys([*WORKING, *linear]))

    @property
    def primaries(self) -> tuple[float, ...]:
        """Chromaticities of the working space: x and y of red, green, blue and white."""
        if self.working in WORKING:
            return WORKING[self.working][1]
        return _primaries(self)

    @property
    def interop_id(self) -> str:
        """The working space's name by the Color Interop Forum; "unknown" where it has none."""
        return WORKING[self.working][0] if self.working in WORKING else "unknown"

    def space_by_rules(self, path: str) -> str:
        """Give the space that an own configuration's file rules name for a file; empty where none does."""
        if not self.is_own:
            return ""
        space, rule = config_of(self.config).getColorSpaceFromFilepath(path)
        is_default = rule == config_of(self.config).getFileRules().getNumEntries() - 1
        return "" if is_default else str(space)


HOUSE = Management()


def read_view(text: str, where: str) -> str:
    """Read a view's name: whether there is such a one depends on the shot's colour management."""
    return text.strip()


def is_file(config: str) -> bool:
    """Whether a configuration is a kept file."""
    return os.sep in config


@lru_cache(maxsize=8)
def config_of(name: str) -> Any:
    """Load a configuration.

    Raises
    ------
    SettingError
        There is no such built-in one, the file is gone or was changed, or it can't be read.
    """
    where = "arrivals.colour.config"
    if is_file(name):
        name = find_kept(name, where)
    elif name and name not in builtin_configs():
        raise SettingError(
            f"There is no built-in configuration “{name}”.", where=where,
            why="Colours can't be managed by it.",
            remedy=f"Choose {', '.join(builtin_configs())}, or bring in a file.",
        )  # fmt: skip
    try:
        if is_file(name):
            return ocio.Config.CreateFromFile(name)
        return ocio.Config.CreateFromBuiltinConfig(name or HOUSE_CONFIG)
    except ocio.Exception as error:
        raise SettingError(
            f"{os.path.basename(name)} can't be read as a configuration: {_plain(error, name)}", where=where,
            why="Colours can't be managed by it.", remedy="Check it with ociocheck, or export it again.",
        ) from error  # fmt: skip


def builtin_configs() -> list[str]:
    """Give the names of the built-in configurations."""
    return [
        str(entry[0]) if isinstance(entry, tuple) else str(entry) for entry in ocio.BuiltinConfigRegistry()
    ]


def check_config(path: str) -> None:
    """Refuse a configuration file that can't do all it names.

    Raises
    ------
    SettingError
        It can't be read, names files beside it, lacks transforms, or names no interchange space.
    """
    where, name = "colour.file", os.path.basename(path)
    config = config_of(path)
    outside = sorted(set(_outside_files(config)))
    if outside and not path.endswith(".ocioz"):
        raise SettingError(
            f"{name} names {len(outside)} tables beside it: {', '.join(outside[:6])}.", where=where,
            why="They would not come along.",
            remedy="Pack them with it: ocioarchive writes configuration and tables into one .ocioz file.",
        )  # fmt: skip
    faults = []
    try:
        config.validate()
    except ocio.Exception as error:
        faults.append(_plain(error, path))
    spaces = [str(space.getName()) for space in config.getColorSpaces() if not space.isData()]
    for space in spaces:
        _try(faults, space, partial(space_steps, space, Management(path)))
    for display in config.getDisplays():
        here = Management(path, display=str(display))
        for view in here.views:
            _try(faults, f"{display}, {view}", partial(view_steps, view, here))
    if faults:
        raise SettingError(
            f"{name} can't do all it names. {'; '.join(faults[:4])}"
            + (f"; and {len(faults) - 4} more." if len(faults) > 4 else ""),
            where=where, why="Colours would be read or shown wrong, or not at all.",
            remedy="Mend it, and check that it names the role aces_interchange.",
        )  # fmt: skip


def _try(faults: list[str], what: str, make: Any) -> None:
    try:
        make()
    except SettingError as refusal:
        faults.append(f"{what}: {refusal.what}")


def _outside_files(config: Any) -> list[str]:
    """Name the files that transforms of a configuration read."""
    transforms: list[Any] = []
    for space in config.getColorSpaces():
        for way in (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE):
            transforms.append(space.getTransform(way))
    for look in config.getLooks():
        transforms += [look.getTransform(), look.getInverseTransform()]
    for view in config.getViewTransforms():
        for way in (ocio.VIEWTRANSFORM_DIR_TO_REFERENCE, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE):
            transforms.append(view.getTransform(way))
    for named in config.getNamedTransforms():
        for way in (ocio.TRANSFORM_DIR_FORWARD, ocio.TRANSFORM_DIR_INVERSE):
            transforms.append(named.getTransform(way))
    files = []
    while transforms:
        transform = transforms.pop()
        if isinstance(transform, ocio.GroupTransform):
            transforms += list(transform)
        elif isinstance(transform, ocio.FileTransform):
            files.append(str(transform.getSrc()))
    return files


Steps = tuple[Any, ...]
"""Processors of OpenColorIO, one after the other."""


def through(steps: Steps, colours: NDArray[np.floating], *, threads: int = 1) -> Picture:
    """Send colours through processors: (..., 3) float32."""
    sent = np.array(colours, np.float32, order="C")
    flat = sent.reshape(-1, 3)

    def send(first: int, last: int) -> None:
        for step in steps:
            step.applyRGB(flat[first:last])

    in_bands(send, len(flat), threads, size=1 << 14)
    return sent


@lru_cache(maxsize=64)
def space_steps(space: str, management: Management, *, inverse: bool = False) -> Steps:
    """Give what brings colours from a space into the working space, or back.

    Raises
    ------
    SettingError
        There is no such space.
    """
    own = _placed(space, management, "arrivals.spaces")
    working = _placed(management.working, management, "arrivals.colour.working")
    return _between(working, own) if inverse else _between(own, working)


@lru_cache(maxsize=32)
def view_steps(view: str, management: Management) -> Steps:
    """Give what brings colours from the working space to a view's display values.

    Raises
    ------
    SettingError
        There is no such view, display or look.
    """
    if view not in management.views:
        raise SettingError(
            f"There is no view “{view}”.", where="view", why="The picture can't be shown without one.",
            remedy=f"Choose {', '.join(management.views)}.",
        )  # fmt: skip
    config = config_of(management.config)
    is_house = not management.config and not management.display
    if is_house and view == "values":
        return ()
    # The scene-referred space that the configuration itself works in.
    inner = config.getColorSpace(ocio.ROLE_SCENE_LINEAR) or config.getColorSpace(ocio.ROLE_INTERCHANGE_SCENE)
    if inner is None:
        raise SettingError(
            f"{management.says} names no scene-linear space.", where="arrivals.colour.config",
            why="Its views can't be fed.", remedy="Give it the role scene_linear.",
        )  # fmt: skip
    working = _placed(management.working, management, "arrivals.colour.working")
    name = str(inner.getName())
    steps = ocio.GroupTransform()
    if management.look:
        steps.appendTransform(ocio.LookTransform(src=name, dst=name, looks=management.look))
    steps.appendTransform(
        ocio.DisplayViewTransform(
            src=name, display=management.shown_on, view=HOUSE_VIEWS[view] if is_house else view
        )
    )
    return (*_between(working, (config, name)), _cpu(lambda: config.getProcessor(steps), management))


def _placed(space: str, management: Management, where: str) -> tuple[Any, str]:
    """Give the configuration a space belongs to, and its name there: our own names come first."""
    if space in SPACES:
        return config_of(""), SPACES[space]
    own = config_of(management.config) if management.config else None
    if own is not None and own.getColorSpace(space) is not None:
        return own, space
    raise SettingError(
        f"There is no colour space “{space}”.", where=where, why="Its colours can't be read.",
        remedy=f"Choose {', '.join(management.spaces)}.",
    )  # fmt: skip


def _between(one: tuple[Any, str], other: tuple[Any, str]) -> Steps:
    (config, space), (target, wanted) = one, other
    if config is target:
        if space == wanted:
            return ()
        return (_cpu(lambda: config.getProcessor(space, wanted), HOUSE),)
    return (_cpu(lambda: ocio.Config.GetProcessorFromConfigs(config, space, target, wanted), HOUSE),)


def _cpu(make: Any, management: Management) -> Any:
    try:
        return make().getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise SettingError(
            _plain(error, management.config), where="arrivals.colour.config",
            why="Colours can't be brought from one space to another.",
            remedy="Check the configuration; the role aces_interchange ties it to others.",
        ) from error  # fmt: skip


def _plain(error: Exception, path: str) -> str:
    folder = os.path.dirname(path)
    text = " ".join(str(error).split())
    return (text.replace(folder + os.sep, "") if folder else text)[:300]


@lru_cache(maxsize=8)
def _primaries(management: Management) -> tuple[float, ...]:
    """Work out chromaticities by way of ACES2065-1, whose own are known (SMPTE ST 2065-1)."""
    steps = space_steps("ACES2065-1", management, inverse=False)
    # What the working space's R, G, B and white are in ACES2065-1: the inverse of the way into it.
    into = through(steps, np.eye(3, dtype=np.float32)).astype(np.float64)
    corners: Sequence[Any] = [*np.linalg.inv(into), np.ones(3) @ np.linalg.inv(into)]
    matrix = _xyz_of(WORKING["ACES2065-1"][1])
    flat: list[float] = []
    for corner in corners:
        xyz = matrix @ corner
        flat += [float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())]
    return tuple(round(value, 5) for value in flat)


def _xyz_of(primaries: Sequence[float]) -> NDArray[np.float64]:
    """Give the matrix from RGB to XYZ (SMPTE RP 177)."""
    xy = np.reshape(primaries, (4, 2))
    xyz = np.column_stack([xy, 1 - xy.sum(axis=1)])
    white = xyz[3] / xyz[3][1]
    scale = np.linalg.solve(xyz[:3].T, white)
    return np.asarray(xyz[:3].T * scale)
