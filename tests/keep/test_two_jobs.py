"""Two jobs side by side: what differs is told once, what is the same is not."""

from __future__ import annotations

from dataclasses import replace

from verispect.keep.entry import entry_of
from verispect.keep.two_jobs import rows_table, side_by_side

PLAN = {
    "title": "Weir", "marks": [{"name": "Post", "z_m": 4.0}, {"name": "Gate", "z_m": 9.0}],
    "wish": {"print_mm": [600, 400]}, "photo": {"path": "a.jpg"},
}  # fmt: skip


def test_what_differs_is_told_and_nothing_else() -> None:
    other = {
        **PLAN,
        "marks": [{"name": "Post", "z_m": 4.5}, {"name": "Gate", "z_m": 9.0}],
        "photo": {"path": "b.jpg"},
    }
    checks = [
        {"redo": [], "marks": [{"name": "Post", "verdict": "sharp", "softness": 0.7, "plus_minus": 0.1}]},
        {"redo": ["frame 2"], "marks": [{"name": "Post", "verdict": "soft", "softness": 1.4},
                                        {"name": "Gate", "verdict": "cannot-say"}]},
    ]  # fmt: skip
    first = replace(entry_of(PLAN, check=checks[0], planned_s=60.0), created="2027-01-01T00:00:00Z")
    second = replace(entry_of(other, check=checks[1], planned_s=90.0), created="2027-02-01T00:00:00Z")
    rows = {(row.group, row.what): (row.first, row.second) for row in side_by_side(first, second)}
    assert rows == {
        ("job", "when"): ("2027-01-01T00:00:00Z", "2027-02-01T00:00:00Z"),
        ("job", "verdict"): ("good", "redo"),
        ("job", "minutes planned"): ("1.0", "1.5"),
        ("job", "frames to shoot again"): ("0", "1"),
        ("came out", "Post"): ("sharp 0.70 ± 0.10", "soft 1.40"),
        ("came out", "Gate"): ("", "cannot say"),
        ("planned", "marks · Post · z_m"): ("4", "4.5"),
    }
    assert "marks · Post · z_m" in rows_table(side_by_side(first, second))


def test_a_job_beside_itself_says_nothing_but_how_it_came_out() -> None:
    entry = entry_of(PLAN)
    assert side_by_side(entry, entry) == []
    assert rows_table([]) == "both are the same"


def test_many_figures_are_counted_not_listed() -> None:
    first, second = (
        entry_of({"marks": [{"name": f"m{k}", "x_m": k + off} for k in range(300)]}) for off in (0.0, 0.5)
    )
    figures = [row for row in side_by_side(first, second) if row.group == "planned"]
    assert len(figures) == 201
    assert figures[-1].what == "and 100 figures more"
