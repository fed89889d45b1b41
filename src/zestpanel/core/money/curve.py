"""A plan's month as straight pieces over volume: the same money as ``month_cost``, for many volumes at once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.components import MONTHS, ON_TOP, LeastCharge, Tax
from zestpanel.core.money.tariff import (
    Tariff,
    Usage,
    allowances,
    before_the_month,
    month_cost,
    quantity,
    tiers_of,
)
from zestpanel.core.money.volume import Rates, requests_at, usage_at


@dataclass(frozen=True, slots=True)
class MonthCurve:
    """Piece k runs from starts[k] finished minutes on: money = bases[k] + slopes[k] * (minutes - starts[k]), exact in
    ``currency``. stops_at: minutes the plan allows at most, None without end."""

    currency: str
    starts: tuple[Decimal, ...]
    bases: tuple[Decimal, ...]
    slopes: tuple[Decimal, ...]
    stops_at: Decimal | None

    def at(self, volumes: Sequence[Decimal]) -> list[Decimal | None]:
        """Money at each volume in finished minutes, None beyond where the plan stops."""
        starts, bases, slopes, stop = self.starts, self.bases, self.slopes, self.stops_at
        if len(starts) == 1 and stop is None:
            base, slope = bases[0], slopes[0]
            return [base + slope * v for v in volumes]
        out: list[Decimal | None] = []
        for v in volumes:
            if stop is not None and v > stop:
                out.append(None)
            else:
                k = bisect_right(starts, v) - 1
                out.append(bases[k] + slopes[k] * (v - starts[k]))
        return out


def month_curve(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, month: int | None = None, requests_per_episode: int = 1
) -> MonthCurve | None:
    """The curve of a plan for a candidate; None where money cannot be computed at all.

    Every component is linear in volume between the points where an allowance or a tier ends, so the pieces are found
    from those points and two evaluations each of ``month_cost``.
    """

    whole = tariff
    tariff = tariff.model_copy(
        update={"components": tuple(part for part in whole.components if not isinstance(part, ON_TOP))}
    )
    if whole.components and not tariff.components:
        return None

    def use(minutes: Decimal) -> Usage:
        requests = requests_at(brief, minutes, requests_per_episode)
        return usage_at(rates, minutes, model=model, requests=requests, days=brief.days_of_work, seats=brief.seats)

    def money(minutes: Decimal) -> Decimal | None:
        total = month_cost(tariff, use(minutes), month=month, one_off_months=brief.one_off_months).total
        return None if total is None else total.amount

    one = use(Decimal(1))
    free = allowances(tariff, month)
    priced = tiers_of(tariff)
    ends: set[Decimal] = {Decimal(0)}
    stops: list[Decimal] = []
    for unit in {*priced, *free}:
        each = quantity(one, unit, tariff)
        if each <= 0:
            continue
        periods = free.get(unit, {})
        before = before_the_month(periods, brief.days_of_work)
        yearly = periods.get("year", Decimal(0))
        tiers = {Decimal(0), *(Decimal(part.above) for part in priced.get(unit, []))}
        if unit in priced:
            beyond = set(tiers)
            if yearly:  # the year's allowance ends in another of its twelve months as the volume grows
                beyond |= {(tier + yearly) / k for k in range(1, MONTHS + 1) for tier in tiers}
            ends |= {(before + point) / each for point in beyond}
        else:
            stops.append((before + yearly / MONTHS) / each)
    starts = sorted(ends)
    bases, slopes = [], []
    for k, start in enumerate(starts):
        length = starts[k + 1] - start if k + 1 < len(starts) else Decimal(1000)
        # within a piece: at its ends tiers for all units jump
        low, high = money(start + length / 4), money(start + 3 * length / 4)
        if low is None or high is None:
            return None
        slope = (high - low) / (length / 2)
        bases.append(low - slope * length / 4)
        slopes.append(slope)
    for part in whole.components:
        if isinstance(part, LeastCharge):
            starts, bases, slopes = _at_least(part.price, starts, bases, slopes)
    for part in whole.components:
        if isinstance(part, Tax):
            factor = 1 + part.percent / 100
            bases, slopes = [base * factor for base in bases], [slope * factor for slope in slopes]
    return MonthCurve(tariff.currency, tuple(starts), tuple(bases), tuple(slopes), min(stops) if stops else None)


def _at_least(
    least: Decimal, starts: list[Decimal], bases: list[Decimal], slopes: list[Decimal]
) -> tuple[list[Decimal], list[Decimal], list[Decimal]]:
    """The pieces lifted to a least charge: a piece that crosses it becomes two."""
    out: tuple[list[Decimal], list[Decimal], list[Decimal]] = ([], [], [])

    def add(start: Decimal, base: Decimal, slope: Decimal) -> None:
        for values, value in zip(out, (start, base, slope), strict=True):
            values.append(value)

    for k, (start, base, slope) in enumerate(zip(starts, bases, slopes, strict=True)):
        if base >= least:
            add(start, base, slope)
            continue
        add(start, least, Decimal(0))
        crossing = start + (least - base) / slope if slope > 0 else None
        if crossing is not None and (k + 1 == len(starts) or crossing < starts[k + 1]):
            add(crossing, least, slope)
    return out
