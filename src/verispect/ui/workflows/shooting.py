"""The run at the station Shoot: one frame at a time, on disk after every act, with a simulated camera at the desk."""

from __future__ import annotations

import itertools
import time
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEventLoop, QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from verispect.errors import FileError, VerispectError
from verispect.plan.explain.frame_table import frame_rows, shot_row, shown_columns
from verispect.plan.methods.candidate import Candidate
from verispect.rig.serial_line import serial_ports
from verispect.sentence import Sentence
from verispect.shoot.checks import checks, self_timer_s
from verispect.shoot.light import light_at, lux_words
from verispect.shoot.run import (
    RunState,
    begin,
    is_over,
    pressed_together,
    resume,
    save,
    seconds_before,
    shot_of,
    what_changes,
)
from verispect.ui.controls.lengths import written
from verispect.ui.controls.translate import counted_frames, say
from verispect.ui.panels.stations.shoot import ShootPanel
from verispect.ui.state.notices import Notices
from verispect.ui.state.plan_document import PlanDocument
from verispect.ui.state.preferences import Preferences
from verispect.ui.state.session import Session
from verispect.ui.work.job import Job

_TICK_MS = 100
_MOST_CHECKS = 50
# So long a closing window waits for a rig to stand still, seconds.
_STOP_S = 3.0


class ShootDesk(QObject):
    """Leads the run and keeps it.

    Signals
    -------
    ended(RunState, Candidate)
        The run is over, or was ended.
    changed
    """

    ended = pyqtSignal(object, object)
    changed = pyqtSignal()

    def __init__(
        self,
        parent: QObject,
        panel: ShootPanel,
        document: PlanDocument,
        session: Session,
        notices: Notices,
        preferences: Preferences,
        folder: Path,
    ) -> None:
        super().__init__(parent)
        self._panel, self._document, self._session = panel, document, session
        self._notices, self._preferences, self._folder = notices, preferences, folder
        self.state: RunState | None = None
        self._ended: tuple[Path, RunState] | None = None
        # The run's file last looked at, when it was written, and whether it is over.
        self._looked: tuple[Path, int, bool] = (Path(), 0, False)
        # Where the run under way lies, whatever folders are made meanwhile.
        self._here: Path | None = None
        self.candidate: Candidate | None = None
        self._waits_until = 0.0
        self._wait_parts: tuple[float, float, float] = (0.0, 0.0, 0.0)
        self._job: Job | None = None
        self._driving, self._share = False, -1.0
        # Of a bracket that the simulated camera takes so many frames are still to come.
        self._to_follow = 0
        self._tick = QTimer(self)
        self._tick.setInterval(_TICK_MS)
        self._tick.timeout.connect(self._show_wait)
        panel.begin_wanted.connect(self.begin)
        panel.done_wanted.connect(self.done)
        panel.again_wanted.connect(self.again)
        panel.insert_wanted.connect(self.insert)
        panel.pause_wanted.connect(self.pause)
        panel.repeat_wanted.connect(self.repeat)
        panel.noted.connect(self.note)
        panel.simulated_wanted.connect(self.take_simulated)
        panel.end_wanted.connect(self.end)
        panel.drive_wanted.connect(self.drive)
        panel.check_added.connect(self.add_check)
        panel.check_removed.connect(self.remove_check)
        panel.check_hidden.connect(self.hide_check)
        panel.checks_shown.connect(self.show_all_checks)
        panel.stop_wanted.connect(self.stop_rig)

    # Places ----------------------------------------------------------------------------------------

    @property
    def frames_folder(self) -> Path:
        """Where this plan's frames and its newest run lie: beside the plan, or in the program's own folder."""
        if self.state is not None and self._here is not None:
            return self._here
        found = self._first_folder()
        for number in itertools.count(2):
            following = self._first_folder().with_name(f"{self._first_folder().name}_{number}")
            if not following.is_dir():
                return found
            found = following
        return found

    def _first_folder(self) -> Path:
        path = self._document.path
        if path is not None:
            return path.with_name(f"{path.stem}-frames")
        title = "".join(c if c.isalnum() else "-" for c in (self._document.plan.title or "plan").lower())[:40]
        return self._folder / (title or "plan")

    def _next_folder(self) -> None:
        """The same run once more, another day: in a folder of its own, and what was taken before stays as it is.

        The sign before the number is one that no folder named after a title holds: "Yard 2" is another plan.
        """
        first, last = self._first_folder(), self.frames_folder
        number = 2 if last == first else int(last.name.rsplit("_", 1)[1]) + 1
        first.with_name(f"{first.name}_{number}").mkdir()

    def _is_over(self) -> bool:
        """Whether the newest run on the disk has come to its end; read again only where it has changed."""
        try:
            written = self.run_file.stat().st_mtime_ns
        except OSError:
            return False
        if self._looked[:2] != (self.run_file, written):
            self._looked = (self.run_file, written, is_over(self.run_file))
        return self._looked[2]

    @property
    def run_file(self) -> Path:
        """The run's file."""
        return self.frames_folder / "run.json"

    @property
    def last_run(self) -> RunState | None:
        """The run under way, or the one of this plan that was ended last."""
        if self.state is not None or self._ended is None:
            return self.state
        return self._ended[1] if self._ended[0] == self.frames_folder else None

    # Acts ------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the checks of what is on the board, while no run is under way."""
        if self.state is not None:
            self._show()
            return
        shown = self._session.shown
        candidate = None if shown is None else shown.candidate
        if candidate is None or not candidate.exposures:
            self._panel.show_checks(
                self.tr("There is nothing to shoot yet: choose a method that fits, in Set."), "", [], ready=False,
                resumes=False,
            )  # fmt: skip
            return
        heading = self.tr("{0}: {1}, about {2:.0f} min").format(
            say(Sentence(candidate.method.name)),
            counted_frames(candidate.frame_count, candidate.shot_count),
            max(candidate.time_on_site_s / 60.0, 1.0),
        )
        self._panel.show_checks(
            heading, self._light(candidate), [f"{say(line)}." for line in checks(candidate)], ready=True,
            resumes=self.run_file.exists(), over=self._is_over(), own=candidate.scene.plan.own_checks,
            hidden=len(candidate.scene.plan.hidden_checks),
        )  # fmt: skip

    def add_check(self, text: str) -> None:
        """A check of the user's own goes into the plan."""
        known = self._document.plan.own_checks
        if text not in known and len(known) < _MOST_CHECKS:
            self._document.update(self.tr("check of your own"), own_checks=(*known, text))

    def hide_check(self, number: int) -> None:
        """One of the program's own checks is not wanted in this plan."""
        shown = self._session.shown
        if shown is None or shown.candidate is None:
            return
        template, known = checks(shown.candidate)[number].template, self._document.plan.hidden_checks
        if template not in known and len(known) < _MOST_CHECKS:
            self._document.update(self.tr("a check hidden"), hidden_checks=(*known, template))

    def show_all_checks(self) -> None:
        """All of the program's own again."""
        self._document.update(self.tr("all checks shown"), hidden_checks=())

    def remove_check(self, text: str) -> None:
        """A check of the user's own goes out of the plan."""
        known = self._document.plan.own_checks
        self._document.update(self.tr("check of your own"), own_checks=tuple(one for one in known if one != text))

    def begin(self) -> None:
        """Begin the run of what is on the board, or go on with the one that was left."""
        shown = self._session.shown
        candidate = None if shown is None else shown.candidate
        if candidate is None or not candidate.exposures:
            return
        state = begin(candidate)
        if self.run_file.exists():
            try:
                state = begin(candidate) if self._is_over() else resume(self.run_file, candidate)
                if self._is_over():
                    self._next_folder()
            except VerispectError as error:
                self._notices.report(error)
                self._put_aside()
            except OSError as error:
                self._notices.report(
                    self.tr("The folder of another run could not be made: {0}").format(error.strerror or error)
                )
                return
        self.candidate, self._here = candidate, self.frames_folder
        self._take(state, waits=True)
        self._panel.show_running(True)
        self._panel.done_button.setFocus()

    def _put_aside(self) -> None:
        """An older run of another method is kept beside."""
        try:
            stamp = datetime.now().astimezone().strftime("%Y%m%d-%H%M%S")
            self.run_file.replace(self.run_file.with_name(f"run-{stamp}.json"))
        except OSError as error:
            self._notices.report(self.tr("The older run could not be put aside: {0}").format(error.strerror or error))

    def done(self) -> None:
        """The current frame was taken, and all that came of the same press of the shutter."""
        if self.state is not None and self.candidate is not None:
            self._done([None] * pressed_together(self.candidate, self.state))

    def _done(self, files: Sequence[str | None]) -> None:
        state = self.state
        if state is None:
            return
        for file in files:
            state = state.done(now=datetime.now(UTC), file=file, note=self._panel.note.text())
        self._take(state, waits=True)
        self._panel.note.clear()

    def again(self) -> None:
        """The frame taken last is to be taken again."""
        if self.state is not None:
            self._take(self.state.again(), waits=False)

    def repeat(self, place: int) -> None:
        """A frame of the list is to be taken again."""
        if self.state is not None:
            self._take(self.state.repeat(place), waits=True)

    def insert(self) -> None:
        """One more frame before the current one."""
        if self.state is not None:
            self._take(self.state.insert(), waits=False)

    def pause(self, on: bool) -> None:
        """Hold, or go on."""
        if self.state is not None:
            self._take(self.state.pause(on), waits=False)

    def note(self, text: str) -> None:
        """A word about the current frame."""
        if self.state is not None and text:
            self._take(self.state.with_note(text), waits=False)

    def end(self) -> None:
        """End the run; what was taken stays recorded."""
        if self.state is None or self.candidate is None:
            return
        state, candidate = self.state, self.candidate
        self.state, self.candidate = None, None
        self._ended = (self.frames_folder, state)
        self._tick.stop()
        self._panel.show_running(False)
        self.refresh()
        self.changed.emit()
        self.ended.emit(state, candidate)

    def take_simulated(self) -> None:
        """Have the simulated camera take the current frame, or a whole bracket, into the run's folder."""
        if self.state is not None and self.candidate is not None:
            self._to_follow = pressed_together(self.candidate, self.state) - 1
        self._take_one()

    def _take_one(self) -> None:
        if self.state is None or self.candidate is None or self._job is not None:
            return
        item = self.state.current
        if item is None or item.exposure is None or self.state.paused:
            return
        from verispect.rig.desk_camera import desk_pixels, take_frame

        pixels = desk_pixels(self.candidate)
        name = f"frame-{self.state.place + 1:03d}-{item.times_taken + 1}.tif"
        self._panel.simulated_button.setEnabled(False)
        self._panel.wait.setText(self.tr("The simulated camera is taking the frame…"))
        self._tick.stop()
        self._job = Job(
            self, take_frame, self.candidate, shot_of(self.candidate, item), pixels, self.frames_folder / name
        )
        self._job.done.connect(lambda file: self._done([str(file)]))
        self._job.failed.connect(self._on_not_taken)
        self._job.ended.connect(self._on_taken)

    def _on_not_taken(self, complaint: str) -> None:
        self._to_follow = 0
        self._notices.report(complaint)

    def _on_taken(self) -> None:
        self._job = None
        if self._to_follow > 0:
            self._to_follow -= 1
            self._take_one()
        if self._job is None:
            self._show()

    def drive(self, port: str) -> None:
        """Have a rig take what is left; nothing else is done meanwhile but to look on, and to stop it."""
        if self.state is None or self.candidate is None or self._job is not None:
            return
        from verispect.rig.desk_camera import desk_pixels
        from verispect.shoot.driven_run import drive_run

        self._tick.stop()
        self._driving = True
        self._panel.show_driving(True)
        self._panel.wait.setText(self.tr("The rig is moving. Keep clear of it."))
        self._job = Job(
            self, drive_run, self.candidate, self.frames_folder, self._document.path, Path(port) if port else None,
            desk_pixels(self.candidate), watched=True, needs_window=True,
        )  # fmt: skip
        self._job.progress.connect(self._on_driven)
        self._job.failed.connect(self._notices.report)
        self._job.ended.connect(self._on_drive_ended)

    def stop_rig(self) -> None:
        """Stop the axes at once."""
        if self._driving and self._job is not None:
            self._job.ask_to_stop()
            self._panel.wait.setText(self.tr("Stopping…"))

    def _on_driven(self, share: float) -> None:
        if share != self._share:
            self._share = share
            self._read_again()

    def _on_drive_ended(self) -> None:
        self._job, self._driving, self._share = None, False, -1.0
        self._panel.show_driving(False)
        self._read_again()

    def _read_again(self) -> None:
        """The run as the rig has written it."""
        if self.candidate is None or self.state is None:
            return
        try:
            self.state = resume(self.run_file, self.candidate)
        except VerispectError as error:
            self._notices.report(error)
        self._show()
        self.changed.emit()

    def close(self) -> None:
        """The window closes: the run stays on disk as it is; what moves is stopped first."""
        self._tick.stop()
        if self._driving and self._job is not None:
            self._job.ask_to_stop()
            until = time.monotonic() + _STOP_S
            while self._job is not None and time.monotonic() < until:
                QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
        if self._job is not None:
            self._job.give_up()

    # Showing ---------------------------------------------------------------------------------------

    def _take(self, state: RunState, *, waits: bool) -> None:
        """A new state: kept at once, then shown."""
        assert self.candidate is not None
        before = self.state
        self.state = state
        try:
            self.frames_folder.mkdir(parents=True, exist_ok=True)
            plan = self._document.path
            save(state, self.candidate, self.run_file, None if plan is None else str(plan))
        except OSError as error:
            self._notices.report(
                self.tr("{0}: the folder cannot be made: {1}; the run is not on disk").format(
                    self.frames_folder, error.strerror or error
                )
            )
        except FileError as error:
            self._notices.report(error)
        if waits and state.current is not None:
            last = None
            if before is not None and before.current is not None and before is not state:
                last = before.items[before.place]
            moved, settle = seconds_before(self.candidate, last, state.current)
            self._wait_parts = (moved, settle, self_timer_s(self.candidate))
            self._waits_until = time.monotonic() + sum(self._wait_parts)
            self._tick.start()
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        state, candidate = self.state, self.candidate
        if state is None or candidate is None:
            return
        item, count = state.current, len(state.items)
        if item is None:
            place = self.tr("All {0} frames are taken").format(count)
            figures: list[tuple[str, str, bool]] = []
        else:
            place = self.tr("Frame {0} of {1}").format(state.place + 1, count)
            shot = shot_of(candidate, item)
            each = self._shots_of(shot.exposure)
            if each > 1:
                place = self.tr("Frame {0} of {1} · shot {2} of {3}").format(
                    candidate.number_of(shot.exposure), candidate.frame_count, shot.number + 1, each
                )
            together = pressed_together(candidate, state)
            if together > 1:
                place = self.tr("Frames {0} to {1} of {2}, at one press").format(
                    state.place + 1, state.place + together, count
                )
            if item.inserted:
                place += " · " + self.tr("inserted")
            before = state.items[state.place - 1] if state.place else None
            changed = what_changes(candidate, before, item)
            row = shot_row(frame_rows(candidate)[shot.exposure], shot)
            figures = [
                (say(column.title), written(column, row, self._preferences.system), column.key in changed)
                for column in shown_columns(candidate, one_shot=True)
                if column.key != "number"
            ]
        self._panel.show_frame(place, figures, over=state.is_over, paused=state.paused)
        self._panel.simulated_button.setEnabled(self._job is None and not state.is_over and not state.paused)
        if not self._driving:
            self._panel.show_rig(serial_ports(), self._rig_words(), there=self._moves())
        self._panel.show_list([self._line(k) for k in range(count)], state.place)
        self._show_wait()
        taken = count - state.left
        self._panel.elapsed.setText(
            self.tr("{0} of {1} taken · kept in {2}").format(
                taken, count, f"{self.run_file.parent.name}/{self.run_file.name}"
            )
            + (f"\n{self._light(candidate)}" if self._light(candidate) else "")
        )
        self._panel.elapsed.setToolTip(str(self.run_file))

    def _moves(self) -> bool:
        """Whether there is something for a rig to move, and frames left for it."""
        if self.candidate is None or self.state is None or self.state.is_over or self.state.paused:
            return False
        method = self.candidate.method
        # What was put in by hand stands in no program.
        plain = not any(item.inserted for item in self.state.items)
        return plain and (method.on_rail or method.turns)

    def _rig_words(self) -> str:
        on_rail = self.candidate is not None and self.candidate.method.on_rail
        zero = self.tr("stands at its first place") if on_rail else self.tr("looks straight ahead as planned, level")
        return self.tr(
            "The camera {0}; the axis is free: nobody and nothing in its way, cables loose, gear secured"
        ).format(zero)

    def _shots_of(self, exposure: int) -> int:
        """How often a frame is taken."""
        assert self.candidate is not None
        return sum(shot.exposure == exposure for shot in self.candidate.shots)

    def _line(self, k: int) -> str:
        assert self.state is not None
        assert self.candidate is not None
        item, name = self.state.items[k], str(k + 1)
        if item.exposure is not None and self._shots_of(item.exposure) > 1:
            name = f"{self.candidate.number_of(item.exposure)} · {item.shot + 1}"
        sign = {"todo": "–", "done": "●", "again": "○"}[item.step]
        word = {"todo": self.tr("to do"), "done": self.tr("done"), "again": self.tr("again")}[item.step]
        more = [part for part in (item.file, item.note, self.tr("inserted") if item.inserted else "") if part]
        return f"{sign} {name}  {word}" + (f"  {' · '.join(more)}" if more else "")

    def _cue(self, times: int) -> None:
        """The system's own sound, so many times; silent unless it is wanted."""
        if self._panel.cues_box.isChecked():
            for number in range(times):
                QTimer.singleShot(400 * number, QApplication.beep)

    def _show_wait(self) -> None:
        if self.state is None or self._job is not None:
            return
        if self.state.paused:
            self._panel.wait.setText(self.tr("Paused"))
            return
        if self.state.is_over:
            self._tick.stop()
            self._cue(2)
            self._panel.wait.setText(self.tr("Take a dark frame, then end the run."))
            return
        left = self._waits_until - time.monotonic()
        if left <= 0.0:
            self._tick.stop()
            self._cue(1)
            self._panel.wait.setText(self.tr("Still: take it now"))
            return
        _, settle, timer = self._wait_parts
        part = self.tr("set it") if left > settle + timer else self.tr("let it settle") if left > timer else self.tr(
            "self-timer {0:g} s"
        ).format(timer)  # fmt: skip
        self._panel.wait.setText(self.tr("{0}: {1:.1f} s").format(part, left))

    def _light(self, candidate: Candidate) -> str:
        site = candidate.scene.plan.site
        if site is None or site.from_ is None:
            return ""
        row = light_at(site, site.from_)
        return self.tr("At {0}: Sun {1:.1f}° high, {2} lx, changing by {3:+.1f} stops an hour").format(
            row.utc.replace("T", " ").rstrip("Z")[:16] + " UTC", row.sun_altitude_deg, lux_words(row.lux),
            60.0 * row.drift_stops_per_min,
        ).replace(" -", " −")  # fmt: skip
