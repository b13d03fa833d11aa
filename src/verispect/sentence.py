"""Sentences that the core says: a template and its values, so that the window can translate them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from string import Formatter


class _Figures(Formatter):
    """Figures below nothing with a minus sign, none before what rounds to nothing."""

    def format_field(self, value: object, format_spec: str) -> str:
        text = str(super().format_field(value, format_spec))
        if not isinstance(value, int | float) or not text.startswith("-"):
            return text
        return "−" + text[1:] if any(letter in text for letter in "123456789f") else text[1:]


_FIGURES = _Figures()


@dataclass(frozen=True)
class Sentence:
    """An English template in `str.format` style with the values that fill it.

    A value may be a sentence itself, or a tuple of sentences that follow one another.

    Examples
    --------
    >>> str(Sentence("{name} is {times:.1f} times too soft", {"name": "Kerb", "times": 1.84}))
    'Kerb is 1.8 times too soft'
    >>> str(Sentence("{a:.1f} and {b:.1f}", {"a": -0.23, "b": -0.01}))
    '−0.2 and 0.0'
    """

    template: str
    values: dict[str, object] = field(default_factory=dict)

    def __str__(self) -> str:
        return self.told(str)

    def told(self, tell: Callable[[Sentence], str], template: str | None = None) -> str:
        """The sentence with inner sentences, and rows of them, told by `tell`; in another template if given."""

        def told(value: object) -> object:
            if isinstance(value, Sentence):
                return tell(value)
            if isinstance(value, tuple):
                return "".join(tell(part) for part in value)
            return value

        values = {key: told(value) for key, value in self.values.items()}
        return _FIGURES.format(self.template if template is None else template, **values)


def capital(text: str) -> str:
    """A sentence as it begins a line; a stop stays as it is written everywhere.

    Examples
    --------
    >>> capital("wider than f/8"), capital("f/8 is the widest")
    ('Wider than f/8', 'f/8 is the widest')
    """
    return text if text.startswith("f/") else text[:1].upper() + text[1:]
