"""Pack: the channel map, stored types and header of what goes out."""

from drawstring.core.pack.form import Compression, StoredType
from drawstring.core.pack.header import header_of
from drawstring.core.pack.layout import OutputChannel, lay_out
from drawstring.core.pack.settings import PackRow, PackSettings
from drawstring.core.pack.storing import Stowed, stow

__all__ = [
    "Compression",
    "OutputChannel",
    "PackRow",
    "PackSettings",
    "StoredType",
    "Stowed",
    "header_of",
    "lay_out",
    "stow",
]
