"""What a view shows as it stands in the scene: its camera, its rays, its points, which way they face."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.bands import in_bands
from drawstring.core.camera import Camera, Moment
from drawstring.core.chain import Chain, Stage, Value, value
from drawstring.core.depth.reading import can_be_read
from drawstring.core.depth.settings import Along
from drawstring.core.errors import MissingError
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import alpha, distances, planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Distances, depth_pass, pass_of
from drawstring.core.recipe.subject import Subject
from drawstring.core.scene.mesh import seen_mesh
from drawstring.core.scene.rays import Points, Rays, normals_from, rays_of
from drawstring.core.scene.settings import Normals, SceneSettings
from drawstring.core.scene.world import World, moved_eye, world_of

SAME_SHARE = 0.02
"""By how much of its distance a mesh may lie off what the picture shows, and still be it."""

GREY = 0.5
"""What surfaces are taken to send on of white light, where no pass tells their colour."""


@dataclass(frozen=True)
class Sight:
    """A view of one frame, as it stands in the scene.

    Attributes
    ----------
    rays : Rays
    here : Distances
        As settled, with the camera that counts.
    world : World or None
        The scene's file.
    frame : int
    aspect : float
        Of the picture.
    middle : Camera
        Of the picture that came: between the eyes, where one was made.
    """

    rays: Rays
    here: Distances
    world: World | None
    frame: int
    aspect: float
    middle: Camera


def settings_of(subject: Subject) -> SceneSettings:
    """Give what is settled of a view's scene."""
    return subject.recipe.scene.of_view(subject.view)


_OF_CAMERA = {"file", "camera", "views", "scale", "turn", "up", "starts", "rate", "late"}


def camera_settings(subject: Subject) -> str:
    """Give all of the settings that says how the scene is seen, as text."""
    return settings_of(subject).model_dump_json(include=_OF_CAMERA)


def has_points(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether it can be known where things lie: by depth, or by their positions."""
    position = pass_of(Role.POSITION, passes)
    by_depth = depth_pass(passes) is not None and can_be_read(recipe.depth)
    return by_depth or (position is not None and len(position.channels) >= 3)


def camera_for(
    subject: Subject, told: Camera, at: Moment, aspect: float
) -> tuple[Camera, World | None, Camera]:
    """Give the camera that counts, the scene's file, and the camera between the eyes.

    Parameters
    ----------
    told : Camera
        Of this view or eye, by its header.
    at : Moment
        Of the picture that came.

    Raises
    ------
    MissingError
        The file lacks the camera that is settled.
    """
    settings, shared = settings_of(subject), subject.recipe.scene
    world = world_of(settings, at.scene_unit_m)
    # Cards that face the camera are turned alike for both eyes.
    came = at.camera()
    middle = came if came.world_to_camera is not None else told
    if world is not None and shared.camera:
        middle = world.camera(shared.camera, at.frame, aspect=aspect) or middle
    if not settings.camera:
        return told, world, middle
    own = world.camera(settings.camera, at.frame, aspect=aspect) if world is not None else None
    if own is None:
        raise MissingError(
            f"The scene's file has no camera {settings.camera} that a picture can be seen through.",
            where="scene.camera", why="Nothing could be placed.",
            remedy="Choose another camera, or the headers' own.",
        )  # fmt: skip
    # Headers may tell what no camera of a file does: that a picture shows all directions.
    own = replace(own, is_latlong=told.is_latlong)
    # An eye of its own camera stands beside the file's as headers tell it beside the first view's.
    if subject.made or (subject.view and subject.view not in shared.views):
        return moved_eye(own, told, came), world, middle
    return own, world, middle


def sight(chain: Chain, stage: Stage = Stage.DOUBLED) -> Value:
    """Describe a view as it stands in the scene (`Sight`), by what it is after a stage.

    Raises
    ------
    MissingError
        Neither depth nor positions came.
    """
    subject = subject_of(chain)
    passes, recipe = subject.passes, subject.recipe
    is_ray = recipe.depth.along is Along.RAY
    position = pass_of(Role.POSITION, passes)
    by_depth = depth_pass(passes) is not None and can_be_read(recipe.depth)

    def seen(came: Moment, here: Distances) -> Sight:
        at = subject.here(came, stage)
        place = at.placed(here.z.shape)
        aspect = place.display.width * place.pixel_aspect / place.display.height
        camera, world, middle = camera_for(subject, here.camera, came, aspect)
        rays = rays_of(camera, place, here.z.shape, is_ray=is_ray)
        if rays is None:
            raise MissingError(
                "The camera is not known.", where="scene.camera",
                why="Without lens and place nothing can be put into the scene.",
                remedy="Bring the scene's file in at Scene, or have the camera written into the headers.",
            )  # fmt: skip
        return Sight(rays, replace(here, camera=camera), world, came.frame, aspect, middle)

    # What is put into the scene changes nothing of how it is seen: it is waited for once.
    of = camera_settings(subject), is_ray, subject.key(stage), subject.view, subject.made
    if by_depth:
        return value("sight", seen, distances(chain, stage), of=of, lasts=stage is Stage.DOUBLED)
    if position is None or len(position.channels) < 3:
        raise MissingError(
            "Neither depth nor positions came.", where="scene",
            why="It can't be known where things lie.", remedy="Have depth or positions rendered.",
        )  # fmt: skip
    covered = alpha(chain, stage)
    first = position.channels[0]

    def by_points(came: Moment, points: list[Stored], *coverage: Stored) -> Sight:
        at = subject.here(came, stage)
        told = at.camera(first.source, first.part)
        whole = np.stack([np.asarray(each, np.float32) for each in points[:3]], axis=-1)
        a = np.asarray(coverage[0], np.float32) if coverage else None
        nothing = np.asarray(~np.isfinite(whole).all(-1) | ~whole.any(-1))
        if a is not None:
            nothing |= a <= 0
        far = Distances(np.full(nothing.shape, np.inf, np.float32), nothing, a, told)
        view = seen(came, far)
        away = np.where(nothing[..., None], 0, whole) - view.rays.eye.astype(np.float32)
        z = np.linalg.norm(away, axis=-1) if is_ray else away @ view.rays.axes[2].astype(np.float32)
        nothing = nothing | (z <= 0)
        z = np.where(nothing, np.float32(np.inf), z).astype(np.float32)
        return replace(view, here=replace(view.here, z=z, nothing=nothing))

    given = [planes(chain, stage, position, 3), *([covered] if covered else [])]
    return value("sight by points", by_points, *given, of=of, lasts=stage is Stage.DOUBLED)


def parts(picture: Value, view: Value) -> Value:
    """Describe which pixels of a picture mix two things: share and where the other one begins."""

    def make(at: Moment, image: Picture, seen: Sight) -> tuple[Plane, NDArray[np.int32]]:
        from drawstring.core.depth.parting import parts_of

        return parts_of(image, seen.here.z, seen.here.nothing, threads=at.threads)

    return value("parts", make, picture, view, lasts=True)


def facing(chain: Chain, view: Value, stage: Stage = Stage.DOUBLED) -> Value:
    """Describe which way surfaces face, in the scene's axes: (H, W, 3) float32, of length 0 where unknown."""
    subject = subject_of(chain)
    settings = settings_of(subject)
    normals = pass_of(Role.NORMAL, subject.passes)
    by_pass = settings.normals in (Normals.WORLD, Normals.CAMERA) and normals is not None
    if by_pass and normals is not None and len(normals.channels) >= 3:

        def read(at: Moment, seen: Sight, came: list[Stored]) -> Points:
            return world_normals(came, seen.rays, settings)

        of = settings.normals, settings.flips
        return value("facing", read, view, planes(chain, stage, normals, 3), of=of, lasts=True)

    def make(at: Moment, seen: Sight) -> Points:
        here, rays = seen.here, seen.rays
        made = np.zeros((*here.z.shape, 3), np.float32)
        z = np.where(here.nothing, np.float32(0), here.z)
        in_bands(lambda a, b: normals_from(rays.ways, z, here.nothing, made, a, b), len(z), at.threads)
        own = seen.world.data.mesh(settings.mesh) if seen.world and settings.normals is Normals.MESH else None
        if own is None or seen.world is None or rays.is_round:
            return made
        points, given = seen.world.mesh(own, seen.frame)
        far, faces = seen_mesh(rays, points, own.triangles, given, z.shape)
        # The mesh counts where it is what the picture shows there.
        with np.errstate(invalid="ignore"):
            is_it = np.isfinite(far) & (
                here.nothing | (np.abs(far - z) < 0.02 * z + 0.02 * np.median(z[z > 0]))
            )
        made[is_it] = faces[is_it]
        return made

    return value("facing by points", make, view, of=(settings.normals, settings.mesh), lasts=True)


def mesh_seen(chain: Chain, view: Value, name: str = "") -> Value:
    """Describe a mesh of the scene as the picture's camera sees it, behind whatever is nearer.

    Without a name it is the one that is settled. Work gives its distances (inf where it is not seen) and
    which way it faces: (H, W) and (H, W, 3) float32.
    """
    name = name or settings_of(subject_of(chain)).mesh

    def make(at: Moment, seen: Sight) -> tuple[Plane, Points]:
        here = seen.here
        own = seen.world.data.mesh(name) if seen.world is not None else None
        if own is None or seen.world is None or seen.rays.is_round:
            return np.full(here.z.shape, np.inf, np.float32), np.zeros((*here.z.shape, 3), np.float32)
        points, given = seen.world.mesh(own, seen.frame)
        far, faces = seen_mesh(seen.rays, points, own.triangles, given, here.z.shape)
        with np.errstate(invalid="ignore"):
            hidden = ~here.nothing & (here.z < far * (1 - SAME_SHARE))
        return np.where(hidden, np.float32(np.inf), far), np.where(hidden[..., None], 0, faces)

    return value("mesh seen", make, view, of=name)


def world_normals(came: Sequence[Stored], rays: Rays, settings: SceneSettings) -> Points:
    """Read normals as settled: in the scene's axes; what is no number is no normal."""
    x, y, z = (np.nan_to_num(np.asarray(each, np.float32), posinf=0, neginf=0) for each in came[:3])
    if settings.flips:
        y = -y
    read = np.stack([x, y, z], axis=-1)
    if settings.normals is Normals.CAMERA:
        # Right, up and towards the eye.
        right, down, forward = rays.axes
        read = read @ np.stack([right, -down, -forward]).astype(np.float32)
    return np.ascontiguousarray(read, np.float32)
