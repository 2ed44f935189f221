"""Files of colour brought in from a page: kept with the shows, offered wherever colour is changed."""

from __future__ import annotations

import os
from contextlib import suppress

from werkzeug.datastructures import FileStorage

from drawstring.core.colour.kept_files import TABLES, keep_file
from drawstring.core.colour.table import check_table
from drawstring.core.errors import DrawstringError
from drawstring.web.services import house


def kept_tables() -> list[tuple[str, str]]:
    """Give every table that is kept here, by path, with its name."""
    folder = house().installation.colour_folder
    tables = []
    with suppress(FileNotFoundError):
        for digest in os.scandir(folder):
            names = os.listdir(digest.path) if digest.is_dir() else []
            tables += [
                (os.path.join(digest.path, name), name)
                for name in names
                if name.rpartition(".")[2].lower() in TABLES
            ]
    return sorted(tables, key=lambda table: (table[1].lower(), table[0]))


def bring_table(file: FileStorage) -> str:
    """Keep a table that was sent, once it can be read; give its path.

    Raises
    ------
    DrawstringError
        It is no table, or can't be kept.
    """
    path = keep_file(house().installation.colour_folder, file.filename or "", file.stream.read())
    try:
        house().readers.read(path, check_table, path)
    except DrawstringError:
        # Nothing names it yet.
        with suppress(OSError):
            os.unlink(path)
            os.rmdir(os.path.dirname(path))
        raise
    return path
