"""Every error Verispect raises on purpose.

VerispectError
├── GeometryError    a fair call with values for which the geometry has no answer
├── PlanError        a plan whose content cannot be used: says key, what was found, what would be right
└── FileError        a file that cannot be read or written: says which, and what to do
    └── NewerVersionError   written by a newer Verispect; may be looked at, not saved over
"""

from __future__ import annotations


class VerispectError(Exception):
    """Base of all errors whose text may be shown to the user as it stands."""


class GeometryError(VerispectError):
    """The geometry asked for does not exist (parallel planes have no hinge line, and the like)."""


class PlanError(VerispectError):
    """The content of a plan cannot be used."""

    def __init__(self, key: str, found: str, right: str) -> None:
        self.key = key
        self.found = found
        self.right = right
        super().__init__(f"{key}: found {found}; {right}")


class FileError(VerispectError):
    """A file cannot be read or written."""


class NewerVersionError(FileError):
    """The file was written by a newer version of Verispect."""
