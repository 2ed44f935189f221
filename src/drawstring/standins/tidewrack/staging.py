"""The demo show's shots as the stand-in renderer offers them to orders and to its feed."""

from __future__ import annotations

from drawstring.standins.renderer.staging import Staged, Stages
from drawstring.standins.tidewrack import mural, scenes
from drawstring.standins.tidewrack.show import SHOTS


def stages() -> Stages:
    """Give all shots of the show."""
    told = {
        shot.code: Staged(
            shot.code, shot.title, shot.scene, dict(shot.cameras) or {"main": shot.camera}, shot.first,
            shot.frames,
            shot.nothing, shot.is_round,
        )
        for shot in SHOTS
    }  # fmt: skip
    told[mural.CODE] = Staged(
        mural.CODE, mural.TITLE, scenes.bell_yard, {"main": scenes.bell_yard_camera}, mural.FRAME, 1
    )
    return Stages(told)
