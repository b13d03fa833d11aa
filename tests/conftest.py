"""What every test needs: no display, no home of its own, plans to work on."""

from __future__ import annotations

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# As many tests as cores run side by side: more threads than one to each only wait for one another.
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OPENCV_FOR_THREADS_NUM", "1")

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from verispect.files.plan_file import read_plan
from verispect.plan.document import Plan

settings.register_profile("suite", deadline=None, max_examples=50, derandomize=True)
settings.load_profile("suite")

ROOT = Path(__file__).parent.parent
EXAMPLES = sorted((ROOT / "examples").glob("*.verispect"))
DEMO = ROOT / "src" / "verispect" / "ui" / "demo" / "demo.verispect"


def make_plan(
    places: list[tuple[float, float, float]],
    *,
    framing: float = 24.0,
    lenses: list[dict[str, Any]] | None = None,
    camera: dict[str, Any] | None = None,
    marks: dict[str, Any] | None = None,
    **wish: Any,
) -> Plan:
    """A plan with musts at these places, numbered m0, m1 and so on; `marks` holds values for all of them."""
    content = {
        "format": "verispect-plan",
        "version": 1,
        "camera": {"height_m": 1.5, "framing_mm": framing} | (camera or {}),
        "marks": [
            {"name": f"m{k}", "x_m": x, "y_m": y, "z_m": z} | (marks or {}) for k, (x, y, z) in enumerate(places)
        ],
        "kit": {"lenses": lenses or [a_lens(framing)]},
        "wish": wish,
    }
    return Plan.model_validate(content)


def a_lens(focal: float = 24.0, **values: Any) -> dict[str, Any]:
    """A tilting, shifting lens with a wide circle; any value can be changed."""
    return {
        "name": f"{focal:g} tilt",
        "focal_mm": [focal, focal],
        "f_numbers": [2.8, 22],
        "closest_m": 0.25,
        "tilt_deg": 8.5,
        "shift_mm": 12,
        "image_circle_mm": 4.0 * focal + 40.0,
    } | values


@pytest.fixture
def plan_of() -> Callable[..., Plan]:
    return make_plan


@pytest.fixture
def demo() -> Plan:
    return read_plan(DEMO)
