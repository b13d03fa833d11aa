"""How fast common things move across the view: estimates from memory, a start where nothing was measured."""

from __future__ import annotations

# Words and mm/s. Wind speeds follow the sea's scale; a person walks at 1.4 m/s (common figures, no source).
PACES: tuple[tuple[str, float], ...] = (
    ("still", 0.0),
    ("grass in a breath of air", 20.0),
    ("leaves and twigs in a light breeze", 100.0),
    ("branches in a fresh breeze", 500.0),
    ("a flag in the wind", 800.0),
    ("slow water", 300.0),
    ("a person standing", 5.0),
    ("a person walking", 1400.0),
    ("a cyclist", 5000.0),
    ("a car in town", 14000.0),
)
