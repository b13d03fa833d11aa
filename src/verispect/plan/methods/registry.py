"""The methods by key, simplest first. A new method is a new module with one function, named here."""

from __future__ import annotations

from collections.abc import Callable

from verispect.plan.candidate import Candidate
from verispect.plan.methods import (
    one_frame,
    rail_series,
    series,
    shift_grid,
    tilt,
    tilt_series,
    turned_grid,
    turned_grid_series,
)
from verispect.plan.scene import Scene

METHODS: dict[str, Callable[[Scene], Candidate]] = {
    "one-frame": one_frame.one_frame,
    "tilt": tilt.tilt,
    "series": series.series,
    "tilt-series": tilt_series.tilt_series,
    "shift-grid": shift_grid.shift_grid,
    "turned-grid": turned_grid.turned_grid,
    "turned-grid-series": turned_grid_series.turned_grid_series,
    "rail-series": rail_series.rail_series,
}


def worked(key: str, scene: Scene) -> Candidate:
    """One method worked out."""
    return METHODS[key](scene)
