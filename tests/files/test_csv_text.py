"""Text in spreadsheets: never reckoned, and the same again when read."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from verispect.files.csv_text import as_text, from_text


@given(st.text())
def test_what_is_written_is_read_again(text: str) -> None:
    assert from_text(as_text(text)) == text


@given(st.sampled_from("=+-@\t\r"), st.text())
def test_nothing_begins_as_a_formula(sign: str, rest: str) -> None:
    assert as_text(sign + rest).startswith("'")
