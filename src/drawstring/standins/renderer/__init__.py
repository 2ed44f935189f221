"""The stand-in renderer: analytic shapes, traced with several samples to a pixel, every pass written."""

from drawstring.standins.renderer.camera import LATLONG, Camera, View
from drawstring.standins.renderer.frame import RenderedFrame, render
from drawstring.standins.renderer.names import asset_planes, name_header, name_planes
from drawstring.standins.renderer.scene import Lamp, Material, PackedScene, Scene, Sky
from drawstring.standins.renderer.writing import write_frame, write_picture

__all__ = [
    "LATLONG", "Camera", "Lamp", "Material", "PackedScene", "RenderedFrame", "Scene", "Sky", "View",
    "asset_planes", "name_header", "name_planes", "render", "write_frame", "write_picture",
]  # fmt: skip
