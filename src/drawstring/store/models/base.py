"""What all tables share: how Python's types are stored, and the present moment."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import DateTime, Dialect, Float, String, TypeDecorator
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase

from drawstring.store.storable import storable, storable_text

CODE = r"[^\W_][\w\-]{0,39}"
"""What a show's or shot's code may look like, in any script: it becomes a folder name."""

CODE_CHECK = r"code !~ '[[:space:][:cntrl:]/\\.]' AND length(code) BETWEEN 1 AND 40"
"""What the database holds codes to, whatever its own idea of letters is."""


def now() -> datetime:
    """Give the present moment, UTC."""
    return datetime.now(UTC)


class Told(TypeDecorator[Any]):
    """A document that can hold whatever files tell: what PostgreSQL's JSON has no form for is left empty."""

    impl = JSONB
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        """Give the document in a form that can be stored."""
        return storable(value)


class Words(TypeDecorator[str]):
    """Text that can hold whatever files and people say."""

    impl = String
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        """Give the text in a form that can be stored."""
        return storable_text(value) if isinstance(value, str) else value


class Base(DeclarativeBase):
    """The root of all tables."""

    type_annotation_map = {
        dict[str, Any]: Told,
        list[Any]: Told,
        str: Words,
        datetime: DateTime(timezone=True),
        float: Float(53),
    }
