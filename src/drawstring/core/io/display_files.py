"""Pictures as displayed, written to PNG, TIFF or JPEG and read back by another library."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import OpenImageIO as oiio
import tifffile
from PIL import Image, ImageCms

from drawstring.core.arrays import Picture
from drawstring.core.errors import OutputError

_QUALITY = 98


@lru_cache(maxsize=1)
def srgb_profile() -> bytes:
    """Give the ICC profile of the display that pictures are made for: sRGB (IEC 61966-2-1:1999)."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def as_levels(picture: Picture, ending: str) -> np.ndarray:
    """Give the whole numbers that a file will hold: 16 bits, for JPEG 8; sized as the picture."""
    top, kind = (255, np.uint8) if ending == "jpeg" else (65535, np.uint16)
    return np.round(np.clip(picture, 0, 1) * top).astype(kind)


def put_display(unfinished: str, picture: Picture, ending: str) -> None:
    """Write display values, 0 to 1, under a name lent by `final_name`; JPEG with colour at full size (4:4:4).

    TIFF and JPEG say by an ICC profile that their colours are sRGB.

    Parameters
    ----------
    picture : (H, W, 1, 3 or 4)
        Alpha is straight, and for PNG only.

    Raises
    ------
    OutputError
        It can't be written.
    """
    levels = as_levels(picture, ending)
    # A profile of three colours belongs to pictures of three: grey levels are no light but shares.
    profile = srgb_profile() if picture.shape[2] == 3 else None
    try:
        if ending == "jpeg":
            plain = levels[..., 0] if levels.shape[2] == 1 else levels
            Image.fromarray(plain).save(
                unfinished, "JPEG", quality=_QUALITY, subsampling=0, icc_profile=profile or b""
            )
            return
        if ending == "tiff":
            photometric = "rgb" if levels.shape[2] == 3 else "minisblack"
            plain = levels[..., 0] if levels.shape[2] == 1 else levels
            tifffile.imwrite(
                unfinished, plain, photometric=photometric, compression="zlib", predictor=True,
                iccprofile=profile, metadata=None,
            )  # fmt: skip
            return
    except (OSError, ValueError) as error:
        raise _not_written(unfinished) from error
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[picture.shape[2]]
    if not cv2.imwrite(unfinished, np.ascontiguousarray(levels[..., order])):
        raise _not_written(unfinished)


def _not_written(path: str) -> OutputError:
    return OutputError(
        "The picture can't be written.", where=path, why="The form would be missing.",
        remedy="Free some space, then go on with the run.",
    )  # fmt: skip


def difference_of(path: str, picture: Picture, ending: str) -> int:
    """Read a picture back with OpenImageIO; give the largest difference in levels of the file.

    Raises
    ------
    OutputError
        It can't be read, or has another size.
    """
    config = oiio.ImageSpec()
    config["oiio:UnassociatedAlpha"] = 1  # PNG's alpha is straight, and is compared as it is stored
    source, meant = oiio.ImageInput.open(path, config), as_levels(picture, ending)
    back = None
    if source is not None:
        back = source.read_image(0, 0, 0, meant.shape[2], "uint8" if ending == "jpeg" else "uint16")
        source.close()
    if back is None or back.shape != meant.shape:
        raise OutputError(
            "The picture was written, but can't be read back as it was meant.", where=path,
            why="A file that does not hold what was computed must not be handed on.",
            remedy="The frame is tried again; if it fails again, check the disk.",
        )  # fmt: skip
    return int(np.abs(back.astype(np.int64) - meant).max())
