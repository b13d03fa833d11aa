"""Every error Verispect raises on purpose.

VerispectError
├── GeometryError    a fair call with values for which the geometry has no answer
├── PlanError        a plan whose content cannot be used: says key, what was found, what would be right
└── FileError        a file that cannot be read or written: says which, and what to do
    └── NewerVersionError   written by a newer Verispect; may be looked at, not saved over
"""

from __future__ import annotations

from typing import Any, Self

from verispect.sentence import Sentence


class VerispectError(Exception):
    """Base of all errors whose text may be shown to the user as it stands.

    Attributes
    ----------
    sentence : Sentence
        What is said, as a template with its values, so that the window can translate it.
    """

    def __init__(self, template: str, **values: object) -> None:
        self.sentence = _sentence(template, values)
        super().__init__(str(self.sentence))

    def __reduce__(self) -> tuple[Any, ...]:
        """Errors come back from the weighing's process as they were."""
        return _as_before, (type(self), self.__dict__)

    @classmethod
    def _from(cls, attributes: dict[str, Any]) -> Self:
        made = cls.__new__(cls)
        made.__dict__.update(attributes)
        made.args = (str(made.sentence),)
        return made


def _as_before(kind: type[VerispectError], attributes: dict[str, Any]) -> VerispectError:
    return kind._from(attributes)


def _sentence(template: str, values: dict[str, object]) -> Sentence:
    """A text without values is its own template, unless it holds braces of its own."""
    if values or not set(template) & {"{", "}"}:
        return Sentence(template, values)
    return Sentence("{text}", {"text": template})


class GeometryError(VerispectError):
    """The geometry asked for does not exist (parallel planes have no hinge line, and the like)."""


class PlanError(VerispectError):
    """The content of a plan cannot be used.

    `found` and `right` may be templates over the same values.
    """

    def __init__(self, key: str, found: str, right: str, **values: object) -> None:
        parts: dict[str, object] = {"key": key, "found": _sentence(found, values), "right": _sentence(right, values)}
        super().__init__("{key}: found {found}; {right}", **parts)
        self.key = key
        self.found, self.right = str(parts["found"]), str(parts["right"])


class FileError(VerispectError):
    """A file cannot be read or written."""


class NewerVersionError(FileError):
    """The file was written by a newer version of Verispect."""


class Cancelled(Exception):  # noqa: N818 - not an error: the user asked for it
    """The work was no longer wanted."""
