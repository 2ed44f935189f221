"""The stand-in renderer: analytic shapes, traced with several samples to a pixel, every pass written."""

from drawstring.standins.renderer.camera import Camera, View
from drawstring.standins.renderer.frame import RenderedFrame, render
from drawstring.standins.renderer.names import name_header, name_planes
from drawstring.standins.renderer.scene import Lamp, Material, Scene, Sky
from drawstring.standins.renderer.writing import write_frame

__all__ = [
    "Camera", "Lamp", "Material", "RenderedFrame", "Scene", "Sky", "View", "name_header", "name_planes",
    "render", "write_frame",
]  # fmt: skip
