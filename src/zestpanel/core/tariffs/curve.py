"""A plan's month as straight pieces over volume: the same money as ``month_cost``, for many volumes at once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from zestpanel.core.brief import Brief
from zestpanel.core.tariffs.tariff import Allowance, PerUnit, Tariff, month_cost, monthly_allowance, quantity
from zestpanel.core.tariffs.volume import Rates, usage_at


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


def month_curve(tariff: Tariff, rates: Rates, brief: Brief, *, model: str, month: int = 13) -> MonthCurve | None:
    """The curve of a plan for a candidate; None where money cannot be computed at all.

    Every component is linear in volume between the points where an allowance or a tier ends, so the pieces are found
    from those points and two evaluations each of ``month_cost``.
    """
    one = usage_at(rates, Decimal(1), model=model, requests=0)
    ends: set[Decimal] = {Decimal(0)}
    allowed: dict[str, Decimal] = {}
    for part in tariff.components:
        if isinstance(part, Allowance) and (part.first_months is None or month <= part.first_months):
            allowed[part.unit] = allowed.get(part.unit, Decimal(0)) + monthly_allowance(part)
    priced = {part.unit for part in tariff.components if isinstance(part, PerUnit)}
    for part in tariff.components:
        if isinstance(part, PerUnit) and (each := quantity(one, part.unit, tariff)) > 0:
            ends.add((allowed.get(part.unit, Decimal(0)) + part.above) / each)
    stops = [
        amount / each
        for unit, amount in allowed.items()
        if unit not in priced and (each := quantity(one, unit, tariff)) > 0  # type: ignore[arg-type]
    ]

    def money(minutes: Decimal) -> Decimal | None:
        use = usage_at(rates, minutes, model=model, requests=brief.episodes_per_month)
        total = month_cost(tariff, use, month=month).total
        return None if total is None else total.amount

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
