"""Kit to start from, without any maker's name: bodies by format, lenses by kind, what carries them. From memory."""

from __future__ import annotations

from verispect.kit.equipment import Body, Flash, Head, Rail, Tripod
from verispect.kit.lens import Lens
from verispect.kit.printed_lens import lens_from_print
from verispect.sentence import Sentence

# Width and height in mm, pixels, tilt and shift of the back.
_BODIES = (
    ("Small format, 36 × 24 mm, 24 megapixels", (36.0, 24.0), (6000, 4000), 0.0, 0.0),
    ("Small format, 36 × 24 mm, 60 megapixels", (36.0, 24.0), (9500, 6330), 0.0, 0.0),
    ("Reduced format, 23.5 × 15.6 mm, 26 megapixels", (23.5, 15.6), (6240, 4160), 0.0, 0.0),
    ("Quarter format, 17.3 × 13 mm, 20 megapixels", (17.3, 13.0), (5200, 3900), 0.0, 0.0),
    ("Medium format, 44 × 33 mm, 100 megapixels", (43.8, 32.9), (11600, 8700), 0.0, 0.0),
    ("Medium format, 54 × 40 mm, 150 megapixels", (53.4, 40.0), (14200, 10640), 0.0, 0.0),
    ("View camera, 4 × 5 in", (120.0, 95.0), (9600, 7600), 15.0, 40.0),
    ("View camera, 8 × 10 in", (245.0, 195.0), (14700, 11700), 15.0, 60.0),
)
# What of a body its kind does not tell.
_GUESSED = ("full_well_e", "read_noise_e", "bits", "battery_frames", "battery_min")
_LENSES = (
    "24 mm f/2.8", "35 mm f/2", "50 mm f/1.8", "85 mm f/1.8", "24-70 mm f/4", "70-200 mm f/4", "100 mm f/2.8 macro",
    "24 mm f/3.5 tilt shift", "50 mm f/2.8 tilt shift", "90 mm f/2.8 tilt shift",
    "90 mm f/5.6 large format", "150 mm f/5.6 large format", "210 mm f/5.6 large format", "300 mm f/5.6 large format",
)  # fmt: skip


def typical_bodies() -> list[Body]:
    """Bodies by format."""
    return [
        Body(
            name=name,
            sensor_mm=size,
            pixels=pixels,
            back_tilt_deg=tilt,
            back_shift_mm=shift,
            typical=_GUESSED,
            plus_minus={"read_noise_e": 2.0, "battery_frames": 250.0, "battery_min": 75.0, "bits": 2.0},
        )
        for name, size, pixels, tilt, shift in _BODIES
    ]


def typical_lenses() -> list[Lens]:
    """Lenses by kind; nearly all of their figures are guesses, and said to be."""
    plain = [lens_from_print(words) for words in _LENSES]
    return [*plain, _with_tube(plain[2], 25.0), _with_tube(plain[6], 36.0)]


def _with_tube(lens: Lens, tube_mm: float) -> Lens:
    fitted = lens.fitted.model_copy(update={"tube_mm": tube_mm})
    return lens.model_copy(update={"name": f"{lens.name} on {tube_mm:g} mm of tube", "fitted": fitted})


def typical_carriers() -> list[tuple[Sentence, Head | Rail | Tripod | Flash]]:
    """What carries the camera, with what a fair one of its kind is off by; and what lights."""
    return [
        (
            Sentence("A head that turns about the pupil"),
            Head(turns=True, off_mm=3.0, typical=("off_mm",), plus_minus={"off_mm": 3.0}),
        ),
        (
            Sentence("A driven head"),
            Head(
                turns=True,
                off_mm=3.0,
                slack_deg=0.05,
                typical=("off_mm", "slack_deg"),
                plus_minus={"off_mm": 3.0, "slack_deg": 0.05},
            ),
        ),
        (
            Sentence("A rail turned by hand, 150 mm"),
            Rail(travel_mm=150.0, slack_mm=0.1, typical=("slack_mm",), plus_minus={"slack_mm": 0.1}),
        ),
        (
            Sentence("A driven rail, 100 mm"),
            Rail(travel_mm=100.0, slack_mm=0.01, typical=("slack_mm",), plus_minus={"slack_mm": 0.02}),
        ),
        (Sentence("A firm tripod"), _tripod("Firm tripod", 40.0, 0.4, 8.0)),
        (Sentence("A light tripod"), _tripod("Light tripod", 150.0, 0.8, 4.0)),
        (Sentence("A small flash"), _flash("Small flash", 4.0)),
        (Sentence("A studio flash"), _flash("Studio flash", 1.5)),
    ]


def _tripod(name: str, swing_arcsec: float, decay_s: float, swing_hz: float) -> Tripod:
    guessed = {"swing_arcsec": swing_arcsec, "decay_s": decay_s, "swing_hz": swing_hz}
    return Tripod(
        name=name, **guessed, typical=(*guessed, "column_times"),
        plus_minus={key: 0.5 * value for key, value in guessed.items()} | {"column_times": 1.0},
    )  # fmt: skip


def _flash(name: str, recycle_s: float) -> Flash:
    return Flash(name=name, recycle_s=recycle_s, typical=("recycle_s",), plus_minus={"recycle_s": 0.5 * recycle_s})
