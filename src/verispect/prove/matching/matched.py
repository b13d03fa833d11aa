"""Which planned shots the frames of sets are, by all that tells it: run, words, number, and what they show."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

from verispect.plan.frames.shots import Shot
from verispect.prove.evidence import Evidence, FirstLook
from verispect.prove.matching.again import taken_again
from verispect.prove.matching.shown import places_by_content, planned_among, tell_enough
from verispect.prove.matching.told import match
from verispect.prove.parting.passes import apart_by_detail
from verispect.prove.parting.sets import FrameSet
from verispect.prove.parting.views import ALIKE, likeness
from verispect.prove.shots_check import Repeat, leads_of


class Matched:
    """Frames matched with the plan's shots; the exposure of each that stands for one goes into the evidence."""

    def __init__(self, evidence: Evidence, looks: Sequence[FirstLook], dark: Sequence[bool]) -> None:
        self.evidence, self.looks, self.dark = evidence, looks, dark
        self.planned: Sequence[Shot] = () if evidence.candidate is None else evidence.candidate.shots
        self.shots: dict[int, Shot] = {}
        self.repeats: dict[int, Repeat] = {}

    @property
    def _taken_once(self) -> bool:
        return 0 < len(self.planned) == len(self.evidence.exposures)

    def as_planned(self, sets: Sequence[FrameSet]) -> list[FrameSet]:
        """Sets of more frames than the plan's grid has, parted where some of them lie as it has them."""
        candidate, found = self.evidence.candidate, []
        planned = len(self.planned) if candidate is not None and candidate.method.is_grid else 0
        # What was to be taken several times is not looked at.
        looked = planned > 1 and self._taken_once
        for group in sets:
            rest = group
            while looked and len(rest.frames) > planned:
                begin = planned_among(self.evidence, rest.frames, [self.looks[k].small for k in rest.frames])
                if begin is None:
                    break
                if begin:
                    found.append(replace(rest, frames=rest.frames[:begin]))
                end = begin + planned
                found.append(replace(rest, frames=rest.frames[begin:end], why=(*rest.why, "they lie as planned")))
                rest = FrameSet(rest.frames[end:], None, ("more than the plan asks for",))
            found += [rest] if rest.frames else []
        return found

    def of_the_plan(self, parts: list[list[int]]) -> list[list[int]]:
        """Of several sets those that may be the plan's: of another view than one of its number, none of theirs is."""
        whole = [part for part in parts if len(part) == len(self.planned)]
        if not whole:
            return parts
        thumbs = [look.thumb for look in self.looks]

        def alike(part: Sequence[int]) -> bool:
            middle = thumbs[part[len(part) // 2]]
            return any(
                likeness(middle, thumbs[k]) > ALIKE for one in whole for k in (one[0], one[len(one) // 2], one[-1])
            )

        return [part for part in parts if len(part) == len(self.planned) or alike(part)]

    def is_whole(self, part: Sequence[int], parts: Sequence[Sequence[int]]) -> bool:
        """A few frames beside whole sets are trials, not a set of which most is missing."""
        return len(parts) == 1 or 2 * len(part) > len(self.planned)

    def match(self, parts: Sequence[Sequence[int]]) -> None:
        """Find the shots that the frames of sets are."""
        evidence, candidate = self.evidence, self.evidence.candidate
        if candidate is None:
            return
        more: list[int] = []
        for part in parts:
            frames = [evidence.frames[k] for k in part]
            told_enough = evidence.run is not None or tell_enough(frames, candidate)
            if not told_enough and not self.is_whole(part, parts):
                more += part
                continue
            own = list(part) if told_enough or len(part) <= len(self.planned) else self._once(part)
            told = match([evidence.frames[k] for k in own], evidence.exposures, self.planned, evidence.run)
            self._keep(own, told if told_enough else self._settled(own, told))
            more += [k for k in part if k not in self.shots]
        more = [k for k in more if not self.dark[k]]
        if more and not candidate.method.is_grid:
            again = taken_again([look.detail for look in self.looks], self.shots, more)
            self._keep(list(again), list(again.values()))

    def with_black_ends(
        self, sets: list[FrameSet], parts: list[list[int]], held: list[list[int]]
    ) -> tuple[list[FrameSet], list[list[int]], list[list[int]]]:
        """The plan's one set with a black frame before or after it, where just one of its frames is missing there."""
        if len(sets) != 1 or parts != [list(sets[0].frames)] or held != parts or not self._taken_once:
            return sets, parts, held
        group = sets[0]
        first, last = group.frames[0], group.frames[-1]
        for k, beside, step in ((first - 1, first, 1), (last + 1, last, -1)):
            shot, own = self.shots.get(beside), self.planned[0 if step > 0 else -1]
            if 0 <= k < len(self.dark) and self.dark[k] and shot is not None and shot.exposure == own.exposure + step:
                self._keep([k], [own])
                frames = (k, *group.frames) if step > 0 else (*group.frames, k)
                group = replace(group, frames=frames, separator=None if k == group.separator else group.separator)
        part = list(group.frames)
        return [group], [part], [part]

    def _once(self, part: Sequence[int]) -> list[int]:
        """The frames of a part without those taken again at once, where as many are left as were planned."""

        def repeats(k: int, before: int) -> bool:
            one, other = self.looks[before], self.looks[k]
            return likeness(one.thumb, other.thumb) > ALIKE and apart_by_detail([one.detail, other.detail]) is None

        once = [*part[:1], *(k for before, k in itertools.pairwise(part) if not repeats(k, before))]
        return once if len(once) == len(self.planned) else list(part)

    def _settled(self, part: Sequence[int], told: Sequence[Shot | None]) -> Sequence[Shot | None]:
        """What frames that tell nothing of which they are show of it."""
        planned = len(self.planned)
        guess = [shot.exposure for shot in told if shot is not None]
        few = len(part) <= planned == len(self.evidence.exposures) and 2 * len(part) >= planned
        if not few or len(guess) < len(part):
            return told
        by_exposure = {shot.exposure: shot for shot in self.planned}
        places = places_by_content(
            self.evidence, part, guess, [self.looks[k].small for k in part],
            dark=[k for k in part if self.dark[k]],
            repeats=[k for k in range(part[0], part[-1]) if k not in part and not self.dark[k]],
        )  # fmt: skip
        return [by_exposure[place] for place in places]

    def _keep(self, part: Sequence[int], told: Sequence[Shot | None]) -> None:
        """One picture stands for each exposure; of the other shots of it only what may be wrong is told."""
        leads = leads_of(part, told, self.dark)
        of = {k: shot for k, shot in zip(part, told, strict=True) if shot is not None}
        for k, shot in of.items():
            self.shots[k], lead = shot, leads[shot.exposure]
            if k == lead or shot.number == of[lead].number:
                # What was taken again counts as it always did.
                self.evidence.matched[k] = shot.exposure
            else:
                self.repeats[k] = Repeat(lead, of[lead], shot)
