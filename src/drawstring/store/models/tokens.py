"""Tokens by which programs reach the JSON interface."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.orm import Mapped, mapped_column

from drawstring.store.models.base import Base, Words, now


class Token(Base):
    """A program's key; only its digest is kept."""

    __tablename__ = "tokens"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Words(80), unique=True)
    digest: Mapped[str] = mapped_column(Words(64), unique=True)
    made_at: Mapped[datetime] = mapped_column(default=now)
    used_at: Mapped[datetime | None]
