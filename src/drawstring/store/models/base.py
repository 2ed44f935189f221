"""What all tables share: how Python's types are stored, and the present moment."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import DateTime, Float
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase

CODE = r"^[A-Za-z0-9][A-Za-z0-9_\-]{0,39}$"
"""What a show's or shot's code may look like: it becomes a folder name."""


def now() -> datetime:
    """Give the present moment, UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """The root of all tables."""

    type_annotation_map = {
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        datetime: DateTime(timezone=True),
        float: Float(53),
    }
