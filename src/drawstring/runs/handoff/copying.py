"""A package copied into another folder, every file compared with its sum, none visible before it is whole."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable

from drawstring.core.errors import ConflictError, OutputError
from drawstring.core.io.writing import final_name
from drawstring.runs.handoff.contents import contents
from drawstring.runs.proof import checksum


def copy_package(
    folder: str, target: str, *, on_file: Callable[[int, int], None] = lambda done, total: None
) -> int:
    """Copy a package; what is there already and the same is left as it is, so that a copy can go on.

    Parameters
    ----------
    folder : str
    target : str
        The folder that will hold the files; made where it is not there.
    on_file : callable
        Told after each file: how many are done, of how many.

    Returns
    -------
    int
        Bytes copied now.

    Raises
    ------
    ConflictError
        A file of that name is there and holds something else.
    MissingError, OutputError
        The package is not whole; the target can't be written.
    """
    files, copied = contents(folder), 0
    for i, one in enumerate(files, 1):
        source, path = os.path.join(folder, one.name), os.path.join(target, one.name)
        wanted = one.checksum or checksum(source)
        if os.path.exists(path):
            if checksum(path) != wanted:
                raise ConflictError(
                    f"{one.name} is there already and holds something else.", where=path,
                    why="Nothing that was handed on is overwritten.", remedy="Choose an empty folder.",
                )  # fmt: skip
        else:
            try:
                os.makedirs(os.path.dirname(path), exist_ok=True)
            except OSError as error:
                raise OutputError(
                    f"The folder {os.path.dirname(path)} can't be made: {error.strerror}.", where=path,
                    why="The copy would not be whole.",
                    remedy="Open the folder for writing, then copy again.",
                ) from error  # fmt: skip
            with final_name(path) as unfinished:
                shutil.copyfile(source, unfinished)
                if checksum(unfinished) != wanted:
                    raise OutputError(
                        f"{one.name} came out different.", where=path,
                        why="The source was changed since it was proven, or the disk is at fault.",
                        remedy="Look at the package's files again, then copy again.",
                    )  # fmt: skip
            copied += one.size_bytes
        on_file(i, len(files))
    return copied
