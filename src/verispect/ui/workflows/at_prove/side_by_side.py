"""Frames, methods or results side by side, opened and judged beside the window."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, Qt
from PyQt6.QtWidgets import QFileDialog, QWidget

from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence
from verispect.ui.controls.translate import say
from verispect.ui.panels.stations.prove import ProvePanel
from verispect.ui.state.notices import Notices
from verispect.ui.work.job import Job

if TYPE_CHECKING:
    from verispect.prove.trials.compare import Compared
    from verispect.ui.panels.stations.compare_frames import CompareFrames

# As `verispect compare` takes at once.
_MOST = 6


class SideBySide(QObject):
    """Opens two to six pictures.

    Parameters
    ----------
    folder : callable
        Where the frames lie that are checked.
    start : callable
        Begins what is shown to be under way; None where something is already.
    plan : callable
        The plan that is open.
    candidate : callable
        The method on the board, whose frames these may be; None where there is none.

    Attributes
    ----------
    opened : CompareFrames or None
        While it is open.
    """

    def __init__(
        self,
        window: QWidget,
        panel: ProvePanel,
        notices: Notices,
        folder: Callable[[], Path | None],
        start: Callable[..., Job | None],
        plan: Callable[[], Plan],
        candidate: Callable[[], Candidate | None],
    ) -> None:
        super().__init__(window)
        self._window, self._notices, self._folder, self._start, self._plan = window, notices, folder, start, plan
        self._candidate = candidate
        self.opened: CompareFrames | None = None
        panel.comparing_wanted.connect(self.open)

    def open(self, names: list[str]) -> None:
        """Two to six frames side by side: those chosen, else whichever are picked now."""
        folder = self._folder()
        paths = [] if folder is None else [folder / name for name in names]
        if len(paths) < 2:
            start = str(folder or "")
            picked, _ = QFileDialog.getOpenFileNames(self._window, self.tr("Two to six pictures"), start)
            paths = [Path(name) for name in picked]
        if not paths:
            return
        if not 2 <= len(paths) <= _MOST:
            self._notices.say(self.tr("Choose two to six pictures."))
            return
        from verispect.prove.desk import opened_for_compare

        job = self._start(self.tr("Opening"), opened_for_compare, paths)
        if job is not None:
            job.done.connect(lambda found: self._beside_one_another(paths, found))

    def _beside_one_another(self, paths: list[Path], found: list[NDArray[np.uint8]]) -> None:
        from verispect.ui.panels.stations.compare_frames import CompareFrames, Picture

        if not found:
            return
        pictures = [Picture(path.name, pixels) for path, pixels in zip(paths, found, strict=True)]
        self.opened = CompareFrames(self._window, pictures, self._plan().wish)
        self.opened.verdict_wanted.connect(lambda: self._judge(paths))
        self.opened.ways_wanted.connect(lambda: self._judge_ways(paths))
        self.opened.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.opened.finished.connect(lambda _result: self._on_compared())
        self.opened.show()

    def _judge(self, paths: list[Path]) -> None:
        from verispect.prove.desk import compared_over

        job = self._start(self.tr("Comparing"), compared_over, paths, self._candidate())
        if job is not None:
            job.done.connect(self._on_verdict)

    def _judge_ways(self, paths: list[Path]) -> None:
        from verispect.prove.desk import ways_over

        job = self._start(self.tr("Comparing"), ways_over, paths, self._plan())
        if job is not None:
            job.done.connect(self._on_ways)
            # The window's own bar lies behind.
            job.failed.connect(lambda words: self._on_ways([words]))

    def _on_ways(self, told: Sequence[Sentence | str]) -> None:
        if self.opened is not None and told:
            lines = [one if isinstance(one, str) else say(one) for one in told]
            self.opened.verdict.setText("\n".join(lines))

    def _on_verdict(self, found: list[Compared]) -> None:
        if self.opened is not None and found:
            self.opened.show_verdict(found)

    def _on_compared(self) -> None:
        self.opened = None

    def close(self) -> None:
        """The window closes."""
        if self.opened is not None:
            self.opened.close()
