"""Verispect: how to render something large and deep sharp throughout."""
