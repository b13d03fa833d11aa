"""What is kept of frames after their pixels are gone, and how two of them lie over one another."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial
from pathlib import Path
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.run_file import Run
from verispect.optics.blur import image_centres_mm
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate
from verispect.prove.align.leaning import leaning_px
from verispect.prove.align.motion import Motion, bands_at_hand, enlarged, halvings
from verispect.prove.align.stood import motion_of_camera
from verispect.prove.checks.dust import Speck, is_plain, specks_on
from verispect.prove.checks.overlap_tiles import Cut
from verispect.prove.expected import View, drawn_view, turned_as_happened, view_of
from verispect.prove.intake import Coded, Frame, Kept, coded_of, grey_linear, linear_of, read_coded, sixteen
from verispect.prove.join.bend import straightened
from verispect.prove.parting.passes import detail_of
from verispect.prove.parting.views import thumb_of
from verispect.prove.refocused import blurs_apart
from verispect.prove.resources.in_hand import InHand
from verispect.prove.resources.recall import Recall, file_key, fingerprint
from verispect.prove.resources.threads import in_turn, workers
from verispect.prove.shake.shaken import Powers, powers_in
from verispect.prove.shake.tile_powers import TilePowers
from verispect.prove.softness.block_map import BlockNet, Shown
from verispect.prove.softness.mark_softness import ABOUT, SPECTRUM_HALF

Grey = NDArray[np.float32]
Progress = Callable[[float, str], None]
Known = TypeVar("Known")
_WORKING_PIXELS = 1_700_000
_SMALL_PIXELS = 120_000
# Blocks about marks that are kept of all frames together, some 17 kB each.
_MOST_BLOCKS = 6000
# What a frame takes for every pixel while it is read.
_PIXEL_BYTES = 30.0
_SMALL_SIDE = 180


@dataclass(frozen=True)
class Read:
    """What is kept of a frame after its pixels are gone."""

    grey: Grey
    colour: Grey
    sectors: Powers
    sectors_divide: int
    median: float
    clipped: float
    divide: int
    blocks: dict[int, Grey]
    specks: list[Speck] | None
    net: Shown | None


@dataclass(frozen=True)
class FirstLook:
    """Median luminance, what its samples come to, whether it shows nothing but an even ground, and its picture.

    Tiny, and small by a whole number, in linear luminance; `detail` tells where it is sharp.
    """

    median: float
    digest: bytes
    is_plain: bool
    thumb: Grey
    small: Grey
    detail: Floats


def small_of(coded: Coded) -> Grey:
    """A small picture in linear luminance, smaller by a whole number; averaged as coded, in a third of the time."""
    divide = halvings((coded.shape[1], coded.shape[0]), _SMALL_PIXELS)
    size = (coded.shape[1] // divide, coded.shape[0] // divide)
    small = cv2.resize(coded[: size[1] * divide, : size[0] * divide], size, interpolation=cv2.INTER_AREA)
    return np.asarray(grey_linear(np.asarray(small, np.uint16), 1), np.float32)


def doubles_of(digests: Sequence[bytes]) -> dict[int, int]:
    """Frames that are there already, each with the first that is the same."""
    first: dict[bytes, int] = {}
    found = {}
    for k, digest in enumerate(digests):
        if digest in first:
            found[k] = first[digest]
        first.setdefault(digest, k)
    return found


def is_compressed(frame: Frame) -> bool:
    """Whether faint detail was thrown away where the file was written."""
    return frame.path.suffix.lower() in (".jpg", ".jpeg")


def _first_look(kept: Kept) -> FirstLook:
    coded = sixteen(kept)
    step = max(1, min(coded.shape[:2]) // 200)
    some = np.ascontiguousarray(coded[::step, ::step])
    light = linear_of(some)
    grey = cv2.resize(light.mean(axis=2), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    digest = hashlib.blake2b(some.tobytes(), digest_size=16).digest()
    plain, small = is_plain(np.asarray(grey, np.float32)), small_of(coded)
    return FirstLook(float(np.median(light)), digest, plain, thumb_of(small), small, detail_of(small))


class Evidence:
    """The frames of a check, with what was planned and what is known to have happened."""

    def __init__(
        self,
        frames: list[Frame],
        candidate: Candidate | None,
        run: Run | None,
        progress: Progress,
        is_cancelled: Callable[[], bool],
        recall: Recall | None = None,
    ) -> None:
        """`recall` keeps what is read of frames, and how two of them lie, for the next time."""
        self.recall = Recall() if recall is None else recall
        self.frames, self.candidate, self.run = frames, candidate, run
        self.progress, self.is_cancelled = progress, is_cancelled
        self.pixels = frames[0].pixels
        exposures = () if candidate is None else candidate.exposures
        self.exposures = list(exposures)
        self.matched: list[int | None] = [None] * len(frames)
        self.reads: list[Read] = []
        self._bands = bands_at_hand(lambda k: self.reads[k].grey)
        # Frames that a first look finds plain; dust is looked for on no other.
        self._plain: set[Path] = set()
        self.pitch_mm = self._pitch()
        self.turned = {} if run is None else turned_as_happened(run, self.exposures)
        self.net = self._net()
        # Where frames of a grid that nothing planned were found to look.
        self.found: dict[int, View] = {}
        self._files = [file_key(frame) for frame in frames]
        self._in_hand = InHand()
        self._planned = self._fingerprint()

    def _fingerprint(self) -> bytes:
        """What of the plan and the run decides on what is kept of a frame."""
        if self.candidate is None or self.candidate.rendering is None:
            return b""
        scene, rendering = self.candidate.scene, self.candidate.rendering
        return fingerprint((self.exposures, self.turned, scene.world_m, rendering.exposure, self.pixels))

    def _pitch(self) -> float:
        if self.candidate is not None:
            return self.candidate.scene.plan.sensor_mm[0] / self.pixels[0]
        return self.frames[0].pixel_mm or 36.0 / max(self.pixels)

    def _net(self) -> BlockNet | None:
        """Of a series from one place: where blocks all over the picture lie."""
        candidate = self.candidate
        if candidate is None or len(self.exposures) < 3 or not candidate.method.merges:
            return None
        allowed = self.exposures[0].allowed_blur_mm
        if candidate.method.is_grid or not np.isfinite(allowed):
            return None
        first = view_of(self.exposures[0], self.pixels, self.pitch_mm, self.turned.get(0))
        return BlockNet(self.pixels, first, allowed / self.pitch_mm)

    def first_looks(self) -> tuple[list[FirstLook], list[tuple[Path, FileError]]]:
        """What a small look at every frame tells; files that turn out to be cut are left out from here on.

        Raises
        ------
        FileError
            Where every one is cut.
        """
        found: list[FirstLook] = []
        cut: list[tuple[Path, FileError]] = []
        whole = []

        def seen_first(frame: Frame) -> FirstLook:
            return _first_look(self._in_hand.read(frame))

        def look_at(k: int) -> FirstLook | FileError:
            try:
                return self.recall.of(("look", self._files[k]), partial(seen_first, self.frames[k]))
            except FileError as error:
                return error

        for k, look in enumerate(in_turn(look_at, range(len(self.frames)), self.at_once)):
            if self.is_cancelled():
                raise Cancelled
            if isinstance(look, FileError):
                cut.append((self.frames[k].path, look))
                continue
            if look.is_plain:
                self._plain.add(self.frames[k].path)
            found.append(look)
            whole.append(k)
        if not whole:
            raise cut[0][1]
        self.frames, self._files = [self.frames[k] for k in whole], [self._files[k] for k in whole]
        self.matched = [None] * len(whole)
        return found, cut

    @property
    def at_once(self) -> int:
        """How many frames are read together, for the memory that each takes meanwhile."""
        return workers(_PIXEL_BYTES * self.pixels[0] * self.pixels[1])

    def read_all(self) -> Iterator[Read]:
        """Every frame as it was matched."""
        return in_turn(lambda k: self.read(k, self.matched[k]), range(len(self.frames)), self.at_once)

    def read(self, k: int, exposure: int | None) -> Read:
        """Read a frame and keep what the checks need; `exposure` is the planned one."""
        # What was read for a plan serves that plan alone; without one it is the same for all.
        planned = b"" if exposure is None else self._planned
        key = ("read", self._files[k], exposure, planned, self.frames[k].path in self._plain)
        kept = self._in_hand.take(self.frames[k])
        return self.recall.of(key, lambda: self._read(self.frames[k], kept, exposure))

    def eight_bits(self, k: int) -> NDArray[np.uint8]:
        """A frame in grey as it was read, coded in eight bits."""
        return np.asarray(coded_of(self.reads[k].grey) >> 8, np.uint8)

    def known(self, what: str, k: int, work: Callable[[Frame], Known]) -> Known:
        """What is found in a frame whatever is planned, kept for the next check."""
        return self.recall.of((what, self._files[k]), lambda: work(self.frames[k]))

    def known_of(self, what: str, some: Sequence[int], work: Callable[[], Known]) -> Known:
        """What is found in several frames whatever is planned, kept for the next check."""
        return self.recall.of((what, *(self._files[k] for k in some)), work)

    def _read(self, frame: Frame, kept: Kept | None, exposure: int | None) -> Read:
        coded = read_coded(frame) if kept is None else sixteen(kept)
        del kept
        rows, columns = coded.shape[:2]
        divide = halvings((columns, rows), _WORKING_PIXELS)
        light = linear_of(coded)
        grey = np.asarray(light @ np.array([0.2126, 0.7152, 0.0722], np.float32), np.float32)
        blocks, net = self._looks_at(grey, exposure, np.eye(3))
        size = (columns // divide, rows // divide)
        small = grey if divide == 1 else cv2.resize(grey[: size[1] * divide, : size[0] * divide], size,
                                                    interpolation=cv2.INTER_AREA)  # fmt: skip
        tiny = max(1, min(rows, columns) // _SMALL_SIDE)
        colour = cv2.resize(light, (columns // tiny, rows // tiny), interpolation=cv2.INTER_AREA)
        halved = 1 if rows * columns < 6_000_000 else 2
        half = grey if halved == 1 else cv2.resize(grey, (columns // 2, rows // 2), interpolation=cv2.INTER_AREA)
        # One channel after the other: numpy takes ten times as long along the last axis.
        brightest = np.maximum(np.maximum(coded[..., 0], coded[..., 1]), coded[..., 2])
        clipped = float(np.mean(brightest >= 65400))
        sectors = powers_in(np.asarray(half, np.float32), compressed=is_compressed(frame))
        level = float(np.median(colour))
        small = np.asarray(small, np.float32)
        specks = specks_on(small, divide) if frame.path in self._plain and is_plain(small) else None
        return Read(
            small, np.asarray(colour, np.float32), sectors, halved, level, clipped, divide, blocks, specks, net
        )

    def _about(self) -> int:
        """How many frames to either side of the planned one are looked at for a mark.

        All of a series: a mark that stands elsewhere than was told is sharpest in another one. Not where that would
        be more blocks than the memory should hold.
        """
        candidate = self.candidate
        if candidate is None or candidate.method.is_grid or not candidate.method.merges:
            return ABOUT
        return max(ABOUT, min(len(self.exposures), _MOST_BLOCKS // (2 * max(candidate.scene.mark_count, 1))))

    def _looks_at(self, grey: Grey, exposure: int | None, moved: Floats) -> tuple[dict[int, Grey], Shown | None]:
        """The blocks of a frame in which sharpness is measured, of marks and all over, where they were moved to."""
        blocks = self.blocks(grey, exposure, self._about(), moved)
        if self.net is None or exposure is None:
            return blocks, None
        view = view_of(self.exposures[exposure], self.pixels, self.pitch_mm, self.turned.get(exposure))
        return blocks, self.net.kept(grey, view, exposure, self.exposures, moved)

    def look_again(self, k: int, moved: Floats) -> None:
        """Measure a frame where it was found to lie: `moved` (3, 3) takes (column, row, 1) as planned to there."""
        blocks, net = self.recall.of(
            ("moved", self._files[k], self.matched[k], self._planned, np.round(moved, 3).tobytes()),
            lambda: self._looks_at(
                np.asarray(grey_linear(read_coded(self.frames[k]), 1), np.float32), self.matched[k], moved
            ),
        )
        self.reads[k] = replace(self.reads[k], blocks=blocks, net=net)

    def blocks(
        self, grey: Grey, exposure: int | None, about: int = ABOUT, moved: Floats | None = None
    ) -> dict[int, Grey]:
        """Blocks about the marks that are planned to be sharpest in this frame, or in one so many places from it."""
        if self.candidate is None or exposure is None:
            return {}
        rendering = self.candidate.rendering
        assert rendering is not None
        scene, found = self.candidate.scene, {}
        count = scene.mark_count
        columns, rows = self.pixels_of(exposure, scene.world_m[:count])
        if moved is not None:
            columns, rows, _ = moved @ np.stack([columns, rows, np.ones(count)])
        for k in range(count):
            away = abs(int(rendering.exposure[k]) - exposure)
            if away > about or not np.isfinite(columns[k] + rows[k]):
                continue
            column, row = round(float(columns[k])), round(float(rows[k]))
            half = SPECTRUM_HALF
            if half <= row < grey.shape[0] - half and half <= column < grey.shape[1] - half:
                found[k] = grey[row - half : row + half + 1, column - half : column + half + 1].copy()
        return found

    def tiles(self, k: int, asked: Sequence[Cut], bend: View) -> list[TilePowers]:
        """Powers of tiles of a frame as large as shakes are looked for, straight as a view's bend has it."""

        def large() -> Grey:
            grey = np.asarray(grey_linear(read_coded(self.frames[k]), self.reads[k].sectors_divide), np.float32)
            return straightened(grey, bend, self.pixels)

        picture = cache(large)

        def powers(cut: Cut) -> TilePowers:
            return self.recall.of(("tiles", self._files[k], cut, bend.bend), lambda: cut.powers(picture()))

        return [powers(cut) for cut in asked]

    def blocks_if_of(self, used: Sequence[int], asked: Sequence[Sequence[int]]) -> list[dict[int, dict[int, Grey]]]:
        """Of each frame used the blocks about the marks, by the exposures asked, were it of these.

        Raises
        ------
        Cancelled
        """

        def blocks_in(number: int) -> dict[int, dict[int, Grey]]:
            if self.is_cancelled():
                raise Cancelled
            k = used[number]
            grey = cache(lambda: np.asarray(grey_linear(read_coded(self.frames[k]), 1), np.float32))

            def if_of(place: int) -> dict[int, Grey]:
                return self.recall.of(
                    ("blocks", self._files[k], place, self._planned), lambda: self.blocks(grey(), place)
                )

            return {place: if_of(place) for place in asked[number]}

        return list(in_turn(blocks_in, range(len(used)), self.at_once))

    def pixels_of(self, exposure: int, world_m: Floats, turned: Floats | None = None) -> tuple[Floats, Floats]:
        """Columns and rows (M,) at which marks lie in a frame, with what is known to have happened.

        `turned` (3, 3) is how the plan's world would be turned besides.
        """
        planned = self.exposures[exposure]
        if exposure in self.turned or turned is not None:
            basis = self.turned.get(exposure, planned.pose.matrix)
            basis = basis if turned is None else basis @ turned
            pose = replace(planned.pose, right=basis[0], up=basis[1], forward=basis[2])
            planned = replace(planned, pose=pose)
        points = from_principal_point(planned.pose.to_camera_mm(world_m), planned.state)
        centres = image_centres_mm(points, planned.state)
        x0, y0 = planned.sensor_centre_mm
        wide, high = self.pixels
        columns = (x0 - centres[:, 0]) / self.pitch_mm + 0.5 * (wide - 1)
        rows = (centres[:, 1] - y0) / self.pitch_mm + 0.5 * (high - 1)
        return np.where(points[:, 2] > 0, columns, np.nan), np.where(points[:, 2] > 0, rows, np.nan)

    def blurred_px(self, k: int, beside: Sequence[int]) -> float:
        """By how much more a frame is blurred than the one of some that is focused most alike, or less, pixels."""
        index = self.matched[k]
        others = [other for m in beside if (other := self.matched[m]) is not None]
        if index is None or not others or not self.exposures[index].allowed_blur_mm > 0.0:
            return 0.0
        own = self.exposures[index]
        least = min(blurs_apart(own, self.exposures[other]) for other in others)
        return least * own.allowed_blur_mm / self.pitch_mm

    def blurs_of(self, frames: Sequence[int]) -> Callable[[int, int], float] | None:
        """By how much one of some frames is blurred where another is sharp, pixels; None where no plan tells it."""
        if any(self.matched[k] is None for k in frames):
            return None
        return lambda a, b: self.blurred_px(frames[a], [frames[b]])

    def view(self, k: int) -> View | None:
        """How a frame maps directions to pixels, as planned, as is known to have happened or as was found."""
        index = self.matched[k]
        return self.found.get(k) if index is None else self.planned_view(index)

    def look(self, world: Floats, places: Floats) -> None:
        """Take the plan's world to be turned so, and its marks to stand at places (M, 3), before frames are read."""
        assert self.candidate is not None
        scene = self.candidate.scene
        world_m = np.concatenate([places, scene.world_m[len(places) :]])
        self.candidate = replace(self.candidate, scene=replace(scene, world_m=world_m))
        for index, exposure in enumerate(self.exposures):
            self.turned[index] = self.turned.get(index, exposure.pose.matrix) @ world
        self.net, self._planned = self._net(), self._fingerprint()

    def planned_view(self, index: int) -> View:
        """How an exposure maps directions to pixels, beside the others."""
        turned = self.turned.get(index)
        return drawn_view(self.exposures[index], self.exposures[0], self.pixels, self.pitch_mm, turned)

    def focal_px(self, k: int) -> float:
        """Pixels for a tangent of 1 in a frame, guessed where nothing tells it."""
        view = self.view(k)
        if view is not None:
            return view.scale_px
        focal = self.frames[k].focal_mm
        return focal / self.pitch_mm if focal else 1.2 * max(self.pixels)

    def motion(self, k: int, before: int, *, planned: Floats) -> Motion:
        """Motion in whole pixels between two frames, worked out at the working size."""
        read = self.reads[k]
        up = enlarged(read.divide)
        small = np.linalg.inv(up) @ planned @ up
        middle = ((read.grey.shape[1] - 1) / 2.0, (read.grey.shape[0] - 1) / 2.0)
        focal = self.focal_px(k) / read.divide
        found = self.recall.of(
            ("motion", self._files[k], self._files[before], small.tobytes(), focal),
            lambda: motion_of_camera(
                self._bands(k), self._bands(before), planned=small, focal_px=focal, centre_px=middle
            ),
        )
        whole = up @ found.matrix @ np.linalg.inv(up)
        return Motion(whole / whole[2, 2], found.correlation, found.residual_px * read.divide)

    def leans_px(self, k: int, before: int, motion: Floats) -> float:
        """How far without one part of both frames they would lie elsewhere than by a motion, in whole pixels."""
        divide = self.reads[k].divide
        up = enlarged(divide)
        middle = ((self.reads[k].grey.shape[1] - 1) / 2.0, (self.reads[k].grey.shape[0] - 1) / 2.0)
        small = np.linalg.inv(up) @ motion @ up
        return divide * leaning_px(self._bands(k), self._bands(before), small, self.focal_px(k) / divide, middle)

    def pointing(self, k: int) -> tuple[float, ...]:
        """What frames of one cell share: where the camera looks and where the sensor is."""
        index = self.matched[k]
        if index is None:
            return (float(k),)
        exposure = self.exposures[index]
        return (*np.round(exposure.pose.forward, 9).tolist(), *np.round(exposure.sensor_centre_mm, 6).tolist())
