"""Pictures by pupil views: discs of defocus, occlusion, sharpness and what a tile leaves out."""

from __future__ import annotations

import math
from dataclasses import replace

import cv2
import numpy as np
import pytest
from scipy.signal import fftconvolve

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm
from verispect.optics.focus_bend import FocusBend
from verispect.optics.otf import defocused_otf
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse import textures
from verispect.rehearse.faults import turned
from verispect.rehearse.projection import Camera
from verispect.rehearse.pupil_views import Quality, _blur_px, _layers, _prepare, render
from verispect.rehearse.scene_model import Model, Panel

WIDE = (360, 240)
FINE = Quality(share=8.0, least=64)


def plain(value: float) -> list[np.ndarray]:
    return textures.mips(np.full((64, 64, 4), value, np.float32))


def board(depth_m: float, left_m: float, right_m: float, texture: int) -> Panel:
    """An upright rectangle across the view, from 3 m below to 3 m above the eye."""
    texel = 0.01
    outline = np.array([[0, 0], [right_m - left_m, 0], [right_m - left_m, 6.0], [0, 6.0]]) / texel
    return Panel(f"b{texture}", np.array([left_m, -1.5, depth_m]), np.array([texel, 0, 0]), np.array([0, texel, 0]),
                 outline, texture)  # fmt: skip


def camera_focused(at_m: float, *, focal: float = 50.0, stop: float = 2.0) -> Camera:
    lens = a_lens(focal, f_numbers=[stop, stop], tilt_deg=0, closest_m=0.3)
    plan = make_plan([(0.0, 1.5, at_m)], framing=focal, lenses=[lens])
    exposure = worked("one-frame", build_scene(plan)).exposures[0]
    return Camera(exposure, WIDE, 36.0 / WIDE[0])


def made(camera: Camera, *panels: Panel, values: tuple[float, ...]) -> np.ndarray:
    model = Model(panels, tuple(plain(value) for value in values))
    # No wave, so that discs are plain geometry.
    return render(model, camera, wavelength_mm=1e-9, seed=1, quality=FINE)[..., 0]


def test_an_edge_out_of_focus_spreads_over_its_disc() -> None:
    """50 mm f/2 focused at 2 m, an edge at 1 m: a disc of 641 µm, so a second moment of d²/16."""
    camera = camera_focused(2.0)
    back, front = board(50.0, -60.0, 60.0, 0), board(1.0, 0.0, 3.0, 1)
    row = made(camera, back, front, values=(0.2, 0.8))[120]
    spread = np.diff(row) / (row[-1] - row[0])
    at = np.arange(len(spread)) + 0.5
    middle = float((spread * at).sum())
    deviation = math.sqrt(float((spread * (at - middle) ** 2).sum()))
    # The picture's pixel of 100 µm adds its own 1/12.
    expected = math.sqrt((641.0 / 100.0) ** 2 / 16.0 + 1 / 12)
    assert middle == pytest.approx(179.5, abs=0.1)
    assert deviation == pytest.approx(expected, rel=0.05)


def test_a_lens_that_is_sharpest_elsewhere_shows_it() -> None:
    """A board whose image lies 1 mm behind the sensor: sharp where the lens bends that much back, else twice."""
    camera = camera_focused(2.0)
    state = camera.exposure.state
    image = state.image_distance_mm + 1.0
    depth = state.focal_mm * image / (image - state.focal_mm) / 1000.0
    back, front = board(50.0, -60.0, 60.0, 0), board(depth, 0.0, 3.0, 1)
    disc_px = 1.0 * (50.0 / 2.0) / image / camera.pitch_mm
    at = np.arange(WIDE[0] - 1) + 0.5
    for off, times in ((-1.0, 0.0), (0.0, 1.0), (1.0, 2.0)):
        bent = replace(state, bend=FocusBend(21.6, shift=((2.0, off),)))
        row = made(replace(camera, exposure=replace(camera.exposure, state=bent)), back, front, values=(0.2, 0.8))
        spread = np.diff(row[120]) / (row[120, -1] - row[120, 0])
        middle = float((spread * at).sum())
        assert middle == pytest.approx(179.5, abs=0.1)
        square = float((spread * (at - middle) ** 2).sum())
        if times == 0.0:
            assert abs(square) < 0.1
            continue
        # The picture's pixel adds its own 1/12 to what is spread.
        assert math.sqrt(square) == pytest.approx(math.sqrt((times * disc_px) ** 2 / 16.0 + 1 / 12), rel=0.05)


@pytest.mark.parametrize("path_px", [4.0, 20.0])
def test_what_moves_is_drawn_out_by_its_way_while_the_shutter_is_open(path_px: float) -> None:
    """An even motion spreads an edge over w with a deviation of w/√12, and a pixel's own 1/12 with it."""
    camera = camera_focused(2.0)
    state, pitch = camera.exposure.state, camera.pitch_mm
    speed = path_px * pitch * 2000.0 / state.image_distance_mm / camera.exposure.shutter_s
    back = board(40.0, -60.0, 60.0, 0)
    for moving, wide in ((speed, path_px), (0.0, 0.0)):
        row = made(camera, back, replace(board(2.0, 0.0, 3.0, 1), speed_mm_s=moving), values=(0.2, 0.8))[120]
        spread = np.diff(row) / (row[-1] - row[0])
        at = np.arange(len(spread)) + 0.5
        middle = float((spread * at).sum())
        assert middle == pytest.approx(179.5, abs=0.4)
        deviation = math.sqrt(max(float((spread * (at - middle) ** 2).sum()) - 1.0 / 12.0, 0.0))
        assert deviation == pytest.approx(wide / math.sqrt(12.0), rel=0.06, abs=0.15)


def test_a_sharp_edge_over_a_blurred_ground_stays_sharp() -> None:
    camera = camera_focused(2.0)
    back, front = board(40.0, -60.0, 60.0, 0), board(2.0, 0.0, 3.0, 1)
    row = made(camera, back, front, values=(0.2, 0.8))[120]
    assert row[177] == pytest.approx(0.2, abs=1e-4)
    assert row[182] == pytest.approx(0.8, abs=1e-4)


def test_behind_a_blurred_near_edge_the_far_thing_shows_through() -> None:
    """A narrow post, blurred wider than it is: its cover never reaches 1, so the wall shows in its very middle."""
    camera = camera_focused(6.0, stop=1.4)
    # 4 mm wide at 0.8 m: 0.25 mm on the sensor, blurred over far more.
    back, post = board(6.0, -30.0, 30.0, 0), board(0.8, -0.002, 0.002, 1)
    row = made(camera, back, post, values=(0.5, 0.0))[120]
    # By area: the covered share of the pupil is at most a strip of width w across a disc of diameter d, 4w/(πd).
    state = camera.exposure.state
    sharp = 50.0 * 800.0 / 750.0
    disc = 50.0 / 1.4 * abs(state.image_distance_mm - sharp) / sharp
    strip = 4.0 / 800.0 * state.image_distance_mm * 1.0
    covered = 4.0 * strip / (math.pi * disc)
    assert float(row[150:210].min()) == pytest.approx(0.5 * (1.0 - covered), abs=0.02)


def rough_wall(depth_m: float) -> Model:
    """A wall with detail of every size."""
    rng, side = np.random.default_rng(5), 1024
    spectrum = np.fft.rfft2(rng.normal(size=(side, side)))
    radius = np.maximum(np.hypot(np.fft.fftfreq(side)[:, None], np.fft.rfftfreq(side)), 1.0 / side)
    made = np.fft.irfft2(spectrum / np.sqrt(radius), (side, side))
    texels = np.ones((side, side, 4), np.float32)
    texels[..., :3] = (0.5 + 0.12 * made / made.std()).clip(0.0, 1.0)[..., None]
    outline = np.array([[0, 0], [2400, 0], [2400, 2000], [0, 2000.0]])
    wall = Panel("Wall", np.array([-12.0, -8.0, depth_m]), np.array([0.01, 0, 0]), np.array([0, 0.01, 0]), outline, 0)
    return Model((wall,), (textures.mips(texels),))


@pytest.mark.parametrize(("stop", "most"), [(1.0, 0.11), (2.0, 0.1), (5.6, 0.06), (8.0, 0.05)])
def test_a_wall_far_out_of_focus_is_the_sharp_one_under_a_disc(stop: float, most: float) -> None:
    """By a convolution of SciPy; fewer views on a coarser net left 0.07 to 0.14 that lay still in every frame."""
    model, wide = rough_wall(6.0), (960, 640)

    def seen(stop: float, quality: Quality) -> tuple[np.ndarray, float]:
        exposure = camera_focused(0.6, stop=stop).exposure
        camera = Camera(exposure, wide, 36.0 / wide[0])
        blur = float(np.mean(blur_axes_mm(np.array([[0.0, 0.0, 6000.0]]), exposure.state))) / camera.pitch_mm
        return render(model, camera, wavelength_mm=1e-9, seed=2, quality=quality)[..., 0], blur

    sharp, _ = seen(64.0, FINE)
    soft, blur = seen(stop, Quality())
    # Each pixel of the disc by four times four of it.
    reach = int(blur) // 2 + 2
    at = (np.arange((2 * reach + 1) * 4) + 0.5) / 4.0 - reach - 0.5
    disc = (np.hypot(at, at[:, None]) <= 0.5 * blur).reshape(2 * reach + 1, 4, 2 * reach + 1, 4).mean(axis=(1, 3))
    inner = (slice(reach + 8, -reach - 8),) * 2
    true = fftconvolve(sharp, disc / disc.sum(), mode="same")[inner]
    assert float((soft[inner] - true).std()) < most * float(true.std())


def test_brightness_is_kept_whatever_the_blur() -> None:
    camera = camera_focused(2.0)
    wall = board(9.0, -40.0, 40.0, 0)
    rng = np.random.default_rng(5)
    texels = np.ones((256, 256, 4), np.float32)
    texels[..., :3] = rng.uniform(0.1, 0.9, (256, 256, 1))
    picture = render(Model((wall,), (textures.mips(texels),)), camera, wavelength_mm=1e-9, seed=2, quality=Quality())
    assert float(picture.mean()) == pytest.approx(float(texels[..., 0].mean()), abs=0.004)


def test_what_is_in_focus_is_drawn_where_it_is() -> None:
    """A wall with one bright texel block is found at the pixel that plain projection gives."""
    camera = camera_focused(4.0)
    texels = np.full((1024, 1024, 4), 0.1, np.float32)
    texels[300:320, 480:500] = 0.9
    wall = board(4.0, -5.0, 5.0, 0)
    picture = render(Model((wall,), (textures.mips(texels),)), camera, wavelength_mm=1e-9, seed=3, quality=FINE)[
        ..., 0
    ]
    bright = picture - 0.1
    rows, columns = np.mgrid[0 : WIDE[1], 0 : WIDE[0]]
    # The block's middle: 490 texels of 1 cm from the left, 310 from below.
    x, y = -5.0 + 4.90, -1.5 + 3.10 - 1.5
    v = camera.exposure.state.image_distance_mm
    assert float((bright * columns).sum() / bright.sum()) == pytest.approx(179.5 + x / 4.0 * v / 0.1, abs=0.15)
    assert float((bright * rows).sum() / bright.sum()) == pytest.approx(119.5 - y / 4.0 * v / 0.1, abs=0.15)


def test_a_tilted_lens_has_its_plane_sharp_and_the_rest_not(demo) -> None:
    """Sharper on the demo's ground by tilt than wide open without: by the strength of fine detail."""
    from verispect.rehearse.camera import Options, Rehearsal

    scene = build_scene(demo)
    tilt = worked("tilt", scene)
    exposure = tilt.exposures[0]
    wide_open = replace(exposure, state=exposure.state.at(3.5))
    straight = replace(wide_open, state=replace(wide_open.state, axis=(0.0, 0.0, 1.0), image_distance_mm=24.02))
    detail = []
    for used in (wide_open, straight):
        candidate = replace(tilt, exposures=(used,))
        picture = Rehearsal(candidate, Options(pixels=(1800, 1200), noise=False)).take(0).picture
        low = picture[1000:1150, 700:1300, 1]
        detail.append(float(np.std(low - cv2.GaussianBlur(low, (0, 0), 1.5))))
    assert detail[0] > 1.25 * detail[1]


def test_cancelling_leaves_nothing() -> None:
    camera = camera_focused(2.0)
    model = Model((board(9.0, -40.0, 40.0, 0),), (plain(0.5),))
    assert render(model, camera, wavelength_mm=1e-9, seed=1, is_cancelled=lambda: True) is None


def test_ground_far_aside_ends_where_its_far_edge_lies() -> None:
    """8 km of ground, 400 m deep, by a camera turned 35° aside: corners of it lie millions of pixels off the picture.

    The edge's rows by a pinhole of the test's own.
    """
    camera = camera_focused(20.0, stop=8.0)
    camera = replace(camera, exposure=turned(camera.exposure, math.radians(-35.0), math.radians(4.0)))
    texel = 0.02
    ground = Panel("ground", np.array([-4000.0, 0.0, 0.0]), np.array([texel, 0, 0]), np.array([0, 0, texel]),
                   np.array([[0, 0], [8000.0, 0], [8000.0, 400.0], [0, 400.0]]) / texel, 1)  # fmt: skip
    behind = board(900.0, -3000.0, 3000.0, 0)
    behind = replace(behind, origin_m=behind.origin_m - [0.0, 100.0, 0.0], outline=behind.outline * [1.0, 40.0])
    picture = made(camera, behind, ground, values=(0.2, 0.8))
    pose, state = camera.exposure.pose, camera.exposure.state
    edge = np.stack([np.linspace(-700.0, 0.0, 400), np.zeros(400), np.full(400, 400.0)], axis=1) - pose.pupil_m
    right, up, ahead = (edge @ np.asarray(axis) for axis in (pose.right, pose.up, pose.forward))
    column = 0.5 * (WIDE[0] - 1) + state.image_distance_mm * right / ahead / camera.pitch_mm
    row = 0.5 * (WIDE[1] - 1) - state.image_distance_mm * up / ahead / camera.pitch_mm
    for at in (20, 120, 240, 340):
        lit = np.flatnonzero(picture[:, at] > 0.5)
        assert lit[0] - 0.5 == pytest.approx(float(np.interp(at, column, row)), abs=1.5)


@pytest.mark.parametrize("swing", [-0.1, -0.025, 0.025])
def test_ground_below_the_picture_of_a_tilted_lens_is_nowhere_in_it(swing: float) -> None:
    """1.5 m below the eye and no farther than 1.4 m, where half a picture reaches a third of a metre down.

    The camera looks up a little: of the ground far aside, abreast of it, rays pass the sensor's plane.
    """
    camera = camera_focused(0.8)
    axis = (swing, 0.03, math.sqrt(1.0 - swing**2 - 0.03**2))
    tilted = replace(camera.exposure.state, axis=axis, pupil_magnification=0.73)
    camera = replace(camera, exposure=replace(turned(camera.exposure, 0.0, math.radians(3.9)), state=tilted))
    texel = 0.02
    ground = Panel("ground", np.array([-8.0, 0.0, 0.0]), np.array([texel, 0, 0]), np.array([0, 0, texel]),
                   np.array([[0, 0], [16.0, 0], [16.0, 2.1], [0, 2.1]]) / texel, 1)  # fmt: skip
    picture = made(camera, board(2.11, -3.0, 3.0, 0), ground, values=(0.2, 0.8))
    np.testing.assert_allclose(picture, 0.2, atol=1e-3)


@pytest.mark.parametrize(("waves", "texels"), [(0.2, 1.0), (0.3, 2.5), (0.5, 1.0), (0.5, 2.5), (0.75, 1.0)])
def test_what_defocus_takes_of_a_wall_is_what_the_wave_takes(waves: float, texels: float) -> None:
    """A wall at f/11 on 6.25 µm, against itself in focus: by Hopkins (1955), at five frequencies of the picture.

    Whether its texels are as coarse as pixels or finer, so that views are read from a filtered texture.
    """
    stop, pitch, side, wavelength = 11.0, 0.00625, 384, 5.5e-4
    camera = replace(camera_focused(3.0, stop=stop), pixels=(side, side), pitch_mm=pitch)
    state = camera.exposure.state
    texel = 3.0 * pitch / state.focal_mm / texels
    grain = cv2.GaussianBlur(np.random.default_rng(3).normal(0.0, 1.0, (512, 512)), (0, 0), 0.9)
    texture = np.repeat((0.5 + 0.3 * grain)[..., None], 4, axis=2).clip(0.0, 1.0).astype(np.float32)
    outline = np.array([[0, 0], [4096, 0], [4096, 4096], [0, 4096]], float)
    corner = np.array([-2048 * texel, 1.5 - 2048 * texel, 3.0])
    wall = Panel("w", corner, np.array([texel, 0, 0]), np.array([0, texel, 0]), outline, 0)
    model = Model((wall,), (textures.mips(texture),))
    blur = 8.0 * state.working_f_number * wavelength * waves

    def spectrum(blur_mm: float) -> np.ndarray:
        farther = 1.0 + blur_mm * stop / state.focal_mm
        moved = replace(state, image_distance_mm=state.image_distance_mm * farther)
        seen = replace(camera, exposure=replace(camera.exposure, state=moved), pitch_mm=pitch * farther)
        picture = render(model, seen, wavelength_mm=wavelength, seed=1)[..., 0]
        window = np.hanning(side)[:, None] * np.hanning(side)
        return np.fft.fft2((picture - picture.mean()) * window)

    sharp, soft = spectrum(0.0), spectrum(blur)
    radius = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.fftfreq(side)))
    for frequency in (0.05, 0.1, 0.15, 0.2, 0.25):
        ring = np.abs(radius - frequency) < 0.012
        left = float((soft * sharp.conj())[ring].sum().real / (np.abs(sharp[ring]) ** 2).sum())
        reduced = frequency / pitch * wavelength * state.working_f_number
        wave = defocused_otf(reduced_frequency=reduced, beta=np.pi * frequency / pitch * blur)
        perfect = defocused_otf(reduced_frequency=reduced, beta=0.0)
        assert left == pytest.approx(float(wave / perfect), abs=0.035)


def test_a_lens_that_bends_the_focus_blurs_by_both() -> None:
    """A board whose image lies 1 mm behind the sensor, and focus bent by as much back, not at all, and on."""
    camera = camera_focused(2.0)
    state = camera.exposure.state
    image = state.image_distance_mm + 1.0
    board_at = board(state.focal_mm * image / (image - state.focal_mm) / 1000.0, -3.0, 3.0, 0)
    disc_px = 1.0 * (50.0 / 2.0) / image / camera.pitch_mm
    for off, times in ((-1.0, 0.0), (0.0, 1.0), (1.0, 2.0)):
        bent = replace(state, bend=FocusBend(21.6, shift=((2.0, off),)))
        seen = replace(camera, exposure=replace(camera.exposure, state=bent))
        drawn = _prepare(board_at, seen)
        assert drawn is not None
        [layer] = _layers([drawn], seen, (140, 80, 220, 160))
        assert _blur_px(layer, seen, (179.5, 119.5)) == pytest.approx(times * disc_px, rel=0.04, abs=0.15)
