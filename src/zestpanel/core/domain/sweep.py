"""A sweep: which candidate, which settings over which values, on which passages, how often."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product
from typing import Final

from pydantic import BaseModel, ConfigDict, Field, model_validator

from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.texts import tr

MOST_POINTS: Final = 60


Value = float | str | bool


class Axis(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    control: str
    values: tuple[Value, ...] = Field(min_length=2)


class SweepSpec(BaseModel):
    """axes: one, or two for a small grid. repeats: takes of each passage at each point."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    candidate_id: int
    axes: tuple[Axis, ...] = Field(min_length=1, max_length=2)
    passage_ids: tuple[int, ...] = Field(min_length=1)
    repeats: int = Field(default=3, ge=1, le=20)

    @model_validator(mode="after")
    def _small_enough(self) -> SweepSpec:
        if len({axis.control for axis in self.axes}) < len(self.axes):
            raise ValueError(tr("the two settings of a sweep must differ"))
        if len(self.points) > MOST_POINTS:
            raise ValueError(
                tr(
                    "a sweep has at most {most_points} points, this one has {points}",
                    most_points=MOST_POINTS,
                    points=len(self.points),
                )
            )
        return self

    @property
    def points(self) -> list[tuple[Value, ...]]:
        """Values of the axes, point by point, in order."""
        return list(product(*(axis.values for axis in self.axes)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Sweep:
    """A stored sweep. points: a candidate for each combination of values, in the order of the spec's points."""

    id: int
    spec: SweepSpec
    points: tuple[Candidate, ...]
    created: str
