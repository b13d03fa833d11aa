"""Where the figures of a piece of kit come from: guessed by its kind, typed, or measured; and how surely."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field


class WithOrigins(BaseModel):
    """A piece whose figures are typed unless they are said to be guesses or measured."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    plus_minus: dict[Annotated[str, Field(max_length=60)], Annotated[float, Field(ge=0.0, le=1.0e5)]] = Field(
        default_factory=dict,
        max_length=60,
        description="How surely figures are known that have no ± of their own, in their units; almost surely within "
        "(95 %).",
    )
    typical: tuple[Annotated[str, Field(max_length=60)], ...] = Field(
        default=(), max_length=60, description="Which of its figures are guesses, as such pieces usually are."
    )
    measured: tuple[Annotated[str, Field(max_length=60)], ...] = Field(
        default=(), max_length=60, description="Which of its figures were measured, not read off or guessed."
    )

    def typed(self, before: Self) -> Self:
        """The piece where whatever differs from what it was before is no longer a guess, nor measured."""
        same = {
            key
            for key in (*self.typical, *self.measured)
            if getattr(self, key, None) == getattr(before, key, None)
            and self.plus_minus.get(key) == before.plus_minus.get(key)
        }
        if same.issuperset((*self.typical, *self.measured)):
            return self
        kept = {key: tuple(k for k in getattr(self, key) if k in same) for key in ("typical", "measured")}
        return self.model_copy(update=kept)

    def as_measured(self, *figures: str) -> Self:
        """The piece, some of whose figures were measured."""
        typical = tuple(key for key in self.typical if key not in figures)
        measured = tuple(dict.fromkeys((*self.measured, *figures)))
        measured = tuple(key for key in measured if key != "plus_minus")
        # A ± that was measured along with its figure stays.
        kept = "plus_minus" in figures
        sure = {key: value for key, value in self.plus_minus.items() if kept or key not in figures}
        return self.model_copy(update={"typical": typical, "measured": measured, "plus_minus": sure})
