"""Small makers that tests share."""

from __future__ import annotations

import json
import os
import re
import time
import uuid
import wave
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from jsonschema import Draft202012Validator
from playwright.sync_api import Error
from sqlalchemy import create_engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session
from sqlalchemy.pool import NullPool

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import Work, channels_of
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.counting import FACTS
from drawstring.core.recipe.homes import countings
from drawstring.installation import Installation
from drawstring.local_postgres import LocalPostgres
from drawstring.runs.frame import carry_out
from drawstring.runs.manifest import close_package
from drawstring.runs.measuring import look_through, measure_frame
from drawstring.runs.planning import plan_of, source_files, tasks_of
from drawstring.store import deliveries, measuring, recipes, shows
from drawstring.store.models import Base, Run, Shot, now

WIDTH, HEIGHT, FRAMES = 192, 108, 6
"""Of the small demo show."""


def pulled(
    name: str, planes: Any, passes: list[Pass], recipe: Recipe, at: Moment | None = None
) -> list[Stored]:
    """Give a pass or result as the shot's own file holds it, from just the channels it asks for."""
    described = Chains(passes, recipe).own(name)
    return Work({ref: planes[ref] for ref in channels_of([described])}, at or Moment()).of(described)


def eyes_pulled(name: str, planes: Any, passes: list[Pass], recipe: Recipe, at: Moment) -> list[list[Stored]]:
    """Give a pass or result as the left and as the right eye shows it."""
    chains, work = Chains(passes, recipe), Work(planes, at)
    return [work.of(chains.eye(name, side)) for side in (0, 1)]


def as_read(one: Pass, planes: Any, recipe: Recipe) -> Any:
    """Give a pass's picture as it is read: linear and premultiplied, (H, W, C)."""
    return np.stack(Work(planes, Moment()).of(Chains([one], recipe).arrived(one)), axis=-1)


def environment_of(installation: Installation) -> dict[str, str]:
    """Give the environment in which another process finds the same installation."""
    return {
        **os.environ,
        "DRAWSTRING_VAR": installation.var,
        "DRAWSTRING_ROOTS": installation.roots,
        "DRAWSTRING_OUTPUT": installation.output,
        "DRAWSTRING_PORT": str(installation.port),
        "DRAWSTRING_INBOX_PORT": str(installation.inbox_port),
        "DRAWSTRING_FEED_PORT": str(installation.feed_port),
        "DRAWSTRING_DATABASE_URL": installation.database_url,
        "DRAWSTRING_WORKERS": str(installation.workers),
    }


_EMPTY: list[str] = []
"""Databases that tests are through with: emptied, which takes half of what making one takes."""

_BUILT = """
    SELECT md5(string_agg(concat_ws(' ', n.nspname, c.relname, c.relkind, c.relnatts), ',' ORDER BY relname)),
           (SELECT string_agg(version_num, ' ') FROM alembic_version)
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE n.nspname !~ '^(pg_|information_schema)'
"""
"""How a database's tables and indexes are built, and of which version they are."""


@contextmanager
def copied_database(postgres: LocalPostgres) -> Iterator[str]:
    """A database with today's tables for a while, all of them empty; give its address."""
    admin = create_engine(postgres.url("postgres"), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    if _EMPTY:
        name = _EMPTY.pop()
    else:
        name = f"test_{uuid.uuid4().hex[:10]}"
        with admin.connect() as connection:
            connection.exec_driver_sql(f"CREATE DATABASE {name} TEMPLATE pattern")
    yield postgres.url(name)
    # Nobody's old address leads to what the next test has.
    after = f"test_{uuid.uuid4().hex[:10]}"
    with admin.connect() as connection:
        try:
            connection.exec_driver_sql(
                "SELECT pg_terminate_backend(pid, 2000) FROM pg_stat_activity WHERE datname = %s", (name,)
            )
            connection.exec_driver_sql(f"ALTER DATABASE {name} RENAME TO {after}")
            _empty(postgres.url(after), like=postgres.url("pattern"))
            _EMPTY.append(after)
        except (DBAPIError, AssertionError):  # somebody holds on to it, or its tables were changed
            for gone in (name, after):
                connection.exec_driver_sql(f"DROP DATABASE IF EXISTS {gone} WITH (FORCE)")
    admin.dispose()


def _empty(url: str, like: str) -> None:
    """Empty a database that is built like another one."""
    wanted = _built(like)
    engine = create_engine(url, isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with engine.connect() as connection:
        assert tuple(connection.exec_driver_sql(_BUILT).one()) == wanted
        # Truncating would make a new file for every table, index and count.
        connection.exec_driver_sql("SET session_replication_role = replica")
        connection.exec_driver_sql("; ".join(f"DELETE FROM {table}" for table in Base.metadata.tables))
        connection.exec_driver_sql("SELECT setval(oid::regclass, 1, false) FROM pg_class WHERE relkind = 'S'")


@cache
def _built(url: str) -> tuple[str, str]:
    with create_engine(url, poolclass=NullPool).connect() as connection:
        return tuple(connection.exec_driver_sql(_BUILT).one())


def write_plain(path: Path, channels: dict[str, np.ndarray], **header: object) -> Path:
    """Write an EXR with the library itself, none of our code between."""
    said = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    # The library puts objects of its own into the dictionary it is given.
    with OpenEXR.File(said, dict(channels)) as file:
        file.write(str(path))
    return path


def by_name(stowed: dict) -> dict:
    """Give computed channels by their names alone."""
    return {channel.name: one for channel, one in stowed.items()}


def validate_manifest(folder: str) -> dict:
    """Read a package's manifest and hold it against the schema that is promised."""
    schema = json.loads(files("drawstring.runs").joinpath("manifest.schema.json").read_text())
    Draft202012Validator.check_schema(schema)
    name = next(n for n in ("manifest.json", "manifest.incomplete.json") if os.path.exists(f"{folder}/{n}"))
    with open(f"{folder}/{name}", encoding="utf-8") as file:
        manifest = json.load(file)
    Draft202012Validator(schema).validate(manifest)
    return manifest


def same_bits(folder: str, other: str) -> bool:
    """Whether two packages hold the same bits; what the version says in headers and names is left aside."""
    return _bits_of(folder) == _bits_of(other)


def _bits_of(folder: str) -> dict[str, dict[str, bytes]]:
    found = {}
    for path in Path(folder).rglob("*.exr"):
        with OpenEXR.File(str(path), separate_channels=True) as file:
            found[re.sub(r"_v\d+", "", str(path.relative_to(folder)))] = {
                f"{i} {channel}": np.ascontiguousarray(told.pixels).tobytes()
                for i, part in enumerate(file.parts)
                for channel, told in part.channels.items()
            }
    assert found, folder
    return found


def wait_for(is_so: Callable[[], object], *, seconds: float = 60) -> None:
    """Wait until something is so."""
    until = time.monotonic() + seconds
    while not is_so():
        assert time.monotonic() < until, "it did not come to be in time"
        time.sleep(0.1)


def wait_in(page: Any, expression: str, *, arg: object = None, timeout: int = 30_000) -> None:
    """Wait until something is so in a page, asked from outside: its policy lets it evaluate nothing."""

    def is_so() -> object:
        try:
            return page.evaluate(expression, arg)
        except Error as error:
            if "navigation" in str(error):
                return False  # it is on its way to another address
            raise

    wait_for(is_so, seconds=timeout / 1000)


def box_of(element: Any) -> dict[str, float]:
    """Give where an element is; one that is drawn anew just now has no place for a moment."""
    boxes: list[dict[str, float]] = []
    wait_for(lambda: boxes.append(element.bounding_box()) or boxes[-1])
    return boxes[-1]


def measure_here(sessions: Any, code: str, knot: str) -> None:
    """Have a knot count a shot's frames as the engine would, where it waits to."""
    with sessions.begin() as session:
        shot = shows.find_shot(session, code)
        delivery, recipe = shot.delivery, recipes.current(session, shot)
        waiting = delivery.measured(knot)
        if waiting is None or waiting.state == "done":
            return
        passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
        counted = {
            number: measure_frame(knot, number, source_files(files), passes, window, recipe)[1]
            for number, files in deliveries.usable_frames(session, delivery).items()
        }
        waiting.key = countings(list(passes), recipe)[knot].key
        measuring.finish(waiting, counted, {})


def count_facts_here(session: Session, shot: Shot) -> None:
    """Have a shot's frames counted as the engine does when they arrive."""
    delivery = shot.delivery
    passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
    told = [
        look_through(FACTS, number, source_files(files), passes, window)
        for number, files in deliveries.usable_frames(session, delivery).items()
    ]
    measuring.finish(
        delivery.measured(FACTS), {number: facts for number, facts, _ in told}, {},
        {number: packed for number, _, packed in told},
    )  # fmt: skip


def carry_out_here(session: Session, run: Run) -> None:
    """Carry out a planned run in this process, without an engine, and close its package."""
    plan = plan_of(run)
    rows = {row.number: row for row in run.frames}
    for task in tasks_of(session, run):
        answer = carry_out(plan, task)
        row = rows[task.number]
        row.state = "failed" if answer.fault else "proven"
        row.attempts, row.ended_at = 1, now()
        row.fault, row.proof, row.log = dict(answer.fault), answer.proof, list(answer.log)
        row.checksum, row.size_bytes = answer.checksum, answer.size_bytes
    close_package(session, run)
    validate_manifest(run.folder)
    run.state = "failed" if any(row.fault for row in rows.values()) else "done"


def sound_of(path, seconds: float, rate: int = 22050) -> str:
    """A tone of 440 Hz in one channel, by the standard library."""
    samples = (np.sin(2 * np.pi * 440 * np.arange(int(seconds * rate)) / rate) * 12000).astype("<i2")
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(samples.tobytes())
    return str(path)


def cubic_by_hand(light, way, size):
    """Sample (H, W) or (H, W, C) light where a way says, with R. Keys' weights of every pixel written out."""

    def weights(places, at):
        away = np.abs(places - at)
        near, far = 1.5 * away**3 - 2.5 * away**2 + 1, -0.5 * away**3 + 2.5 * away**2 - 4 * away + 2
        return np.where(away <= 1, near, np.where(away < 2, far, 0))

    made = np.zeros((*size, *light.shape[2:]))
    for y, x in np.ndindex(*size):
        column, row, _ = way @ (x, y, 1)
        down, across = weights(np.arange(light.shape[0]), row), weights(np.arange(light.shape[1]), column)
        made[y, x] = np.einsum("i,j,ij...->...", down, across, light)
    return made
