"""What a method is: one frozen description that everything else asks, and the eight there are.

A new method is one module here, named by its key, with one function of the same name from a Scene to a
Candidate, and one entry in `METHODS`. Nothing else compares keys.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from verispect.kit.equipment import Times

# Stands in an order of work where the settings of tilt and swing belong.
MOVEMENTS = "Set the movements and lock them, they stay for all frames: {dial}"
_STILL = "Trigger by cable or timer and wait until nothing shakes"
_ALIKE = "Keep exposure and white balance the same for all frames"
_PUPIL = "Set the head so that it turns about the entrance pupil: near and far must not move apart"


class Change(StrEnum):
    """What is moved between one frame and the next."""

    FOCUS = "focus"
    SHIFT = "shift"
    TURN = "turn"
    RAIL = "rail"


@dataclass(frozen=True)
class Method:
    """A way to render the whole picture sharp.

    Attributes
    ----------
    key : str
        Stable name in files and on the command line; its module is named alike.
    name : str
        English, translated on screen.
    change : Change
        What is moved between frames.
    tilts : bool
        Whether the lens or the back is tilted.
    is_grid : bool
        Whether frames are joined side by side.
    merges : bool
        Whether frames of one view are merged; such a method can take more frames for more certainty.
    search_note : str
        How its best variant is searched for.
    steps : tuple of str
        The order of work between setting up and the last look; `MOVEMENTS` is filled with the settings.
    columns : tuple of str
        Columns of the frame table that it always shows, by their keys (explain/frame_table.py).
    """

    key: str
    name: str
    change: Change
    search_note: str
    steps: tuple[str, ...]
    columns: tuple[str, ...] = ()
    tilts: bool = False
    is_grid: bool = False
    merges: bool = False

    @property
    def turns(self) -> bool:
        """Whether the camera turns between frames."""
        return self.is_grid and self.change is Change.TURN

    @property
    def shifts(self) -> bool:
        """Whether the lens or the back is shifted between frames."""
        return self.change is Change.SHIFT

    @property
    def on_rail(self) -> bool:
        """Whether the camera moves along its view between frames."""
        return self.change is Change.RAIL

    @property
    def is_single(self) -> bool:
        """Whether it is one frame."""
        return not self.is_grid and not self.merges

    def set_up_s(self, times: Times) -> float:
        """Seconds until the first frame can be taken."""
        found = times.set_up_s + (times.tilt_set_up_s if self.tilts else 0.0)
        if self.turns:
            found += times.head_set_up_s
        return found + (times.rail_set_up_s if self.on_rail else 0.0)

    def change_s(self, times: Times, frames: int, cells: int) -> float:
        """Seconds in all for what is moved between the frames of so many cells."""
        each = {
            Change.FOCUS: times.refocus_s,
            Change.SHIFT: times.shift_s,
            Change.TURN: times.turn_s,
            Change.RAIL: times.rail_s,
        }[self.change]
        changes = max(0, frames - 1)
        if not (self.is_grid and self.merges):
            return changes * each
        return (cells - 1) * each + (changes - cells + 1) * times.refocus_s


# In the order in which near-equal methods are preferred: the simplest first.
METHODS = (
    Method(
        key="one-frame",
        name="One frame",
        change=Change.FOCUS,
        search_note="focus to the optimum by exchange of the binding marks, every third-stop",
        steps=("Focus at the distance given, in live view at full magnification on something there",),
    ),
    Method(
        key="tilt",
        name="Tilt",
        change=Change.FOCUS,
        tilts=True,
        search_note="tilt, swing and focus together by linear programmes polished on the exact blur, "
        "every third-stop",
        steps=(
            MOVEMENTS,
            "Focus at the distance given; look at the nearest and the farthest mark at full magnification",
            "If one is soft, correct the tilt first, then the focus, and look again",
        ),
        columns=("tilt_deg", "swing_deg"),
    ),
    Method(
        key="series",
        name="Focus series",
        change=Change.FOCUS,
        merges=True,
        search_note="every third-stop with the fewest frames that cover, then the least blur with as many",
        steps=("Work from the nearest focus to the farthest, never back; touch nothing but the focus", _STILL),
    ),
    Method(
        key="tilt-series",
        name="Tilted series",
        change=Change.FOCUS,
        tilts=True,
        merges=True,
        search_note="the axis that leaves least depth, then every third-stop with the fewest frames along it",
        steps=(
            MOVEMENTS,
            "Work from the nearest focus to the farthest, never back; touch nothing but the focus",
            _STILL,
        ),
        columns=("tilt_deg", "swing_deg"),
    ),
    Method(
        key="rail-series",
        name="Rail series",
        change=Change.RAIL,
        merges=True,
        search_note="every third-stop, with the fewest places of the rail",
        steps=(
            "Set the focus once and lock it; lay the rail along the view and begin at its rear end",
            "Move the camera forward by the figures, never back; they are millimetres: check the rail's unit",
            _STILL,
        ),
        columns=("rail_mm",),
    ),
    Method(
        key="shift-grid",
        name="Shifted grid",
        change=Change.SHIFT,
        is_grid=True,
        search_note="even grids at the asked overlap, one focus to the optimum, every third-stop",
        steps=("Hold the lens still and move the back to each place; focus stays for all frames", _ALIKE),
        columns=("cross_mm", "rise_mm"),
    ),
    Method(
        key="turned-grid",
        name="Turned grid",
        change=Change.TURN,
        is_grid=True,
        search_note="the loosest grids that cover, of them the most promising in full: each frame's own focus, "
        "one third-stop for all",
        steps=(_PUPIL, "Work row by row from the top, left to right; set each frame's own focus", _ALIKE),
        columns=("bearing_deg", "pitch_deg"),
    ),
    Method(
        key="turned-grid-series",
        name="Grid of series",
        change=Change.TURN,
        is_grid=True,
        merges=True,
        search_note="the loosest grids that cover, of them the most promising in full: each frame's "
        "fewest focus settings, one third-stop for all",
        steps=(_PUPIL, "In every frame take its whole series, near to far, before you turn on", _ALIKE),
        columns=("bearing_deg", "pitch_deg"),
    ),
)  # fmt: skip

METHOD_KEYS = tuple(method.key for method in METHODS)
_BY_KEY = {method.key: method for method in METHODS}
ONE_FRAME, TILT = _BY_KEY["one-frame"], _BY_KEY["tilt"]


def method_of(key: str) -> Method:
    """The method of a key; KeyError for an unknown one."""
    return _BY_KEY[key]


def order_of(method: Method) -> int:
    """Place among the methods, the simplest first."""
    return METHOD_KEYS.index(method.key)
