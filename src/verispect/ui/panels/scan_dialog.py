"""How a scan lies: the short dialogue before it is read."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QVBoxLayout, QWidget

from verispect.files.scans.depth_maps import DepthCamera
from verispect.files.scans.placement import Placing
from verispect.quantities import LENGTHS_M
from verispect.ui.controls.lengths import format_length
from verispect.ui.controls.model_form import ModelForm, Spec

if TYPE_CHECKING:
    from verispect.files.scans.scan_file import ScanPeek

# Clouds wider than this in their own unit are hardly metres.
_WIDE = 2000.0
_MAPPED = 50_000.0
_FARTHEST = 1e9
_IN_METRES = 200.0


class ScanDialog(QDialog):
    """Unit, up, stand, limits and thinning of a scan; of a depth picture also its camera."""

    def __init__(self, parent: QWidget, path: Path, peek: ScanPeek, system: Callable[[], str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("How the scan lies"))
        self._peek = peek
        self.placing = _guess(peek)
        # Figures as small as these are metres, larger ones millimetres.
        self.seen_by = DepthCamera(step_m=1.0 if peek.high[2] < _IN_METRES else 0.001)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.form = ModelForm(self._specs(peek), system, columns=2)
        self.form.edited.connect(self._on_placing)
        self.depth_form = ModelForm(self._depth_specs(), system, columns=2)
        self.depth_form.edited.connect(self._on_depth)
        self.depth_form.setVisible(peek.kind == "depth")
        buttons = QDialogButtonBox()
        take = buttons.addButton(self.tr("Bring it in"), QDialogButtonBox.ButtonRole.AcceptRole)
        leave = buttons.addButton(self.tr("Leave it"), QDialogButtonBox.ButtonRole.RejectRole)
        take.clicked.connect(self.accept)
        leave.clicked.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(QLabel(path.name))
        layout.addWidget(self.said)
        layout.addWidget(self.depth_form)
        layout.addWidget(self.form)
        layout.addWidget(buttons)
        self.resize(520, 420)
        self._show()

    def _specs(self, peek: ScanPeek) -> list[Spec]:
        units = tuple((unit, unit) for unit in ("m", "cm", "mm", "ft", "in"))
        up = (("z", self.tr("z is up")), ("y", self.tr("y is up")))
        placed = [] if peek.kind == "depth" else [
            Spec("unit", self.tr("Unit"), "choice", choices=units),
            Spec("up", self.tr("Up"), "choice", choices=up),
            Spec("stand_x", self.tr("Stand x"),
                 hint=self.tr("The ground under the camera, in the scan's figures")),
            Spec("bearing_deg", self.tr("Away is"), unit="°",
                 hint=self.tr("Clockwise from above: 0 along y where z is up, along −z where y is up")),
            Spec("stand_y", self.tr("Stand y")),
            Spec("nearest_m", self.tr("From"), "length"),
            Spec("stand_z", self.tr("Stand z")),
        ]  # fmt: skip
        return [
            *placed,
            Spec("farthest_m", self.tr("To"), "length"),
            Spec("lowest_m", self.tr("Lowest"), "length"),
            Spec("highest_m", self.tr("Highest"), "length"),
            Spec("voxel_m", self.tr("One point in"), "length",
                 hint=self.tr("Of all points in a cube this wide one stays")),
        ]  # fmt: skip

    def _depth_specs(self) -> list[Spec]:
        return [
            Spec("focal_px", self.tr("Focal length"), unit="px"),
            Spec("step_m", self.tr("A step is"), unit="m", hint=self.tr("Metres for a value of 1")),
            Spec("middle_right_px", self.tr("Axis at column"), "optional", "px",
                 self.tr("Where the lens's axis meets the picture, from its left edge; empty: in the middle")),
            Spec("middle_down_px", self.tr("Axis at row"), "optional", "px",
                 self.tr("From the picture's upper edge; empty: in the middle")),
        ]  # fmt: skip

    def _on_placing(self, placing: Placing, _what: str) -> None:
        self.placing = placing
        self._show()

    def _on_depth(self, depth: DepthCamera, _what: str) -> None:
        self.seen_by = depth
        self._show()

    def _show(self) -> None:
        self.form.show_model(self.placing)
        self.depth_form.show_model(self.seen_by)
        low, high = self._peek.low, self._peek.high
        if self._peek.kind == "depth":
            self.said.setText(
                self.tr("A depth picture of {0:.0f} × {1:.0f} pixels, from {2:.4g} to {3:.4g} m, seen as the camera "
                        "of the plan looks").format(high[0], high[1], low[2] * self.seen_by.step_m,
                                                    high[2] * self.seen_by.step_m)
            )  # fmt: skip
            return
        metres = LENGTHS_M[self.placing.unit]
        known = self.tr("; its unit is {0}, as the file says").format(self._peek.unit) if self._peek.unit else ""
        spans = [format_length((b - a) * metres, "metric") for a, b in zip(low, high, strict=True)]
        self.said.setText(
            self.tr("Its first points span {0} in x, {1} in y, {2} in z; x from {3:.6g}, y from {4:.6g}, z from "
                    "{5:.6g} in its own unit").format(*spans, *low) + known
        )  # fmt: skip


def _guess(peek: ScanPeek) -> Placing:
    """A start: the unit by file or size, the stand before the middle of its near side, on its lowest point."""
    if peek.kind == "depth":
        return Placing()
    size = max(b - a for a, b in zip(peek.low, peek.high, strict=True))
    # Figures as large as these come from a map, and maps are in metres unless they say otherwise.
    mapped = max(map(abs, peek.low)) > _MAPPED
    unit = peek.unit or ("mm" if size > _WIDE and not mapped else "m")
    middle = [0.5 * (a + b) for a, b in zip(peek.low, peek.high, strict=True)]
    apart = 0.25 * size
    voxel = min(max(size * LENGTHS_M[unit] / 2000.0, 0.001), 1000.0)
    if peek.up == "y":
        stand = (middle[0], peek.low[1], peek.high[2] + apart)
    else:
        stand = (middle[0], peek.low[1] - apart, peek.low[2])
    x, y, z = (round(min(max(figure, -_FARTHEST), _FARTHEST), 3) for figure in stand)
    return Placing(unit=unit, up=peek.up, stand_x=x, stand_y=y, stand_z=z, voxel_m=round(voxel, 3))
