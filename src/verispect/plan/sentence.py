"""Sentences that the core says: a template and its values, so that the window can translate them."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Sentence:
    """An English template in `str.format` style with the values that fill it.

    Examples
    --------
    >>> str(Sentence("{name} is {times:.1f} times too soft", {"name": "Kerb", "times": 1.84}))
    'Kerb is 1.8 times too soft'
    """

    template: str
    values: dict[str, object] = field(default_factory=dict)

    def __str__(self) -> str:
        return self.template.format(**self.values)
