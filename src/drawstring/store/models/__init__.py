"""The tables. Constraints make nonsense impossible: a frame without a delivery, two runs of one version.

Facts that only travel together (headers, findings, recipes) are JSONB, written from and read into the
core's typed objects. Times are UTC.
"""

from drawstring.store.models.base import CODE, Base, now
from drawstring.store.models.deliveries import Delivery, Frame, Measurement, Member, PassRow
from drawstring.store.models.joinings import Joining
from drawstring.store.models.orders import AskedAgain, OrderedShot, OrderRow, OwedPiece
from drawstring.store.models.recordings import Recording
from drawstring.store.models.reviews import Review
from drawstring.store.models.runs import Package, Run, RunFrame
from drawstring.store.models.sendings import Sending
from drawstring.store.models.shows import (
    DictionaryEntry,
    Dismissal,
    Revision,
    ScanRow,
    Shot,
    Show,
    WatchedFolder,
)
from drawstring.store.models.tokens import Token

__all__ = [
    "CODE", "AskedAgain", "Base", "Delivery", "DictionaryEntry", "Dismissal", "Frame", "Joining",
    "Measurement", "Member",
    "OrderRow", "OrderedShot", "OwedPiece", "Package", "PassRow", "Recording", "Review", "Revision", "Run",
    "RunFrame",
    "ScanRow", "Sending", "Shot", "Show",
    "Token", "WatchedFolder", "now",
]  # fmt: skip
