"""Findings put away by people, with a reason; each comes back by itself when its fact changes."""

from __future__ import annotations

from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.findings import Severity
from drawstring.store.models import Dismissal, Shot
from drawstring.store.standing import standing


def dismiss(session: Session, shot: Shot, fact: str, reason: str, *, by: str = "") -> Dismissal:
    """Put a finding away.

    Parameters
    ----------
    fact : str
        The finding's own digest.
    reason : str
        Why it does not matter here; others read it later.

    Raises
    ------
    SettingError
        No reason was given.
    MissingError
        The shot has no such finding (any more).
    ConflictError
        It stops the shot.
    """
    finding = next((one for one in standing(session, shot).all_findings if one.fact == fact), None)
    if finding is None:
        raise MissingError(
            "This finding is not there any more.", where="finding", why="Its fact has changed since.",
            remedy="Look at the findings as they are now.",
        )  # fmt: skip
    if finding.severity is Severity.STOPS:
        raise ConflictError(
            "A finding that stops the shot can't be dismissed.", where="finding", why=finding.why,
            remedy=finding.remedy,
        )  # fmt: skip
    reason = reason.strip()
    if not reason or len(reason) > 400:
        raise SettingError(
            "A finding is dismissed with a reason of up to 400 letters.", where="finding.reason",
            why="Whoever finds it next wants to know.", remedy="Type why it does not matter for this shot.",
        )  # fmt: skip
    dismissal = Dismissal(shot_id=shot.id, code=finding.code, fact=fact, reason=reason, by=by)
    session.add(dismissal)
    session.flush()
    session.expire(shot, ["dismissals"])
    return dismissal


def bring_back(session: Session, shot: Shot, fact: str) -> None:
    """Bring a dismissed finding back."""
    for dismissal in [one for one in shot.dismissals if one.fact == fact]:
        session.delete(dismissal)
    session.flush()
    session.expire(shot, ["dismissals"])
