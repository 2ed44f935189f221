"""Scene's home in the core: what is put into the scene, and what is counted to prove that it stands right."""

from __future__ import annotations

from drawstring.core.scene.agreement import count, counting
from drawstring.core.scene.header import header, settled_camera, view_header
from drawstring.core.scene.results import MATTES, RESULTS
from drawstring.core.scene.steps import STEPS

__all__ = ["MATTES", "RESULTS", "STEPS", "count", "counting", "header", "settled_camera", "view_header"]
