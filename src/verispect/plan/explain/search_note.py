"""What each method searched for its best variant, as counts of what was tried."""

from __future__ import annotations

from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence


def searched(candidate: Candidate) -> Sentence:
    """What was tried for a method: how many lenses and focal lengths, how many stops, and how."""
    record = candidate.record
    return Sentence(
        "Searched {lenses} lenses at {focals} focal lengths, up to {stops} stops: {how}",
        {
            "lenses": record.lenses,
            "focals": record.focals,
            "stops": record.stops,
            "how": Sentence(candidate.method.search_note),
        },
    )
