"""The demo show: "Tidewrack", a yard where sea buoys are mended."""

from drawstring.standins.tidewrack import mural
from drawstring.standins.tidewrack.faults import FOLDER as FAULTS
from drawstring.standins.tidewrack.faults import make_faults
from drawstring.standins.tidewrack.show import FPS, SHOTS, DemoShot, render_show, renderers

__all__ = ["FAULTS", "FPS", "SHOTS", "DemoShot", "make_faults", "mural", "render_show", "renderers"]
