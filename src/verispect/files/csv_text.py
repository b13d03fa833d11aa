"""Text in tables that spreadsheets open: what they would take for a formula is marked as text."""

from __future__ import annotations

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def as_text(value: str) -> str:
    """The text, with an apostrophe before it where a spreadsheet would reckon it.

    Examples
    --------
    >>> as_text("=1+1"), as_text("Kerb")
    ("'=1+1", 'Kerb')
    """
    return (
        f"'{value}"
        if value.startswith(_FORMULA) or (value.startswith("'") and value.lstrip("'").startswith(_FORMULA))
        else value
    )


def from_text(value: str) -> str:
    """The inverse of `as_text`."""
    return value[1:] if value.startswith("'") and value[1:].lstrip("'").startswith(_FORMULA) else value
