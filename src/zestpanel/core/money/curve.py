"""A plan's month as straight pieces over volume: the same money as ``month_cost``, for many volumes at once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.tariff import MONTHS, PerUnit, Tariff, Usage, allowances, month_cost, quantity
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

    def use(minutes: Decimal) -> Usage:
        requests = requests_at(brief, minutes, requests_per_episode)
        return usage_at(rates, minutes, model=model, requests=requests, days=brief.days_of_work)

    def money(minutes: Decimal) -> Decimal | None:
        total = month_cost(tariff, use(minutes), month=month, one_off_months=brief.one_off_months).total
        return None if total is None else total.amount

    one = use(Decimal(1))
    free = allowances(tariff, month)
    priced = {part.unit for part in tariff.components if isinstance(part, PerUnit)}
    ends: set[Decimal] = {Decimal(0)}
    stops: list[Decimal] = []
    for unit in {*priced, *free}:
        each = quantity(one, unit, tariff)
        if each <= 0:
            continue
        periods = free.get(unit, {})
        before = periods.get("day", Decimal(0)) * brief.days_of_work + periods.get("month", Decimal(0))
        yearly = periods.get("year", Decimal(0))
        parts = [part for part in tariff.components if isinstance(part, PerUnit) and part.unit == unit]
        tiers = {Decimal(0), *(Decimal(part.above) for part in parts)}
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
        end = starts[k + 1] if k + 1 < len(starts) else start + 1000
        low, high = money(start), money(end)
        if low is None or high is None:
            return None
        bases.append(low)
        slopes.append((high - low) / (end - start))
    return MonthCurve(tariff.currency, tuple(starts), tuple(bases), tuple(slopes), min(stops) if stops else None)
