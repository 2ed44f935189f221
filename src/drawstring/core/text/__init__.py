"""Text on pictures: shaped by HarfBuzz, drawn by FreeType, in the fonts that ship with the house."""

from __future__ import annotations

from drawstring.core.text.drawing import (
    Weight,
    fitted_size,
    fitted_text,
    has_letter,
    shortened_text,
    text_size,
    write_text,
)

__all__ = ["Weight", "fitted_size", "fitted_text", "has_letter", "shortened_text", "text_size", "write_text"]
