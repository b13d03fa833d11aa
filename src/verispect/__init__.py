"""Verispect: how to render something large and deep sharp throughout."""

__version__ = "0.1.0"
