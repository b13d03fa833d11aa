"""The exposure survey: what spot readings span against what the sensor holds, what clips and what drowns."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.refine.iso_choice import MID_GREY
from verispect.sentence import Sentence

# A spot reading names the exposure that renders the spot mid-grey; white lies so many stops above it.
_TO_WHITE = math.log2(1.0 / MID_GREY)
# The brightest reading is put so far below white, and bracketed exposures lie so far apart, stops (common practice).
_ROOM_ABOVE, _APART = 1.0 / 3.0, 2.0
# Signal to noise of one final line pair below which a dark part tells nothing, where the plan asks for none.
_LEAST_RATIO = 3.0


class Fate(StrEnum):
    """What becomes of a reading at the planned exposure."""

    HOLDS = "holds"
    CLIPS = "clips"
    DROWNS = "drowns"


@dataclass(frozen=True)
class Reading:
    """A mark's spot reading, EV at ISO 100, and how many stops above mid-grey the planned exposure renders it."""

    name: str
    ev100: float
    above_grey_stops: float
    fate: Fate


@dataclass(frozen=True)
class Survey:
    """All readings together.

    Attributes
    ----------
    span_stops, room_stops : float
        From the darkest to the brightest reading, and from what drowns to what clips.
    best_ev100 : float
        Exposing for this puts the brightest reading a third of a stop below white.
    brackets : int
        Exposures of each frame that it takes, `apart_stops` apart; 1 where one holds all.
    """

    readings: tuple[Reading, ...]
    span_stops: float
    room_stops: float
    best_ev100: float
    brackets: int
    apart_stops: float = _APART

    @property
    def says(self) -> list[Sentence]:
        """What follows, in sentences."""
        names = {fate: [r.name for r in self.readings if r.fate is fate] for fate in Fate}
        said = [
            Sentence(
                "the readings span {span:.1f} stops, the sensor holds {room:.1f}: expose for EV {ev:.1f}, which puts "
                "{brightest} just below white",
                {"span": self.span_stops, "room": self.room_stops, "ev": self.best_ev100,
                 "brightest": max(self.readings, key=lambda r: r.ev100).name},
            )
        ]  # fmt: skip
        if names[Fate.CLIPS]:
            said.append(Sentence("as planned {names} would clip", {"names": ", ".join(names[Fate.CLIPS])}))
        if names[Fate.DROWNS]:
            said.append(Sentence("as planned {names} would drown in noise", {"names": ", ".join(names[Fate.DROWNS])}))
        if self.brackets > 1:
            said.append(
                Sentence("no one exposure holds them all, the shots of each frame together do")
                if not names[Fate.CLIPS] + names[Fate.DROWNS]
                else Sentence("no one exposure holds them all: {count} of each frame, {apart:g} stops apart",
                              {"count": self.brackets, "apart": self.apart_stops})
            )  # fmt: skip
        return said


def survey_of(candidate: Candidate) -> Survey | None:
    """The survey of a plan whose marks have readings; None where none has."""
    plan, criterion = candidate.scene.plan, candidate.criterion
    read = [(mark.name, mark.reading_ev100) for mark in plan.marks if mark.reading_ev100 is not None]
    if not read or criterion is None:
        return None
    darkest, steps = _drowns_at(candidate), plan.choice.shots.steps
    readings = tuple(
        Reading(name, ev, above := ev - plan.light.ev100, _fate(above + min(steps), above + max(steps), darkest))
        for name, ev in read
    )
    values = [ev for _, ev in read]
    span, room = max(values) - min(values), _TO_WHITE - darkest
    brackets = 1 + max(0, math.ceil((span - (room - _ROOM_ABOVE)) / _APART - 1e-9))
    return Survey(readings, span, room, max(values) - (_TO_WHITE - _ROOM_ABOVE), brackets)


def _fate(shortest: float, longest: float, darkest: float) -> Fate:
    """By how the shots that get least and most light render it, stops above mid-grey."""
    return Fate.CLIPS if shortest > _TO_WHITE else Fate.DROWNS if longest < darkest else Fate.HOLDS


def _drowns_at(candidate: Candidate) -> float:
    """Stops against mid-grey at which one final line pair has the least ratio of signal to noise.

    With n pixels, S electrons in each and r of read noise: √n S / √(S + r²) = ratio, a quadratic in S.
    """
    plan, criterion = candidate.scene.plan, candidate.criterion
    assert criterion is not None
    body = plan.kit.body
    ratio = plan.wish.noise_ratio or _LEAST_RATIO
    pixels = max(1.0, 1.0 / (criterion.frequency * body.pixel_mm) ** 2)
    share = ratio**2 / pixels
    electrons = 0.5 * (share + math.sqrt(share**2 + 4.0 * share * body.read_noise_e**2))
    return math.log2(electrons / (MID_GREY * body.full_well_at(body.iso)))
