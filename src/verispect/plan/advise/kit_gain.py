"""What one more lens would have made of jobs done: each plan weighed with and without it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from verispect.errors import Cancelled, VerispectError
from verispect.kit.lens import Lens
from verispect.plan.advise.weigh import advised_of
from verispect.plan.document import Plan
from verispect.plan.methods.method import method_of
from verispect.sentence import Sentence

# Weighing a plan twice takes a second or some: so many of the newest jobs are looked at.
MOST_JOBS = 40


@dataclass(frozen=True)
class Advised:
    """What was advised of a plan: whether it holds, with how many frames, in what time, by which lens."""

    method: str
    holds: bool
    frames: int
    time_s: float
    lens: str


@dataclass(frozen=True)
class Gain:
    """A job as it was and as it would be with the lens."""

    title: str
    before: Advised
    after: Advised

    @property
    def uses_it(self) -> bool:
        """Whether the lens changes what is advised."""
        return self.before != self.after


def gains(
    jobs: Sequence[dict[str, Any]],
    lens: Lens,
    *,
    progress: Callable[[float], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> tuple[Gain, ...]:
    """Weigh jobs, given as plans' content, with the lens beside their own; what cannot be weighed is left out.

    Raises
    ------
    Cancelled
    """
    found = []
    for number, content in enumerate(jobs):
        if progress is not None:
            progress(number / len(jobs))
        try:
            plan = Plan.model_validate(content)
            before = _advised(plan, is_cancelled)
            after = _advised(_with(plan, lens), is_cancelled)
        except Cancelled:
            raise
        except (ValidationError, VerispectError):
            continue
        if before is not None and after is not None:
            found.append(Gain(plan.title, before, after))
    return tuple(found)


def _with(plan: Plan, lens: Lens) -> Plan:
    others = tuple(own for own in plan.kit.lenses if own.name != lens.name)
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": (*others, lens)})})


def _advised(plan: Plan, is_cancelled: Callable[[], bool] | None) -> Advised | None:
    best = advised_of(plan, is_cancelled=is_cancelled)
    if best is None:
        return None
    lens = "" if best.lens is None else best.lens.name
    return Advised(best.key, best.holds, best.frame_count, best.time_on_site_s, lens)


_IN_ALL = (
    "With {lens}, of {n} jobs {saved} that nothing held would have held; {both} others would have gone another way, "
    "with {frames} frames and {minutes:.0f} minutes less in all"
)
_ONE = "{title}: {before} in {n} frames, {m:.0f} min{failed}; with it {after} in {k} frames, {l:.0f} min"


def gain_sentences(found: Sequence[Gain], lens: str) -> list[Sentence]:
    """What it comes to, and each job that would have gone otherwise."""
    if not found:
        return [Sentence("No job in the logbook can be weighed again")]
    changed = [gain for gain in found if gain.uses_it]
    if not changed:
        return [Sentence("With {lens} none of {n} jobs would have gone another way", {"lens": lens, "n": len(found)})]
    saved = [gain for gain in changed if gain.after.holds and not gain.before.holds]
    both = [gain for gain in changed if gain.after.holds and gain.before.holds]
    values: dict[str, object] = {
        "lens": lens, "n": len(found), "saved": len(saved), "both": len(both),
        "frames": sum(gain.before.frames - gain.after.frames for gain in both),
        "minutes": sum(gain.before.time_s - gain.after.time_s for gain in both) / 60.0,
    }  # fmt: skip
    return [Sentence(_IN_ALL, values), *map(_told, changed)]


def _told(gain: Gain) -> Sentence:
    before, after = gain.before, gain.after
    values: dict[str, object] = {
        "title": gain.title or Sentence("(untitled)"),
        "before": Sentence(method_of(before.method).name), "n": before.frames, "m": before.time_s / 60.0,
        "failed": "" if before.holds else Sentence(", which did not hold"),
        "after": Sentence(method_of(after.method).name), "k": after.frames, "l": after.time_s / 60.0,
    }  # fmt: skip
    return Sentence(_ONE, values)
