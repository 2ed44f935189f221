"""Tokens of programs: made once and told once, known by their digest, taken away."""

from __future__ import annotations

import hashlib
import secrets

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.store.models import Token, now


def make_token(session: Session, name: str) -> str:
    """Make a token; what is given here is not kept and can't be told again.

    Raises
    ------
    SettingError, ConflictError
        There is no name, or it is taken.
    """
    name = name.strip()
    if not name or len(name) > 80:
        raise SettingError(
            "A token needs a name of 1 to 80 letters.", where="token",
            why="By it one knows which program it is.", remedy="Name the program that will use it.",
        )  # fmt: skip
    if session.scalar(select(Token).where(Token.name == name)):
        raise ConflictError(
            f"There is a token “{name}” already.", where="token", why="They could not be told apart.",
            remedy="Remove it first, or choose another name.",
        )  # fmt: skip
    secret = secrets.token_urlsafe(32)
    session.add(Token(name=name, digest=_digest(secret)))
    session.flush()
    return secret


def holder_of(session: Session, secret: str) -> str | None:
    """Give the name of whoever holds a token; None where nobody does."""
    token = session.scalar(select(Token).where(Token.digest == _digest(secret)))
    if token is None:
        return None
    token.used_at = now()
    return token.name


def tokens(session: Session) -> list[Token]:
    """List all tokens by name."""
    return list(session.scalars(select(Token).order_by(Token.name)))


def drop_token(session: Session, name: str) -> None:
    """Take a token away; the program that holds it is refused from then on.

    Raises
    ------
    MissingError
        There is none of this name.
    """
    token = session.scalar(select(Token).where(Token.name == name))
    if token is None:
        raise MissingError(f"There is no token “{name}”.", where="token", remedy="List them first.")
    session.delete(token)
    session.flush()


def _digest(secret: str) -> str:
    # Random and long: a plain digest is enough, there is nothing to guess.
    return hashlib.sha256(secret.encode()).hexdigest()
