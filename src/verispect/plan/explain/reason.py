"""A number's reason: what it is, its sum with this case's values, where the formula comes from."""

from __future__ import annotations

from dataclasses import dataclass

from verispect.sentence import Sentence


@dataclass(frozen=True)
class Reason:
    """A number's name, its sum with values put in, and where the formula comes from."""

    what: Sentence
    working: Sentence
    source: Sentence
