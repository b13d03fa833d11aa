"""All methods beside one another: one row each, as figures, for the window, a table, or a letter."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable
from dataclasses import dataclass

from verispect.optics.f_stops import marked
from verispect.plan.advise.weigh import Weighing
from verispect.plan.assess.costs import Costs, costs_of
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import method_of
from verispect.sentence import Sentence


@dataclass(frozen=True)
class Column:
    """One figure of every method.

    Attributes
    ----------
    key : str
    title, hint : Sentence
    unit : str
    value : callable
        Of a fitting candidate and its costs; NaN for what is not known.
    digits : int
        Behind the point.
    """

    key: str
    title: Sentence
    hint: Sentence
    unit: str
    value: Callable[[Candidate, Costs], float]
    digits: int = 0


def _megapixels(candidate: Candidate, costs: Costs) -> float:
    width, height = candidate.kept_pixels
    return width * height / 1e6


def _drift(_candidate: Candidate, costs: Costs) -> float:
    return math.nan if costs.drift_stops is None else costs.drift_stops


def _sure(candidate: Candidate, _costs: Costs) -> float:
    return math.nan if candidate.confidence is None else 100.0 * candidate.confidence.holds


COLUMNS = (
    Column("frames", Sentence("Frames"), Sentence("To be taken"), "", lambda c, _: float(c.frame_count)),
    Column(
        "softest", Sentence("Softest"), Sentence("Softness of the softest must: 1 is just acceptable"), "×",
        lambda c, _: c.worst_softness, 2,
    ),
    Column("sure", Sentence("Sure"), Sentence("Of 100 draws with the ± given so many hold"), "%", _sure),
    Column("minutes", Sentence("On site"), Sentence("Set-up and frames"), "min",
           lambda c, _: c.time_on_site_s / 60.0, 1),
    Column("run", Sentence("Run"), Sentence("From the first exposure's beginning to the last one's end"), "s",
           lambda c, _: c.run_s, 1),
    Column("pixels", Sentence("Picture"), Sentence("Final pixels after crop and merge"), "MP", _megapixels, 1),
    Column("storage", Sentence("Storage"), Sentence("Raw files; an estimate"), "MB", lambda _, k: k.storage_mb),
    Column("computing", Sentence("Computer"), Sentence("Merging and joining; an estimate"), "min",
           lambda _, k: k.computing_s / 60.0, 1),
    Column("battery", Sentence("Battery"), Sentence("Of one charge; an estimate"), "%",
           lambda _, k: 100.0 * k.battery, 1),
    Column("drift", Sentence("Light"), Sentence("Change of daylight over the run"), "EV", _drift, 2),
    Column("smear", Sentence("Smear"), Sentence("Longest path in one exposure"), "px", lambda _, k: k.smear_px, 1),
    Column("ghost", Sentence("Ghosts"), Sentence("Longest path between frames"), "px", lambda _, k: k.ghost_px),
    Column("parallax", Sentence("Parallax"), Sentence("Near against far between frames"), "px",
           lambda _, k: k.parallax_px, 1),
)  # fmt: skip


@dataclass(frozen=True)
class Row:
    """One method.

    Attributes
    ----------
    key : str
    candidate : Candidate
    state : Sentence
        holds, misses a mark, too soft, does not fit.
    setting : str
        Lens, focal length and stop; empty where it does not fit.
    figures : dict of str to float
        By the columns' keys; empty where it does not fit.
    advised : bool
    """

    key: str
    candidate: Candidate
    state: Sentence
    setting: str
    figures: dict[str, float]
    advised: bool


def comparison(weighing: Weighing) -> list[Row]:
    """A row for every method, in their usual order."""
    return [_row(weighing, candidate) for candidate in weighing.candidates]


def _state(candidate: Candidate) -> Sentence:
    if candidate.holds:
        return Sentence("holds")
    return Sentence("misses a mark") if candidate.lost_marks or candidate.is_sharp else Sentence("too soft")


def _row(weighing: Weighing, candidate: Candidate) -> Row:
    advised = candidate.key == weighing.advised
    if not candidate.fits or candidate.lens is None:
        return Row(candidate.key, candidate, Sentence("does not fit"), "", {}, advised)
    costs = costs_of(candidate)
    stop = marked(candidate.exposures[0].state.f_number)
    return Row(
        candidate.key,
        candidate,
        _state(candidate),
        f"{candidate.lens.name}, {candidate.focal_mm:.4g} mm, f/{stop}",
        {column.key: column.value(candidate, costs) for column in COLUMNS},
        advised,
    )


def written(column: Column, row: Row) -> str:
    """A figure as it stands in a table; empty where there is none."""
    value = row.figures.get(column.key, math.nan)
    if math.isnan(value):
        return ""
    return f"{value:.{column.digits}f}" if math.isfinite(value) else "∞"


def _table(rows: list[Row], tell: Callable[[Sentence], str]) -> list[list[str]]:
    head = ["Method", "State", "With"]
    titles = [tell(Sentence(part)) for part in head]
    titles += [f"{tell(column.title)} [{column.unit}]" if column.unit else tell(column.title) for column in COLUMNS]
    body = []
    for row in rows:
        name = tell(Sentence(method_of(row.key).name)) + (" *" if row.advised else "")
        body.append([name, tell(row.state), row.setting, *(written(column, row) for column in COLUMNS)])
    return [titles, *body]


def as_csv(rows: list[Row], tell: Callable[[Sentence], str] = str) -> str:
    """The rows as CSV; the advised method bears a star."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows(_table(rows, tell))
    return out.getvalue()


def as_markdown(rows: list[Row], tell: Callable[[Sentence], str] = str) -> str:
    """The rows as a Markdown table."""
    table = [[cell.replace("|", "\\|") for cell in line] for line in _table(rows, tell)]
    lines = ["| " + " | ".join(line) + " |" for line in table]
    rule = "|" + "|".join(["---", "---", "---", *["---:"] * len(COLUMNS)]) + "|"
    return "\n".join([lines[0], rule, *lines[1:]]) + "\n"
