"""Verispect: how to render something large and deep sharp throughout."""

__version__ = "0.1.0"

import os

# Looking through every installed package for plug-ins takes longer than all our own models; there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
