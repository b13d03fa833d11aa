"""What a join has measured, as JSON in its working folder: another try over the same frames takes it up."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from verispect.files.atomic import write_atomically
from verispect.optics.types import Floats
from verispect.prove.checks.parallax import Slide
from verispect.prove.expected import View
from verispect.prove.join.canvas import Canvas
from verispect.prove.join.ghosts import Ghost
from verispect.prove.join.pointing import Pair

Measured = tuple[list[View], list[Pair], Floats, list[Ghost], Slide | None, list[int]]


def view_as_json(view: View) -> dict[str, Any]:
    """A view's numbers, which JSON keeps to the last digit."""
    return {"rotation": view.rotation.tolist(), "scale_px": view.scale_px, "centre_px": list(view.centre_px),
            "bend": view.bend, "falloff": list(view.falloff)}  # fmt: skip


def view_from_json(told: dict[str, Any]) -> View:
    """The view of such numbers."""
    column, row = told["centre_px"]
    natural, fourth = told["falloff"]
    return View(np.array(told["rotation"], float), told["scale_px"], (column, row), told["bend"], (natural, fourth))


def canvas_as_json(canvas: Canvas) -> dict[str, Any]:
    """A canvas's numbers."""
    return {
        "projection": canvas.projection, "basis": canvas.basis.tolist(), "scale_px": canvas.scale_px,
        "size": list(canvas.size), "corner": list(canvas.corner),
    }  # fmt: skip


def canvas_from_json(told: dict[str, Any]) -> Canvas:
    """The canvas of such numbers."""
    wide, high = told["size"]
    across, down = told["corner"]
    return Canvas(told["projection"], np.array(told["basis"], float), told["scale_px"], (wide, high), (across, down))


def ghost_as_json(ghost: Ghost) -> dict[str, Any]:
    """A ghost's numbers."""
    return {"outline": ghost.outline.tolist(), "shown_by": ghost.shown_by, "out": list(ghost.out),
            "passed": ghost.passed}  # fmt: skip


def ghost_from_json(told: dict[str, Any]) -> Ghost:
    """The ghost of such numbers."""
    return Ghost(np.array(told["outline"], float), told["shown_by"], tuple(told["out"]), told["passed"])


def write_measured(path: Path, asked: str, measured: Measured) -> None:
    """Keep it, with what it was measured of."""
    views, pairs, gains, ghosts, slide, black = measured
    told = {
        "asked": asked,
        "views": [view_as_json(view) for view in views],
        "pairs": [
            {**vars(pair), "turn": np.asarray(pair.turn).tolist(), "held": np.asarray(pair.held).tolist()}
            for pair in pairs
        ],
        "gains": np.asarray(gains).tolist(),
        "ghosts": [ghost_as_json(ghost) for ghost in ghosts],
        "slide": None if slide is None else vars(slide),
        "black": black,
    }
    write_atomically(path, json.dumps(told).encode("utf-8"))


def read_measured(path: Path, asked: str) -> Measured | None:
    """What was kept of the very same frames and places; None where there is none, or it is of others."""
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        if told["asked"] != asked:
            return None
        views = [view_from_json(view) for view in told["views"]]
        pairs = [
            Pair(**{**pair, "turn": np.array(pair["turn"], float), "held": np.array(pair["held"], float)})
            for pair in told["pairs"]
        ]
        ghosts = [ghost_from_json(one) for one in told["ghosts"]]
        slide = None if told["slide"] is None else Slide(**told["slide"])
        return views, pairs, np.array(told["gains"], float), ghosts, slide, [int(k) for k in told["black"]]
    except (OSError, ValueError, KeyError, TypeError):
        return None
