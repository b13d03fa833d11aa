"""The settings in words, part by part, as Set, the sheet and the command line say them."""

from __future__ import annotations

import math

from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.plan.explain.frame_table import frame_rows
from verispect.plan.setting.bracket import Bracket
from verispect.plan.setting.focus_band import FocusBand
from verispect.plan.setting.head import HeadSetting
from verispect.plan.setting.report import Settings
from verispect.sentence import Sentence

Part = tuple[Sentence, list[Sentence]]
_FEW = 3
# A step of brightness in plain sky that shows, stops (common practice).
_SHOWS = 0.1


def in_words(settings: Settings) -> list[Part]:
    """Headings with what there is to say under each; parts without anything are left out."""
    parts: list[Part] = [
        (Sentence("On the mount"), list(settings.mount.says)),
        (
            Sentence("By eye, on glass or screen"),
            settings.procedure.says if settings.procedure else [],
        ),
        (Sentence("Where to focus"), _band(settings.band)),
        (Sentence("Off the plane"), settings.off_plane.says if settings.off_plane else []),
        (Sentence("Nearer than the lens focuses"), settings.closest.says if settings.closest else []),
        (Sentence("As the body brackets it"), _bracket(settings.bracket)),
        (Sentence("On the head"), _head(settings.head)),
        (Sentence("On the rail"), _rail(settings)),
        (Sentence("Behind near edges"), _halos(settings)),
        (Sentence("Stop, time and ISO"), exposure_words(settings)),
        (Sentence("Shots of each frame"), _shots(settings)),
        (Sentence("By the spot meter"), settings.survey.says if settings.survey else []),
        (Sentence("If a frame is lost"), _losses(settings)),
        (Sentence("What comes out"), settings.final.says if settings.final else []),
    ]
    return [part for part in parts if part[1]]


def _band(band: FocusBand | None) -> list[Sentence]:
    if band is None:
        return []
    limits: dict[str, object] = {"near": metres(band.near_m), "far": metres(band.far_m)}
    if not band.on:
        return [
            Sentence(
                "anywhere from {near} to {far} keeps every must sharp; none of your marks lies there: set the scale, "
                "or find something at that distance",
                limits,
            )
        ]
    return [
        Sentence(
            "on {things}: anything from {near} to {far} keeps every must sharp",
            {**limits, "things": ", ".join(band.on[:_FEW])},
        )
    ]


def _bracket(bracket: Bracket | None) -> list[Sentence]:
    if bracket is None:
        return []
    said = [
        Sentence(
            "first focus {focus}, going {way}",
            {
                "focus": metres(bracket.first_focus_m),
                "way": Sentence("away") if bracket.direction == "away" else Sentence("towards you"),
            },
        )
    ]
    if bracket.step_number is not None:
        said.append(
            Sentence(
                "step number {number}, {count} frames; perhaps {more} more"
                if bracket.plus_minus_count
                else "step number {number}, {count} frames",
                {"number": bracket.step_number, "count": bracket.count, "more": bracket.plus_minus_count},
            )
        )
    return [*said, *bracket.says]


def _head(head: HeadSetting | None) -> list[Sentence]:
    if head is None:
        return []
    said = [
        Sentence("the axis of turning lies {mm:.0f} mm ahead of the sensor mark", {"mm": head.slide_mm}),
        Sentence(
            "near parts from far between neighbours by {one:.1f}, {five:.1f} and {twenty:.1f} px for an error of "
            "1, 5 and 20 mm",
            dict(zip(("one", "five", "twenty"), (px for _, px in head.parallax_px_for_mm), strict=True)),
        ),
        Sentence(
            "neighbours share {share:.0f} % of their area at the least", {"share": 100.0 * head.smallest_overlap}
        ),
    ]
    if head.seam_loss_stops is not None and head.seam_loss_stops >= _SHOWS:
        said.append(
            Sentence(
                "where neighbours meet each has lost {stops:.1f} stops against its middle: take the falloff out "
                "before joining, or plain sky shows the grid",
                {"stops": head.seam_loss_stops},
            )
        )
    if not head.covered:
        said.append(Sentence("some of the wanted picture lies on no frame"))
    return said


def _rail(settings: Settings) -> list[Sentence]:
    rail = settings.rail
    if rail is None:
        return []
    return [
        Sentence(
            "from {start:.3f} to {end:.3f} mm in {count} places, {step:.4f} mm apart",
            {"start": rail.start_mm, "end": rail.end_mm, "count": rail.count, "step": rail.step_mm},
        )
    ]


def exposure_words(settings: Settings) -> list[Sentence]:
    """Which stops, times and ISOs hold every must, and what ends them on every side."""
    region = settings.region
    if region is None:
        return []
    serving = region.serving
    if not serving:
        return list(region.bounds)
    shortest, longest = (end(stop.times_s[k] for stop in serving) for k, end in ((0, min), (1, max)))
    return [
        Sentence(
            "f/{wide} to f/{small} at {short} to {long} ({isos}) hold every must",
            {"wide": marked(serving[0].f_number), "small": marked(serving[-1].f_number),
             "short": shutter_words(shortest), "long": shutter_words(longest),
             "isos": _isos(region.isos)},
        ),
        *region.bounds,
    ]  # fmt: skip


def _isos(isos: tuple[float, float]) -> Sentence:
    if isos[1] < 1.01 * isos[0]:
        return Sentence("ISO {low:.0f}", {"low": isos[0]})
    return Sentence("ISO {low:.0f} to {high:.0f}", {"low": isos[0], "high": isos[1]})


def _halos(settings: Settings) -> list[Sentence]:
    planned = settings.candidate.exposures[0].state.f_number
    said = []
    for halo in settings.halos[:_FEW]:
        if halo.px < 1.0:
            continue
        smaller = [(stop, px) for stop, px in halo.by_stop if stop > 1.2 * planned]
        values: dict[str, object] = {"px": halo.px, "edge": halo.edge, "behind": halo.behind}
        if not smaller:
            said.append(
                Sentence(
                    "a strip of {px:.1f} px along {edge}, before {behind}, that no frame renders cleanly", values
                )
            )
            continue
        values |= {"stop": marked(smaller[-1][0]), "least": smaller[-1][1]}
        said.append(
            Sentence(
                "a strip of {px:.1f} px along {edge}, before {behind}, that no frame renders cleanly; at f/{stop} it "
                "is {least:.1f} px, in fewer frames", values,
            )
        )  # fmt: skip
    return said


def _shots(settings: Settings) -> list[Sentence]:
    candidate, shots = settings.candidate, settings.candidate.scene.plan.choice.shots
    if shots.count == 1 or not candidate.exposures:
        return []
    said = [
        Sentence(
            "{count} shots in all; nothing is touched between those of one frame", {"count": candidate.shot_count}
        )
    ]
    if shots.still_share is not None:
        said.append(
            Sentence(
                "in wind {count} of each: where one shot in {one:.1f} finds everything still, one of them does 19 "
                "times in 20; the stillest is taken, and what of the others agrees with it",
                {"count": shots.count, "one": 1.0 / shots.still_share},
            )
        )
    if shots.needed_only:
        often = {shot.exposure for shot in candidate.shots if shot.number}
        rows = frame_rows(candidate)
        said.append(
            Sentence("only frames {numbers} are taken more than once: without one of them a must would be soft",
                     {"numbers": ", ".join(str(n) for n in sorted(rows[k].number for k in often))})
            if often
            else Sentence("each frame once: none of them is needed for a must to hold")
        )  # fmt: skip
    if shots.apart_stops:
        times = [candidate.exposures[0].shutter_s * 2.0**stops for stops in shots.steps]
        said.append(
            Sentence("each at {times}: the time is changed, never the stop, and focus stays",
                     {"times": ", ".join(shutter_words(time) for time in times)})
        )  # fmt: skip
    elif shots.still_share is not None:
        pass
    elif shots.count == 2:
        said.append(
            Sentence(
                "two alike tell that something walked through, not which shot is right: take three where it matters"
            )
        )
    else:
        said.append(
            Sentence(
                "put together, what stands in fewer than half of them is left out, and noise falls to {share:.0f} %",
                {"share": 100.0 / math.sqrt(shots.count)},
            )
        )
    return said


def _losses(settings: Settings) -> list[Sentence]:
    if settings.candidate.frame_count < 2:
        return []
    numbers = {frame.exposure: frame.number for frame in settings.frames}
    failing = sorted((one for one in settings.without if one.fails), key=lambda one: numbers[one.exposure])
    if not failing:
        said = [Sentence("any one frame may fail: every must still holds on the others")] if settings.without else []
    elif len(failing) == settings.candidate.frame_count:
        said = [Sentence("every frame is needed: without any one of them a must is soft or missing")]
    else:
        said = [
            Sentence(
                "without frame {number} these are soft: {marks}",
                {"number": numbers[one.exposure], "marks": ", ".join(one.fails[:_FEW])},
            )
            for one in failing[:6]
        ]
    alone = settings.alone
    if alone is None:
        return said
    facts: dict[str, object] = {
        "number": numbers[alone.exposure], "stop": marked(alone.f_number), "time": shutter_words(alone.shutter_s),
        "worst": alone.worst_softness, "marks": ", ".join(alone.fails[:_FEW]),
    }  # fmt: skip
    if not alone.fails:
        serves = "should merging fail, frame {number} serves alone at f/{stop} and {time}: every must holds on it"
    else:
        serves = (
            "should merging fail, frame {number} serves best alone, taken once more at f/{stop} and {time}; soft on "
            "it: {marks}"
        )
    return [*said, Sentence(serves, facts)]


def metres(value: float) -> str:
    """A distance from the sensor mark, as a tape shows it."""
    if not math.isfinite(value):
        return "∞"
    return f"{value * 1000.0:.1f} mm" if value < 0.5 else f"{value:.2f} m"
