"""A grid's exposures put in the order in which its places are gone through."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.plan.document import GridPath
from verispect.plan.frames.exposure import Exposure
from verispect.sentence import Sentence

Cell = tuple[int, int]


def place_numbers(exposures: Sequence[Exposure]) -> list[int]:
    """Which place of the camera each exposure is taken from, counted as they come."""
    seen: dict[tuple[float, ...], int] = {}
    found = []
    for exposure in exposures:
        where = (*np.round(exposure.pose.forward, 9).tolist(), *np.round(exposure.sensor_centre_mm, 6).tolist())
        found.append(seen.setdefault(where, len(seen)))
    return found


def path_words(path: GridPath) -> Sentence:
    """A path as it is told."""
    ways = {
        ("rows", False): "row by row from the {corner}, each the same way",
        ("rows", True): "row by row from the {corner}, there and back",
        ("columns", False): "column by column from the {corner}, each the same way",
        ("columns", True): "column by column from the {corner}, there and back",
    }
    return Sentence(ways[path.by, path.there_and_back], {"corner": Sentence(path.start)})


def along_path(
    exposures: Sequence[Exposure], rows: Sequence[int], path: GridPath
) -> tuple[list[Exposure], list[Cell]]:
    """Exposures laid out row by row from the top left, and so many places a row, in the order of a path.

    Returns
    -------
    exposures : list of Exposure
        What is taken from one place stays together, in its own order.
    cells : list of (row, column)
        Of each, from 0 at the top left.
    """
    cells = [(row, column) for row, count in enumerate(rows) for column in range(count)]
    places = place_numbers(exposures)
    order = {cell: k for k, cell in enumerate(_visited(rows, path))}
    by_way = sorted(range(len(exposures)), key=lambda k: order[cells[places[k]]])
    return [exposures[k] for k in by_way], [cells[places[k]] for k in by_way]


def _visited(rows: Sequence[int], path: GridPath) -> list[Cell]:
    """Cells as they are come to."""
    from_below, from_right = path.start.startswith("bottom"), path.start.endswith("right")
    if path.by == "rows":
        lines = [[(row, column) for column in range(count)] for row, count in enumerate(rows)]
        outer, inner = from_below, from_right
    else:
        lines = _columns(rows)
        outer, inner = from_right, from_below
    lines = lines[::-1] if outer else lines
    found: list[Cell] = []
    for number, line in enumerate(lines):
        back = inner != (path.there_and_back and number % 2 == 1)
        found.extend(line[::-1] if back else line)
    return found


def _columns(rows: Sequence[int]) -> list[list[Cell]]:
    """Columns of the widest row, from the top; of shorter rows each place belongs to the column it stands in."""
    most = max(rows)
    lines: list[list[Cell]] = [[] for _ in range(most)]
    for row, count in enumerate(rows):
        for column in range(count):
            lines[min(int((column + 0.5) / count * most), most - 1)].append((row, column))
    return [line for line in lines if line]
