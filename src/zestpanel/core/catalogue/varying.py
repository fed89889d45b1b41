"""A sweep: which candidate, which settings over which values, on which passages, how often."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from zestpanel.core.catalogue.facts import Control, Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.sweep import MOST_POINTS, SweepSpec, Value
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr


def values_over(control: Control, low: float, high: float, count: int) -> tuple[Value, ...]:
    """Values from low to high in equal steps, on the control's own step where it has one, without repeats.

    A choice or a switch gives all it can be. Raises InputError for a range that is none.
    """
    if control.kind == "choice":
        return tuple(control.choices)
    if control.kind == "switch":
        return (False, True)
    if not (high > low and 2 <= count <= MOST_POINTS):
        raise InputError(
            tr(
                "{name}: a range goes from a smaller to a larger value, in 2 to {most_points} steps.",
                name=control.name,
                most_points=MOST_POINTS,
            )
        )
    out: list[Value] = []
    for k in range(count):
        value = low + (high - low) * k / (count - 1)
        if control.step and control.low is not None:
            value = control.low + round((value - control.low) / control.step) * control.step
        value = round(value, 6)
        if problem := control.check(value):
            raise InputError(f"{problem}.", kept=tr("Nothing was changed."))
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
            raise InputError(
                tr("{engine} has no setting '{control}' for this voice.", engine=engine.engine, control=axis.control)
            )
        for value in axis.values:
            if problem := controls[axis.control].check(value):
                raise InputError(f"{engine.engine}: {problem}.", kept=tr("Nothing was sent."))
