"""A plan's month over volume: the same money as ``month_cost``, for many volumes at once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Final, Protocol

from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.components.part import MONTHS, NONE
from zestpanel.core.money.grants import Grants
from zestpanel.core.money.tariff import ON_TOP, MonthCost, Tariff, allowances, month_cost, quantity, sold
from zestpanel.core.money.volume import Rates, uses_at


class MonthCurve(Protocol):
    """Money over volume, exact in ``currency``."""

    @property
    def currency(self) -> str: ...

    def at(self, volumes: Sequence[Decimal]) -> list[Decimal | None]:
        """Money at each volume in finished minutes, None where the plan does not cover it."""
        ...


@dataclass(frozen=True, slots=True)
class Straight:
    """Piece k runs from starts[k] finished minutes on: money = bases[k] + slopes[k] * (minutes - starts[k]). stops_at:
    minutes the plan allows at most, None without end."""

    currency: str
    starts: tuple[Decimal, ...]
    bases: tuple[Decimal, ...]
    slopes: tuple[Decimal, ...]
    stops_at: Decimal | None

    def at(self, volumes: Sequence[Decimal]) -> list[Decimal | None]:
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


@dataclass(frozen=True, slots=True)
class Stairs:
    """Where prices go in steps, or months of a year differ, each volume is worked out by itself."""

    currency: str
    month: Callable[[Decimal], MonthCost]

    def at(self, volumes: Sequence[Decimal]) -> list[Decimal | None]:
        found = [self.month(volume) for volume in volumes]
        return [one.total.amount if one.total is not None and one.covers else None for one in found]


_AFTER_THE_LAST: Final = Decimal(1000)  # minutes: any length will do where nothing bends any more


def month_curve(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, requests_per_episode: int = 1
) -> MonthCurve | None:
    """The curve of a plan's usual month for a candidate, retakes included; None where money cannot be computed at all.

    Where every component is straight in volume between the points where an allowance or a tier ends, the pieces are
    found from those points and two evaluations each of ``month_cost``.
    """

    def month(minutes: Decimal, of: Tariff = tariff) -> MonthCost:
        uses = uses_at(rates, brief, minutes, model=model, requests_per_episode=requests_per_episode)
        return month_cost(of, uses, one_off_months=brief.one_off_months)

    if month(Decimal(1)).total is None:
        return None
    one = uses_at(rates, brief, Decimal(1), model=model, requests_per_episode=requests_per_episode)
    yearly = {unit: sum((Decimal(part.amount * (brief.seats if part.per_seat else 1)) for part in parts
                         if part.every == "year" and part.holds(None)), NONE)
              for unit, parts in allowances(tariff).items()}  # fmt: skip
    bends = [amount for part in tariff.components for amount in part.bends]
    if any(part.stairs for part in tariff.components) or len(one) > 1 or (bends and any(yearly.values())):
        return Stairs(tariff.currency, month)
    ends: set[Decimal] = {NONE}
    stops: list[Decimal] = []
    for unit in {*sold(tariff), *allowances(tariff)}:
        each = quantity(one[0], unit, tariff)
        if each <= 0:
            continue
        of_year = yearly.get(unit, NONE)
        free = Grants(allowances(tariff).get(unit, []), brief.seats).over_a_month(None, one[0].days)
        selling = sold(tariff).get(unit)
        if selling is None:
            stops.append(free / each)
            continue
        before = free - of_year / MONTHS
        tiers = {end for part in selling for end in (NONE, *part.ends)}
        ends |= {(before + end) / each for end in tiers}
        if of_year:  # the year's allowance ends in another of its twelve months as the volume grows
            ends |= {(before + (end + of_year) / k) / each for k in range(1, MONTHS + 1) for end in tiers}
    starts = sorted(ends)
    if bends:
        bare = tariff.model_copy(update={"components": tuple(p for p in tariff.components if p.place < ON_TOP)})
        crossings = _crossings(_pieces(starts, lambda v: month(v, bare)), bends) if bare.components else set()
        starts = sorted({*starts, *crossings})
    pieces = _pieces(starts, month)
    return Straight(tariff.currency, tuple(p[0] for p in pieces), tuple(p[1] for p in pieces),
                    tuple(p[2] for p in pieces), min(stops, default=None))  # fmt: skip


Piece = tuple[Decimal, Decimal, Decimal]  # start, base, slope


def _pieces(starts: Sequence[Decimal], month: Callable[[Decimal], MonthCost]) -> list[Piece]:
    """Each by two volumes within it: at its ends tiers for all units jump."""
    out = []
    for k, start in enumerate(starts):
        length = starts[k + 1] - start if k + 1 < len(starts) else _AFTER_THE_LAST
        low, high = (total.amount if (total := month(start + length * part / 4).total) is not None else NONE
                     for part in (1, 3))  # fmt: skip
        slope = (high - low) / (length / 2)
        out.append((start, low - slope * length / 4, slope))
    return out


def _crossings(pieces: Sequence[Piece], amounts: Sequence[Decimal]) -> set[Decimal]:
    """Volumes at which the money of the pieces passes one of the amounts."""
    out = set()
    for k, (start, base, slope) in enumerate(pieces):
        for amount in amounts if slope else ():
            at = start + (amount - base) / slope
            if at > start and (k + 1 == len(pieces) or at < pieces[k + 1][0]):
                out.add(at)
    return out
