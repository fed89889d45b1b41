"""A sweep: which candidate, which settings over which values, on which passages, how often."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, model_validator

from zestpanel.core.catalogue.candidate import Candidate
from zestpanel.core.catalogue.facts import Control, Engine
from zestpanel.core.errors import InputError

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
            raise ValueError("the two settings of a sweep must differ")
        if len(self.points) > MOST_POINTS:
            raise ValueError(f"a sweep has at most {MOST_POINTS} points, this one has {len(self.points)}")
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


def values_over(control: Control, low: float, high: float, count: int) -> tuple[Value, ...]:
    """Values from low to high in equal steps, on the control's own step where it has one, without repeats.

    A choice or a switch gives all it can be. Raises InputError for a range that is none.
    """
    if control.kind == "choice":
        return tuple(control.choices)
    if control.kind == "switch":
        return (False, True)
    if not (high > low and 2 <= count <= MOST_POINTS):
        raise InputError(f"{control.name}: a range goes from a smaller to a larger value, in 2 to {MOST_POINTS} steps.")
    out: list[Value] = []
    for k in range(count):
        value = low + (high - low) * k / (count - 1)
        if control.step and control.low is not None:
            value = control.low + round((value - control.low) / control.step) * control.step
        value = round(value, 6)
        if problem := control.check(value):
            raise InputError(f"{problem}.", kept="Nothing was changed.")
        if value not in out:
            out.append(value)
    return tuple(out)


def settings_at(candidate: Candidate, spec: SweepSpec, point: Sequence[Value]) -> dict[str, Any]:
    return {**candidate.settings, **{axis.control: value for axis, value in zip(spec.axes, point, strict=True)}}


def check_sweep(spec: SweepSpec, candidate: Candidate, engine: Engine) -> None:
    """Raises InputError for a setting the engine does not have, or a value it does not take."""
    controls = {c.name: c for c in engine.controls if c.applies(model=candidate.model, voice=candidate.voice)}
    for axis in spec.axes:
        if axis.control not in controls:
            raise InputError(f"{engine.engine} has no setting '{axis.control}' for this voice.")
        for value in axis.values:
            if problem := controls[axis.control].check(value):
                raise InputError(f"{engine.engine}: {problem}.", kept="Nothing was sent.")
