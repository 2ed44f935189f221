"""The demo show: "Tidewrack", a yard where sea buoys are mended."""

from drawstring.standins.tidewrack.show import FPS, SHOTS, DemoShot, render_show

__all__ = ["FPS", "SHOTS", "DemoShot", "render_show"]
