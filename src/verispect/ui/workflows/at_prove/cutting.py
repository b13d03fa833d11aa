"""A merged or joined picture cut to what its frames show throughout: drawn over it, and written when asked."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from verispect.ui.drawings.picture_view import PicturePair
from verispect.ui.state.notices import Act, Notices
from verispect.ui.work.job import Job
from verispect.ui.workflows.saving import ask_save

# Of the picture; what is left at its edges by less is not worth a cut.
_WORTH = 0.002


class CuttingDesk(QObject):
    """Offers the cut.

    Parameters
    ----------
    start : callable
        Begins what is shown to be under way; None where something is already.
    made : callable
        Shows a picture that was made.
    """

    def __init__(
        self,
        window: QWidget,
        notices: Notices,
        pair: PicturePair,
        start: Callable[..., Job | None],
        made: Callable[[Path], None],
    ) -> None:
        super().__init__(window)
        self._window, self._notices, self._pair, self._start, self._made = window, notices, pair, start, made

    def of(self, path: Path, crop: Sequence[int], size: tuple[int, int]) -> list[Act]:
        """Draw a cut (top, left, bottom, right) over a picture (wide, high), and what can be done about it."""
        top, left, bottom, right = crop
        wide, high = size
        if (bottom - top) * (right - left) > (1.0 - _WORTH) * wide * high or bottom <= top or right <= left:
            self._pair.show_cut("", None)
            return []
        self._pair.show_cut(path.name, (left / wide, top / high, right / wide, bottom / high))
        return [(self.tr("Cut to what all frames show…"), lambda: self.cut(path, (top, left, bottom, right)))]

    def cut(self, path: Path, box: tuple[int, int, int, int]) -> None:
        """Ask where, and write it."""
        from verispect.prove.desk import cut_picture

        start = str(path.with_name(f"{path.stem}-cut{path.suffix}"))
        target = ask_save(self._window, self.tr("Save the cut picture"), start, "*.tif *.jpg *.png", path.suffix)
        if target is None:
            return
        job = self._start(self.tr("Cutting"), cut_picture, path, target, box)
        if job is not None:
            job.done.connect(self._on_cut)

    def _on_cut(self, target: Path) -> None:
        self._notices.say(self.tr("Written: {0}").format(target))
        self._pair.show_cut("", None)
        self._made(target)
