"""`verispect settings`: the numbers of one method for the kit in the hand."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, FAILED, parser, read_plan_of, tell, worked_method

_ORDERS = ("near-far", "far-near", "centre-first", "least-loss")


def run(given: Sequence[str]) -> int:
    """Work a method out and print its settings; 1 where it does not hold every must."""
    options_of = parser("settings", "What to set for a method: mount, frames in order, bracket, head, rail.")
    options_of.add_argument("file", type=Path, metavar="PLAN")
    options_of.add_argument("--method", metavar="KEY", help="the chosen or advised one otherwise")
    options_of.add_argument("--order", choices=_ORDERS, help="the plan's by default")
    options = options_of.parse_args(given)
    from verispect.files.settings_json import settings_to_dict, settings_to_text
    from verispect.plan.document import Order
    from verispect.plan.setting.report import settings_of

    candidate = worked_method(options.file, read_plan_of(options.file), options.method)
    settings = settings_of(candidate, None if options.order is None else Order(options.order))
    tell(settings_to_dict(settings), settings_to_text(settings), as_json=options.json)
    return DONE if candidate.holds else FAILED
