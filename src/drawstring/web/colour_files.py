"""Files brought in from a page: kept with the shows, offered wherever they can be used."""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import suppress

from werkzeug.datastructures import FileStorage

from drawstring.core.colour.kept_files import (
    CONFIGS,
    FOOTAGE,
    LOGOS,
    MAPS,
    TABLES,
    keep_file,
    kept_files,
)
from drawstring.core.colour.management import check_config
from drawstring.core.colour.table import check_table
from drawstring.core.errors import DrawstringError
from drawstring.core.framing.lens_map import check_map
from drawstring.core.scene.footage import check_footage
from drawstring.core.titles.drawing import check_logo
from drawstring.web.services import house


def kept_tables() -> list[tuple[str, str]]:
    """Give every table that is kept here, by path, with its name."""
    return kept_files(house().installation.colour_folder, TABLES)


def kept_configs() -> list[tuple[str, str]]:
    """Give every configuration that is kept here, by path, with its name."""
    return kept_files(house().installation.colour_folder, CONFIGS)


def kept_maps() -> list[tuple[str, str]]:
    """Give every coordinate map that is kept here, by path, with its name."""
    return kept_files(house().installation.colour_folder, MAPS)


def kept_logos() -> list[tuple[str, str]]:
    """Give every logo that is kept here, by path, with its name."""
    return kept_files(house().installation.colour_folder, LOGOS)


def kept_footage() -> list[tuple[str, str]]:
    """Give every kept picture, film and archive of pictures, by path, with its name."""
    return kept_files(house().installation.colour_folder, FOOTAGE)


def bring_footage(file: FileStorage) -> str:
    """Keep footage for a card that was sent, once it can be read; give its path.

    Raises
    ------
    DrawstringError
        It can't be read or kept.
    """
    return _bring(file, check_footage)


def bring_logo(file: FileStorage) -> str:
    """Keep a logo that was sent, once it can be read; give its path.

    Raises
    ------
    DrawstringError
        It is no picture, or can't be kept.
    """
    return _bring(file, check_logo)


def bring_map(file: FileStorage) -> str:
    """Keep a coordinate map that was sent, once it can be used; give its path.

    Raises
    ------
    DrawstringError
        It is none, or can't be kept.
    """
    return _bring(file, check_map)


def bring_table(file: FileStorage) -> str:
    """Keep a table that was sent, once it can be read; give its path.

    Raises
    ------
    DrawstringError
        It is no table, or can't be kept.
    """
    return _bring(file, check_table)


def bring_config(file: FileStorage) -> str:
    """Keep a configuration that was sent, once it can do all it names; give its path.

    Raises
    ------
    DrawstringError
        It is none, lacks something, or can't be kept.
    """
    return _bring(file, check_config)


def _bring(file: FileStorage, check: Callable[[str], object]) -> str:
    path = keep_file(house().installation.colour_folder, file.filename or "", file.stream.read())
    try:
        house().readers.read(path, check, path)
    except DrawstringError:
        # Nothing names it yet.
        with suppress(OSError):
            os.unlink(path)
            os.rmdir(os.path.dirname(path))
        raise
    return path
