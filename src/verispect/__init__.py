"""Verispect: how to render something large and deep sharp throughout.

The face for notebooks and programs, without a window: `load_plan`, `weigh`, `light`, `check`, `merge`, `join`.
"""

from __future__ import annotations

import os

# Looking through every installed package for plug-ins takes longer than all our own models; there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"
__all__ = ["check", "join", "light", "load_plan", "merge", "weigh"]

if TYPE_CHECKING:
    from verispect.face import check, join, light, load_plan, merge, weigh


def __getattr__(name: str) -> Any:
    """What is named in `__all__`, loaded when first asked for, so that the window opens at once."""
    if name in __all__:
        from verispect import face

        return getattr(face, name)
    raise AttributeError(f"module 'verispect' has no attribute {name!r}")
