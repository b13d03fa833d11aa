"""A run: the frames of a method one at a time, what happened to each, on disk after every act.

It knows no clock and no window: both are given to it, so that it can be tested and resumed the next day.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.files.run_file import Run, RunFrame, read_run, write_run
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate


class Step(StrEnum):
    """How a frame stands."""

    TODO = "todo"
    DONE = "done"
    AGAIN = "again"


@dataclass(frozen=True)
class Item:
    """One frame of the run: a shot of a planned exposure, or one inserted between."""

    exposure: int | None
    shot: int = 0
    step: Step = Step.TODO
    file: str | None = None
    taken: str | None = None
    note: str = ""
    inserted: bool = False
    times_taken: int = 0


@dataclass(frozen=True)
class RunState:
    """A run as it stands; every act gives a new one.

    Attributes
    ----------
    method : str
    items : tuple of Item
    place : int
        The frame that is to be taken now; as many as there are items when all is done.
    paused : bool
    begun : str or None
        When the first frame was taken.
    """

    method: str
    items: tuple[Item, ...]
    place: int = 0
    paused: bool = False
    begun: str | None = None

    @property
    def is_over(self) -> bool:
        """Whether every frame is taken."""
        return self.place >= len(self.items)

    @property
    def current(self) -> Item | None:
        """The frame to be taken now."""
        return None if self.is_over else self.items[self.place]

    @property
    def left(self) -> int:
        """Frames still to be taken."""
        return sum(item.step is not Step.DONE for item in self.items)

    def done(self, *, now: datetime, file: str | None = None, note: str = "") -> RunState:
        """The current frame was taken."""
        item = self.current
        if item is None or self.paused:
            return self
        told = _told(now)
        taken = replace(
            item, step=Step.DONE, file=file or item.file, taken=told, note=note or item.note,
            times_taken=item.times_taken + 1,
        )  # fmt: skip
        items = (*self.items[: self.place], taken, *self.items[self.place + 1 :])
        return replace(self, items=items, place=_next_of(items, self.place + 1), begun=self.begun or told)

    def again(self) -> RunState:
        """The frame taken last, or the current one, is to be taken again."""
        last = max((k for k, item in enumerate(self.items) if item.step is Step.DONE and k < max(self.place, 1)),
                   default=self.place)  # fmt: skip
        return self.repeat(min(last, len(self.items) - 1))

    def repeat(self, place: int) -> RunState:
        """One frame is to be taken again, whenever; it becomes the current one."""
        if not 0 <= place < len(self.items):
            return self
        items = (*self.items[:place], replace(self.items[place], step=Step.AGAIN), *self.items[place + 1 :])
        return replace(self, items=items, place=place)

    def insert(self, note: str = "") -> RunState:
        """One more frame before the current one, with the settings of the frame before it."""
        before = self.items[max(self.place - 1, 0)] if self.items else Item(None)
        if before.exposure is None:
            before = self.items[0] if self.items else before
        extra = Item(before.exposure, before.shot, note=note, inserted=True)
        return replace(self, items=(*self.items[: self.place], extra, *self.items[self.place :]))

    def pause(self, on: bool) -> RunState:
        """Hold, or go on."""
        return replace(self, paused=on)

    def with_note(self, note: str) -> RunState:
        """A word about the current frame."""
        if self.current is None:
            return self
        items = (*self.items[: self.place], replace(self.items[self.place], note=note), *self.items[self.place + 1 :])
        return replace(self, items=items)


def _next_of(items: tuple[Item, ...], start: int) -> int:
    """The next frame that is not done: from here on, else one left before."""
    order = [*range(start, len(items)), *range(start)]
    return next((k for k in order if k < len(items) and items[k].step is not Step.DONE), len(items))


def _told(now: datetime) -> str:
    return now.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def seconds_taken(frames: Sequence[dict[str, Any]]) -> float | None:
    """From the first frame of a run's account to its last; None for fewer than two that tell their time."""
    moments = []
    for frame in frames:
        told = (frame.get("happened") or {}).get("taken")
        try:
            moments.append(datetime.fromisoformat(str(told)))
        except ValueError:
            continue
    if len(moments) < 2 or len({moment.tzinfo is None for moment in moments}) > 1:
        return None
    return (max(moments) - min(moments)).total_seconds()


def begin(candidate: Candidate) -> RunState:
    """A run of a method's exposures in their order."""
    return RunState(candidate.key, tuple(Item(shot.exposure, shot.number) for shot in candidate.shots))


def shot_of(candidate: Candidate, item: Item) -> Shot:
    """What the camera is to be set to for a frame of the run."""
    steps = candidate.scene.plan.choice.shots.steps
    return Shot(item.exposure or 0, item.shot, steps[min(item.shot, len(steps) - 1)])


def pressed_together(candidate: Candidate, state: RunState) -> int:
    """How many frames, from the current one on, come of one press of the shutter."""
    item = state.current
    if item is None or item.exposure is None or not candidate.is_bracketed:
        return 1
    press = next((press for press in candidate.presses if shot_of(candidate, item) in press), ())
    own = [shot_of(candidate, one) in press and one.step is not Step.DONE for one in state.items[state.place :]]
    return max(own.index(False) if False in own else len(own), 1)


def seconds_before(candidate: Candidate, before: Item | None, item: Item) -> tuple[float, float]:
    """What has to be waited before a frame: for what is changed since the last one, and for the camera to settle."""
    times = candidate.scene.plan.kit.times
    if before is None or before.exposure is None or item.exposure is None or before.exposure == item.exposure:
        return 0.0, times.settle_s
    a, b = candidate.exposures[before.exposure], candidate.exposures[item.exposure]
    moved = 0.0
    if abs(float(a.pose.forward @ b.pose.forward) - 1.0) > 1e-12:
        moved += times.turn_s
    if a.sensor_centre_mm != b.sensor_centre_mm:
        moved += times.shift_s
    if float(abs(a.pose.pupil_m - b.pose.pupil_m).max()) > 1e-9:
        moved += times.rail_s
    if abs(a.state.image_distance_mm - b.state.image_distance_mm) > 1e-9 and not candidate.is_bracketed:
        moved += times.refocus_s
    # A flash fills up while things are moved.
    return moved, max(times.settle_s, times.flash_recycle_s - moved)


def what_changes(candidate: Candidate, before: Item | None, item: Item) -> list[str]:
    """Keys of the frame table's columns that are written differently from the frame before."""
    from verispect.plan.explain.frame_table import frame_rows, shot_row, shown_columns
    from verispect.shoot.sheet_html import cell_text

    if before is None or before.exposure is None or item.exposure is None:
        return []
    rows = frame_rows(candidate)
    a, b = (
        shot_row(rows[one.exposure], shot_of(candidate, one)) for one in (before, item) if one.exposure is not None
    )
    return [
        column.key
        for column in shown_columns(candidate, one_shot=True)
        if column.key != "number"
        and cell_text(a, column.key, column.quantity) != cell_text(b, column.key, column.quantity)
    ]


def as_file(state: RunState, candidate: Candidate, plan_file: str | None) -> Run:
    """The run as it is kept."""
    frames = []
    for item in state.items:
        happened: dict[str, Any] = {
            "step": str(item.step), "times_taken": item.times_taken, "inserted": item.inserted, "note": item.note
        }  # fmt: skip
        if item.taken:
            happened["taken"] = item.taken
        frames.append(RunFrame(file=item.file, exposure=item.exposure, shot=item.shot, happened=happened))
    return Run.model_validate(
        {
            "plan": plan_file,
            "method": state.method,
            "frames": [frame.model_dump() for frame in frames],
            "state": {"place": state.place, "paused": state.paused, "begun": state.begun},
            "exposures": candidate.frame_count,
            "shots": candidate.shot_count,
        }
    )


def save(state: RunState, candidate: Candidate, path: Path, plan_file: str | None) -> None:
    """Put the run on disk, whole or not at all."""
    write_run(as_file(state, candidate, plan_file), path)


def is_over(path: Path) -> bool:
    """Whether every frame of the run in a file was taken; False for what is no run."""
    try:
        frames = read_run(path).frames
    except FileError:
        return False
    return bool(frames) and all(frame.happened.get("step") == Step.DONE for frame in frames)


def resume(path: Path, candidate: Candidate) -> RunState:
    """A run taken up again.

    Raises
    ------
    FileError
        For a run of another method, or of another number of exposures: the plan was changed since.
    """
    run = read_run(path)
    extra = run.model_extra or {}
    if run.method != candidate.key or extra.get("exposures", candidate.frame_count) != candidate.frame_count:
        raise FileError(
            "{path}: this run is of {method} with {frames} exposures; the plan now has {now} with {count}", path=path,
            method=run.method, frames=extra.get("exposures"), now=candidate.key, count=candidate.frame_count,
        )  # fmt: skip
    shots = extra.get("shots", candidate.frame_count)
    if shots != candidate.shot_count:
        raise FileError(
            "{path}: this run has {then} shots of its frames; the plan now asks for {now}", path=path, then=shots,
            now=candidate.shot_count,
        )  # fmt: skip
    items = []
    for frame in run.frames:
        told = frame.happened
        step = told.get("step", "todo")
        items.append(
            Item(
                exposure=frame.exposure,
                shot=frame.shot,
                step=Step(step) if step in set(Step) else Step.TODO,
                file=frame.file,
                taken=str(told["taken"]) if told.get("taken") else None,
                note=str(told.get("note") or ""),
                inserted=bool(told.get("inserted")),
                times_taken=int(told.get("times_taken") or 0),
            )
        )
    state = extra.get("state") or {}
    place = int(state.get("place", 0)) if isinstance(state, dict) else 0
    paused = bool(state.get("paused")) if isinstance(state, dict) else False
    begun = state.get("begun") if isinstance(state, dict) else None
    return RunState(candidate.key, tuple(items), min(max(place, 0), len(items)), paused, begun)
