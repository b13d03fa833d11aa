"""One module for each method; each yields exposures. `worked` runs them by key."""

from verispect.plan.methods.registry import METHODS, worked

__all__ = ["METHODS", "worked"]
